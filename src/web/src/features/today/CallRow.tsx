import { useState } from 'react';
import type { Schemas } from '../../api/client';
import { Button, Dial } from '../../ui/bits';
import { daysBetween, moment, sinceDay, time } from '../../ui/when';
import { codeWord } from '../../words/codes';
import { phrase, quoted } from '../../words/phrase';
import { PostActs, PostPicture } from '../posts/PostActs';
import { endingsOf, nameOf, type Outcomes } from './callEndings';
import { MoveCall } from './MoveCall';
import { type Next, NextStep, usualNext } from './NextStep';

type Call = Schemas['CallDto'];

const worded = (outcome: string) => `${outcome[0]?.toUpperCase() ?? ''}${outcome.slice(1)}`;

/** One thing to do: whom, what to say, and how it ended. */
export function CallRow({
  call,
  ending,
  choose,
  moving,
  setMoving,
  move,
  on,
  now,
  zone,
  pick,
  outcomes,
  end,
  busy,
}: {
  call: Call;
  ending?: string;
  choose: (outcome?: string) => void;
  moving: boolean;
  setMoving: (on: boolean) => void;
  move: (to: string) => void;
  on: boolean;
  now: string;
  zone: string;
  pick: () => void;
  outcomes: Outcomes;
  end: (outcome: string, remark: string, next: Next) => void;
  busy: boolean;
}) {
  const late = daysBetween(call.due, now, zone);
  return (
    <div id={`item-${call.touchId}`} className={`row ${on ? 'on' : ''}`} aria-current={on}>
      <span className={`gutter ${late > 0 ? '!text-ember' : ''}`}>
        {late > 0 ? phrase('since {due}', { due: sinceDay(call.due, zone, now) }) : call.ownTask ? '' : time(call.due, zone)}
      </span>
      <div className="flex items-baseline gap-4">
        <button type="button" data-pick className="min-w-0 flex-1" onClick={pick}>
          <b className="font-semibold">{nameOf(call)}</b>{' '}
          <span className="text-soft">
            · {call.kind === 'call' ? '' : `${codeWord(call.kind)} · `}
            {call.program}
            {call.ownTask ? '' : phrase(', day {day, number}', { day: call.day })}
            {call.overCapacity && <span className="text-straw">{phrase(' · no room on these days')}</span>}
            {call.movedHere && phrase(' · moved here')}
            {call.insteadOf && phrase(' · for {insteadOf}, who is away', { insteadOf: call.insteadOf })}
          </span>
          {!on && (
            <span className="block truncate max-[699px]:line-clamp-3 max-[699px]:whitespace-normal text-small text-soft">
              {call.script}
            </span>
          )}
        </button>
        {call.kind === 'call' && (
          <span className="text-small text-soft">
            {call.number ? (
              <Dial number={call.number} extension={call.extension} />
            ) : (
              <span className="text-ember">{phrase('no number, will be left out')}</span>
            )}
            {call.theirTime && phrase(' · {theirTime} there', { theirTime: call.theirTime })}
          </span>
        )}
      </div>
      {on && (
        <>
          {call.post ? (
            <>
              <p className="mt-2 mb-0.5 max-w-[56ch] font-serif whitespace-pre-line">{call.post.words}</p>
              <PostPicture post={call.post} />
              {call.post.place && <p className="text-small text-soft">{phrase('for {place}', { place: call.post.place })}</p>}
              {call.post.byItself && !call.post.problem && <p className="text-small text-soft">{phrase('it goes by itself')}</p>}
              {call.post.problem && <p className="text-small text-ember">{call.post.problem}</p>}
            </>
          ) : (
            <p className="mt-2 mb-0.5 max-w-[56ch] font-serif">{quoted(call.script)}</p>
          )}
          {call.lastSent && call.lastSentAt && (
            <p className="text-small text-soft">
              {phrase('Last sent: “{lastSent}”, {lastSentAt}', { lastSent: call.lastSent, lastSentAt: moment(call.lastSentAt, zone, now) })}
            </p>
          )}
          <div className="flex flex-wrap gap-3.5 pt-1.5">
            {call.post && <PostActs post={call.post} keys />}
            {endingsOf(call, outcomes).map((outcome, i) => (
              <Button key={outcome} onClick={() => choose(outcome)} disabled={busy} aria-pressed={ending === outcome}>
                <kbd>{i + 1}</kbd> {worded(outcome)}
              </Button>
            ))}
            <Button look="plain" aria-expanded={moving} onClick={() => setMoving(!moving)}>
              <kbd>m</kbd> {phrase('Another day')}
            </Button>
          </div>
          {moving && <MoveCall call={call} choose={move} leave={() => setMoving(false)} />}
          {ending && (
            <Remark
              key={ending}
              outcome={ending}
              usual={call.kind === 'call' && call.person ? usualNext(outcomes.find((o) => o.name === ending)) : null}
              leave={() => choose()}
              take={(remark, next) => end(ending, remark, next)}
            />
          )}
        </>
      )}
    </div>
  );
}

/** A remark with the outcome of a call, and what follows it: typed at once, Enter takes all; Escape leaves the call as it is. */
function Remark({
  outcome,
  usual,
  take: done,
  leave,
}: {
  outcome: string;
  usual: Next | null;
  take: (remark: string, next: Next) => void;
  leave: () => void;
}) {
  const [remark, setRemark] = useState('');
  const [next, setNext] = useState(usual ?? usualNext());
  return (
    <form
      className="mt-2 flex flex-wrap items-center gap-3"
      onKeyDown={(e) => {
        if (e.key !== 'Escape') return;
        e.stopPropagation();
        leave();
      }}
      onSubmit={(e) => {
        e.preventDefault();
        done(remark.trim(), next);
      }}
    >
      <input
        aria-label={phrase('{outcome}: a remark, if there is one', { outcome: worded(outcome) })}
        placeholder={phrase('a remark, if there is one; Enter takes it')}
        autoFocus
        className="min-w-0 flex-1 font-serif"
        value={remark}
        onChange={(e) => setRemark(e.target.value)}
      />
      <Button type="submit" look="main">
        {worded(outcome)}
      </Button>
      {usual && <NextStep next={next} set={setNext} />}
    </form>
  );
}
