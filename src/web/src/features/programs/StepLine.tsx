import { Popover } from 'radix-ui';
import { lazy, type ReactNode, Suspense, useState } from 'react';
import type { Schemas } from '../../api/client';
import { Button, Field, Loading } from '../../ui/bits';
import { Float } from '../../ui/Float';
import { offsetDays, span } from '../../ui/span';
import { StepMark } from '../../ui/TouchLine';
import { day, moment } from '../../ui/when';
import { phrase } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';
import { FollowLetter } from '../letters/FollowLetter';
import { WhoDid } from '../people/WhoDid';
import { partsOf } from '../rules/ruleLanguage';
import { SayRules } from '../rules/SayRules';
import { AddStep } from './AddStep';
import { SpanForm, TextForm, WhenForm } from './forms';
import { OtherStep } from './OtherStep';
import { usePen } from './pen';
import { isMessage, reaches, readByOthers, type Step, sayTo, sayWhen, stepName } from './programFile';
import { ReaderForm } from './ReaderForm';
import { Say, Words } from './Say';
import { SpanField } from './SpanField';
import { StepDeeds } from './StepDeeds';
import { Gap, StepHandle } from './StepDrag';
import { StepFiles } from './StepFiles';
import { type Place, shift } from './stepMoves';
import { passagesOf } from './stepTree';

const LetterEditor = lazy(() => import('../letters/LetterEditor'));

/** Steps one after the other: a program's own with the days in the gutter, a passage's indented. */
export function StepList({
  steps,
  pointer,
  inside,
}: {
  steps: Step[];
  pointer: string;
  /** Of a passage: whose it is, and which of them. */
  inside?: { owner: string; passage: number };
}) {
  const place = { owner: inside?.owner, passage: inside?.passage ?? 0 };
  if (inside && steps.length === 0) return null;
  return (
    <ol
      className={inside ? 'my-1 ml-1 list-none border-l border-rule p-0' : 'm-0 list-none p-0'}
      aria-label={inside ? phrase('Passage') : phrase('Steps')}
    >
      {steps.map((step, i) => (
        <StepLine
          key={step.id}
          step={step}
          index={i}
          pointer={`${pointer}/${i}`}
          inside={inside !== undefined}
          place={place}
          last={i === steps.length - 1}
        />
      ))}
    </ol>
  );
}

type LineProps = { step: Step; index: number; pointer: string; inside: boolean; place: Place; last: boolean };

function StepLine({ step, index, pointer, inside, place, last }: LineProps) {
  const pen = usePen();
  const on = pen.picked === step.id;
  const writing = pen.writing === step.id;
  const date = pen.dates.get(step.id);
  // What stands in a passage is said beside the step it concerns.
  const findings = pen.findingsAt(pointer).filter((f) => !passagesOf(step).some((p) => f.pointer.startsWith(`${pointer}${p.pointer}/`)));
  const trouble = findings.some((f) => !f.isWarning);
  const mark = <StepMark kind={step.kind} color={trouble ? 'var(--ember)' : on ? 'var(--leaf)' : 'var(--ink)'} />;
  const name = short(filled(stepName(step), pen.person)) || step.kind;
  const marked = pen.marked.has(step.id);
  const dated = date && (
    <span className="font-sans text-small text-soft" title={moment(date, pen.zone)}>
      {day(date, pen.zone, pen.now)}
    </span>
  );
  return (
    <li
      className={
        inside
          ? `relative py-[3px] pr-2 pl-7 font-sans ${on ? 'bg-picked shadow-[inset_3px_0_0_var(--leaf)]' : ''}`
          : `row relative !border-t-0 !px-[34px] !py-[7px] ${on ? 'on' : ''}`
      }
    >
      <Gap place={{ ...place, before: step.id }} side="top" />
      {last && <Gap place={place} side="bottom" />}
      {!inside && (
        <span className="gutter leading-tight">
          <b className="block font-semibold text-ink">{phrase('Day {id}', { id: pen.days.get(step.id) ?? '…' })}</b>
          {dated}
        </span>
      )}
      <span className={inside ? 'absolute top-[4px] left-[3px]' : 'absolute top-[8px] left-[8px]'}>
        <StepHandle id={step.id} label={phrase('Pick “{name}” with others', { name })} marked={marked} mark={() => pen.mark(step.id)}>
          {mark}
        </StepHandle>
      </span>
      <div className="font-serif text-[17px] leading-normal">
        <StepSentence step={step} index={index} pointer={pointer} inside={inside} /> <OnlyIf step={step} picked={on} />{' '}
        <ReadBy step={step} picked={on} /> <OnceAHousehold step={step} picked={on} />{' '}
        {step.kind === 'email' && <StepFiles step={step} picked={on} set={pen.set} />} {inside && passagesOf(step).length === 0 && dated}
      </div>
      <StepDeeds program={pen.id} step={step} deed={pen.deeds.get(step.id)} zone={pen.zone} now={pen.now} />
      {writing && step.kind === 'email' && step.letter === undefined && (
        <Suspense fallback={<Loading what={phrase('Opening the letter')} />}>
          <LetterEditor
            subject={step.subject ?? ''}
            body={step.body ?? ''}
            problems={findings.filter((f) => !f.pointer.includes('/when'))}
            change={(part) => pen.set({ ...step, ...part })}
          />
        </Suspense>
      )}
      {(!writing || step.kind !== 'email') && <Findings findings={findings} />}
      {on && (
        <div className="flex flex-wrap gap-x-4 pt-1 text-small">
          {step.kind === 'email' && step.letter === undefined && (
            <Button onClick={() => pen.write(writing ? undefined : step.id)} aria-expanded={writing}>
              {writing ? phrase('close the letter') : phrase('write the letter')}
            </Button>
          )}
          {step.kind === 'email' && <FollowLetter step={step} set={pen.set} />}
          {index > 0 && (
            <Button look="plain" onClick={() => pen.move(step.id, 'up')}>
              {phrase('up')}
            </Button>
          )}
          {!last && (
            <Button look="plain" onClick={() => pen.move(step.id, 'down')}>
              {phrase('down')}
            </Button>
          )}
          {shift(pen.steps, step.id, 'in') !== pen.steps && (
            <Button look="plain" onClick={() => pen.move(step.id, 'in')}>
              {phrase('into the passage before')}
            </Button>
          )}
          {inside && (
            <Button look="plain" onClick={() => pen.move(step.id, 'out')}>
              {phrase('out of the passage')}
            </Button>
          )}
          <Button look="plain" onClick={() => pen.copy(step.id)}>
            {phrase('copy')}
          </Button>
          <Repeat step={step} />
          <Button look="danger" onClick={() => pen.remove(step.id)}>
            {phrase('take out')}
          </Button>
          {pen.program && <WhoDid program={pen.program} step={step.id} kind={step.kind} />}
        </div>
      )}
      {!last && (
        <AddStep
          label={phrase('Add a step after {name}', { name })}
          className="absolute right-2 -bottom-2.5 z-10 h-5 w-5 rounded-std border border-rule bg-sheet !py-0 text-center leading-none opacity-0 hover:opacity-100 focus-visible:opacity-100 data-[state=open]:opacity-100 max-[699px]:opacity-100"
          add={(kind) => pen.addAfter(step.id, kind)}
        >
          +
        </AddStep>
      )}
    </li>
  );
}

/** Whom a step is for, of those who come to it; that it is for all of them is said only where it can be changed. */
function OnlyIf({ step, picked }: { step: Step; picked: boolean }) {
  const { set } = usePen();
  const parts = partsOf(step.onlyIf);
  if (parts.length === 0 && !picked) return null;
  return (
    <Sentence
      m="{some, select, true {Only if they {rules}.} other {{rules}}}"
      v={{
        some: String(parts.length > 0),
        rules: (
          <SayRules
            rule={step.onlyIf}
            label={phrase('Only for those who')}
            none={phrase('For everybody who comes to it.')}
            set={(onlyIf) => set({ ...step, onlyIf })}
          />
        ),
      }}
    />
  );
}

/** Who reads it; that it is the person themselves is said only where it can be changed. */
function ReadBy({ step, picked }: { step: Step; picked: boolean }) {
  const { set } = usePen();
  if (!isMessage(step) || !(picked || readByOthers(step))) return null;
  return (
    <Say words={sayTo(step.to)} label={phrase('Who reads it')} soft={!readByOthers(step)}>
      {(close) => (
        <ReaderForm
          step={step}
          done={(to) => {
            set({ ...step, to });
            close();
          }}
        />
      )}
    </Say>
  );
}

/** Whether people who live together get it once between them; that each gets their own is said only where it can be changed. */
function OnceAHousehold({ step, picked }: { step: Step; picked: boolean }) {
  const { set } = usePen();
  if (!reaches(step) || !(picked || step.onePerHousehold)) return null;
  return (
    <button
      type="button"
      className={step.onePerHousehold ? 'say' : 'text-soft hover:text-ink'}
      aria-pressed={step.onePerHousehold ?? false}
      onClick={() => set({ ...step, onePerHousehold: step.onePerHousehold ? undefined : true })}
    >
      {step.onePerHousehold ? phrase('Once to each household.') : phrase('To each of a household.')}
    </button>
  );
}

/** The same step several times: every month, three times, writes three steps. */
function Repeat({ step }: { step: Step }) {
  const pen = usePen();
  const [open, setOpen] = useState(false);
  const [every, setEvery] = useState<string | undefined>('P1M');
  const [times, setTimes] = useState(3);
  return (
    <Popover.Root open={open} onOpenChange={setOpen}>
      <Popover.Trigger asChild>
        <Button look="plain">{phrase('repeat …')}</Button>
      </Popover.Trigger>
      <Popover.Portal>
        <Float open={open} close={() => setOpen(false)} align="start" sideOffset={6} aria-label={phrase('Repeat the step')}>
          <form
            onSubmit={(e) => {
              e.preventDefault();
              e.stopPropagation();
              pen.copy(step.id, every, times - 1);
              setOpen(false);
            }}
          >
            <SpanField label={phrase('Every')} value={every} set={setEvery} />
            <Field
              label={phrase('How many times in all')}
              hint={phrase('Writes {times, number} steps; each can then be written on its own.', { times })}
            >
              {(id, by) => (
                <input
                  id={id}
                  aria-describedby={by}
                  type="number"
                  min={2}
                  max={60}
                  className="w-20"
                  value={times}
                  onChange={(e) => setTimes(Math.min(60, Math.max(2, Number(e.target.value) || 2)))}
                />
              )}
            </Field>
            <Button type="submit" look="main">
              {phrase('Repeat it')}
            </Button>
          </form>
        </Float>
      </Popover.Portal>
    </Popover.Root>
  );
}

function StepSentence({ step, index, pointer, inside }: { step: Step; index: number; pointer: string; inside: boolean }) {
  const pen = usePen();
  const { set, person } = pen;
  const words = sayWhen(step.when, index === 0 && !inside);
  const when = (
    <Say words={words} label={phrase('When: {words}', { words })}>
      {(close) => (
        <WhenForm
          when={step.when}
          occasion={pen.occasion}
          done={(w) => {
            set({ ...step, when: w });
            close();
          }}
        />
      )}
    </Say>
  );
  const kind = (word: string) => (
    <button type="button" className="say" onClick={() => pen.pick(step.id)} aria-pressed={pen.picked === step.id}>
      {word}
    </button>
  );
  if (step.kind === 'email') {
    const open = pen.writing === step.id;
    return (
      <>
        <Sentence
          m="{kind} {isLetter, select, true {the letter “{words}”} other {“{words}”}} {when}, "
          v={{
            kind: kind(phrase('Email')),
            isLetter: String(step.letter !== undefined),
            words: (
              <Words
                className="say"
                aria-expanded={open}
                onClick={() => {
                  pen.pick(step.id);
                  pen.write(open ? undefined : step.id);
                }}
              >
                {step.letter ?? (filled(step.subject ?? '', person) || phrase('no subject yet'))}
              </Words>
            ),
            when,
          }}
        />
        <Say
          words={
            step.lateLimit || pen.occasion
              ? phrase('unless it would be over {span} late', { span: span(step.lateLimit ?? 'P1D') })
              : phrase('however late')
          }
          label={phrase('How late it may be')}
          soft={!step.lateLimit}
        >
          {(close) => (
            <SpanForm
              label={phrase('Leave it out when it would be later than this')}
              value={step.lateLimit}
              none={pen.occasion ? phrase('empty: a day, as for everything a date starts') : phrase('empty: however late')}
              units={['hours', 'days', 'weeks', 'months']}
              done={(lateLimit) => {
                set({ ...step, lateLimit });
                close();
              }}
            />
          )}
        </Say>
        .
      </>
    );
  }
  if (step.kind === 'call') {
    return (
      <Sentence
        m="{kind} {when} with “{script}”; may move by {slack}. {holds}"
        v={{
          kind: kind(phrase('Call')),
          when,
          script: (
            <Say
              words={step.script ? short(filled(step.script, person)) : phrase('nothing to say yet')}
              label={phrase('What to say on the call')}
            >
              {(close) => (
                <TextForm
                  label={phrase('What to say')}
                  value={step.script}
                  done={(script) => {
                    set({ ...step, script });
                    close();
                  }}
                />
              )}
            </Say>
          ),
          slack: (
            <Say
              words={
                step.slack === 'P1D'
                  ? phrase('one working day')
                  : phrase('{slack} working days', { slack: offsetDays(step.slack) ?? step.slack })
              }
              label={phrase('How far the call may move')}
            >
              {(close) => (
                <SpanForm
                  label={phrase('Working days by which it may move')}
                  value={step.slack}
                  units={['days']}
                  done={(slack) => {
                    set({ ...step, slack: slack ?? step.slack });
                    close();
                  }}
                />
              )}
            </Say>
          ),
          holds: <Holds step={step} done={phrase('the call is made')} />,
        }}
      />
    );
  }
  if (step.kind === 'hand-over') {
    return (
      <Sentence
        m="{kind} with {program} {when}."
        v={{
          kind: kind(phrase('They go on')),
          program: (
            <Say
              words={step.program || phrase('choose a program')}
              label={phrase('Program: {program}', { program: step.program || phrase('not chosen yet') })}
              asks={!step.program}
            >
              {(close) => (
                <ul className="m-0 list-none p-0">
                  {pen.programs.map((name) => (
                    <li key={name}>
                      <button
                        type="button"
                        className={`w-full px-2 py-1.5 text-small hover:bg-leaf-pale ${name === step.program ? 'font-semibold' : ''}`}
                        onClick={() => {
                          set({ ...step, program: name });
                          close();
                        }}
                      >
                        {name}
                      </button>
                    </li>
                  ))}
                </ul>
              )}
            </Say>
          ),
          when,
        }}
      />
    );
  }
  return <OtherStep step={step} when={when} kind={kind} pointer={pointer} />;
}

/**
 * Whether what follows waits until somebody has done the step (pressed, it is the other way round), and after how long on the day
 * sheet it is missed.
 */
export function Holds({ step, done }: { step: Extract<Step, { kind: 'call' | 'note' | 'task' | 'post' }>; done: string }) {
  const { set } = usePen();
  return (
    <>
      <button
        type="button"
        className={step.holds ? 'say' : 'text-soft hover:text-ink'}
        aria-pressed={step.holds ?? false}
        onClick={() => set({ ...step, holds: !step.holds })}
      >
        {step.holds ? phrase('What follows waits until {done}.', { done }) : phrase('What follows does not wait for it.')}
      </button>{' '}
      <Say
        words={
          step.missedAfter
            ? phrase('Missed after {missedAfter} on the day sheet.', { missedAfter: span(step.missedAfter) })
            : phrase('It stays on the day sheet.')
        }
        label={phrase('How long it stands on the day sheet')}
        soft={!step.missedAfter}
      >
        {(close) => (
          <SpanForm
            label={phrase('Take it off the day sheet as missed when it has stood there for')}
            value={step.missedAfter}
            none={phrase('empty: it stays until somebody does it')}
            units={['days', 'weeks', 'months']}
            done={(missedAfter) => {
              set({ ...step, missedAfter });
              close();
            }}
          />
        )}
      </Say>
    </>
  );
}

export function Findings({ findings }: { findings: Schemas['FindingDto'][] }): ReactNode {
  return findings.map((f) => (
    <p key={f.message} className={`text-small ${f.isWarning ? 'text-straw' : 'text-ember'}`}>
      {f.message}
    </p>
  ));
}

/** A sentence's words as the person in the margin would read them. */
export function filled(text: string, person = 'Leila') {
  return text
    .replace(/\{\{\s*"([^"]*)"\s*\|\s*we:[^}]*\}\}/g, '$1')
    .replace(/\{\{\s*person\.first_name[^}]*\}\}/g, person.split(' ')[0] ?? '')
    .replace(/\{\{\s*([\w.]+)[^}]*\}\}/g, (_, field: string) => `‹${field.replace(/[._]/g, ' ')}›`);
}

export function short(text: string) {
  return text.length > 100 ? `${text.slice(0, 97)}…` : text;
}
