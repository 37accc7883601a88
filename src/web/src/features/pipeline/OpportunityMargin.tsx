import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'react-router';
import { api, type Schemas, take } from '../../api/client';
import { useSession } from '../../app/session';
import { Button, Field, fieldError, Trouble } from '../../ui/bits';
import { money } from '../../ui/money';
import { OneOf } from '../../ui/OneOf';
import { said } from '../../ui/undo';
import { date, day, moment } from '../../ui/when';
import { phrase, quoted } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';
import type { Line } from './PipelinePage';

/** What is being done with the opportunity that is picked. */
export type Part = 'move' | 'won' | 'lost' | 'edit';

type Props = {
  line: Line;
  stage: Schemas['PipelineStage'];
  stages: Schemas['PipelineStage'][];
  pipeline: Schemas['PipelineDto'];
  /** Those it is done with: the ones that are marked, else this one. */
  meant: Line[];
  part?: Part;
  setPart: (part?: Part) => void;
  move: (stage: string) => void;
  done: () => void;
};

/** The opportunity that is picked: what is known of it, and what can be done. */
export function OpportunityMargin(props: Props) {
  const { line, stage, stages, pipeline, meant, part, setPart, move } = props;
  const { now, zone, currency } = pipeline;
  const many = meant.length > 1;
  return (
    <section aria-label={line.title}>
      <h2>
        <Link to={`/people/${line.person.id}`} className="text-ink no-underline hover:underline">
          {line.person.name}
        </Link>
      </h2>
      <p className="mb-1 font-serif">{line.title}</p>
      <p className="mb-3 text-small text-soft">
        <Sentence
          m="{stage} for {days, plural, one {# day} other {# days}}{usualDays}. Opened {openedAt}{worth}.{appointment}{nextTouch}"
          v={{
            stage: stage.name,
            days: line.days,
            usualDays:
              stage.usualDays !== null &&
              phrase('; half go on within {usualDays, plural, one {# day} other {# days}}', { usualDays: stage.usualDays }),
            openedAt: day(line.openedAt, zone, now),
            worth: line.worth !== null && phrase(', worth {worth}', { worth: money(line.worth, currency) }),
            appointment:
              line.appointment && phrase(' Next appointment {appointment}.', { appointment: moment(line.appointment, zone, now) }),
            nextTouch: !line.nextTouch && phrase(' Nothing is planned for them.'),
          }}
        />
      </p>
      {many && (
        <p className="mb-2 text-small">
          {phrase('What is done here is done with the {meant, number} that are marked.', { meant: meant.length })}
        </p>
      )}
      <p className="mb-3 flex flex-wrap gap-x-4 text-small">
        {(
          [
            ['move', phrase('move …')],
            ['won', phrase('won …')],
            ['lost', phrase('lost …')],
            ['edit', phrase('edit …')],
          ] as const
        ).map(([p, words]) => (
          <Button key={p} aria-expanded={part === p} onClick={() => setPart(part === p ? undefined : p)}>
            {words}
          </Button>
        ))}
      </p>
      {part === 'move' && <OneOf choices={stages.map((s) => [s.stage, s.name] as const)} now={stage.stage} choose={(s) => move(s)} />}
      {part === 'won' && <Won {...props} />}
      {part === 'lost' && <Lost {...props} />}
      {part === 'edit' && <Edit {...props} />}
    </section>
  );
}

const names = (meant: Line[]) =>
  meant.length === 1 ? (meant[0]?.person.name ?? phrase('It')) : phrase('{meant, number} opportunities', { meant: meant.length });

function useClosing({ meant, done }: Props, won: boolean) {
  const words = `${names(meant)}: ${won ? phrase('won') : phrase('lost')}`;
  return useMutation({
    meta: { says: () => words },
    mutationFn: (more: { worth?: number | null; on?: string | null; reason?: string | null; program?: string | null }) =>
      take(
        api.POST('/api/pipeline/close', {
          body: { ids: meant.map((m) => m.id), won, worth: null, on: null, reason: null, program: null, ...more },
        }),
      ),
    onSuccess: () => {
      said(words);
      done();
    },
  });
}

/** What starts by itself, and a program that can be started with it. */
function Later({ won, reason, program, set }: { won: boolean; reason?: string; program: string; set: (id: string) => void }) {
  const starts = useQuery({ queryKey: ['pipeline', 'starts'], queryFn: () => take(api.GET('/api/pipeline/starts')) }).data ?? [];
  const same = (a?: string | null, b?: string) => a?.toLowerCase() === b?.trim().toLowerCase();
  const bySelf = starts.filter((s) => (won ? s.won : s.lost && (s.reason === null || same(s.reason, reason))));
  return (
    <>
      {bySelf.length > 0 && (
        <p className="text-small">
          {phrase('By itself {bySelf, plural, one {starts} other {start}} {bySelf2}.', {
            bySelf: bySelf.length,
            bySelf2: bySelf.map((s) => quoted(s.name)).join(', '),
          })}
        </p>
      )}
      <Field label={phrase('Later')}>
        {(id) => (
          <select id={id} className="w-full" value={program} onChange={(e) => set(e.target.value)}>
            <option value="">{bySelf.length > 0 ? phrase('nothing else') : phrase('nothing')}</option>
            {starts
              .filter((s) => !bySelf.includes(s))
              .map((s) => (
                <option key={s.id} value={s.id}>
                  {phrase('start “{name}”', { name: s.name })}
                </option>
              ))}
          </select>
        )}
      </Field>
    </>
  );
}

/** A sum as it is typed, and back; empty for not known. */
const typed = (worth: number | null) => (worth === null ? '' : String(worth));
const amountOf = (sum: string) => (sum.trim() ? Number(sum) : null);

/** A field for a sum of money. */
function Sum({
  label,
  error,
  sum,
  set,
  autoFocus,
}: {
  label: string;
  error: unknown;
  sum: string;
  set: (sum: string) => void;
  autoFocus?: boolean;
}) {
  return (
    <Field label={label} error={fieldError(error, 'worth')}>
      {(id, by) => (
        <input
          id={id}
          aria-describedby={by}
          inputMode="decimal"
          pattern="[0-9]+(\.[0-9]{1,2})?"
          autoFocus={autoFocus}
          className="w-full"
          value={sum}
          onChange={(e) => set(e.target.value)}
        />
      )}
    </Field>
  );
}

function Won(props: Props) {
  const { line, meant, pipeline } = props;
  const [sum, setSum] = useState(meant.length === 1 ? typed(line.worth) : '');
  const [on, setOn] = useState(date(pipeline.now, pipeline.zone));
  const [program, setProgram] = useState('');
  const close = useClosing(props, true);
  return (
    <form
      className="flex flex-col gap-3"
      onSubmit={(e) => {
        e.preventDefault();
        close.mutate({ worth: amountOf(sum), on, program: program || null });
      }}
    >
      <Sum
        label={phrase('What it brought, in {currency}', { currency: pipeline.currency })}
        error={close.error}
        sum={sum}
        set={setSum}
        autoFocus
      />
      <Field label={phrase('On')} error={fieldError(close.error, 'on')}>
        {(id, by) => (
          <input
            id={id}
            aria-describedby={by}
            type="date"
            required
            max={date(pipeline.now, pipeline.zone)}
            className="w-full"
            value={on}
            onChange={(e) => setOn(e.target.value)}
          />
        )}
      </Field>
      <Later won program={program} set={setProgram} />
      <Trouble error={fieldError(close.error, 'worth') || fieldError(close.error, 'on') ? null : close.error} />
      <Button type="submit" look="main" disabled={close.isPending}>
        {phrase('{meant}: won', { meant: names(meant) })}
      </Button>
    </form>
  );
}

function Lost(props: Props) {
  const { meant, pipeline } = props;
  const [reason, setReason] = useState('');
  const [program, setProgram] = useState('');
  const close = useClosing(props, false);
  return (
    <form
      className="flex flex-col gap-3"
      onSubmit={(e) => {
        e.preventDefault();
        close.mutate({ reason, program: program || null });
      }}
    >
      <Field label={phrase('Why it was lost')} error={fieldError(close.error, 'reason')}>
        {(id, by) => (
          <>
            <input
              id={id}
              aria-describedby={by}
              list="reasons-of-loss"
              required
              autoFocus
              className="w-full"
              value={reason}
              onChange={(e) => setReason(e.target.value)}
            />
            <datalist id="reasons-of-loss">
              {pipeline.reasons.map((r) => (
                <option key={r} value={r} />
              ))}
            </datalist>
          </>
        )}
      </Field>
      <Later won={false} reason={reason} program={program} set={setProgram} />
      <Trouble error={fieldError(close.error, 'reason') ? null : close.error} />
      <Button type="submit" look="danger" disabled={close.isPending}>
        {phrase('{meant}: lost', { meant: names(meant) })}
      </Button>
    </form>
  );
}

function Edit({ line, pipeline, done }: Props) {
  const members = useSession().data?.members ?? [];
  const [title, setTitle] = useState(line.title);
  const [worth, setWorth] = useState(typed(line.worth));
  const [expectedOn, setExpectedOn] = useState(line.expectedOn ?? '');
  const [owner, setOwner] = useState(line.ownerId ?? '');
  const save = useMutation({
    meta: { says: () => `${line.person.name}: ${quoted(title)}` },
    mutationFn: () =>
      take(
        api.PUT('/api/opportunities/{id}', {
          params: { path: { id: line.id } },
          body: { title, worth: amountOf(worth), expectedOn: expectedOn || null, owner: owner || null },
        }),
      ),
    onSuccess: () => {
      said(phrase('It is kept.'));
      done();
    },
  });
  return (
    <form
      className="flex flex-col gap-3"
      onSubmit={(e) => {
        e.preventDefault();
        save.mutate();
      }}
    >
      <Field label={phrase('What it is about')} error={fieldError(save.error, 'title')}>
        {(id, by) => (
          <input
            id={id}
            aria-describedby={by}
            required
            autoFocus
            className="w-full"
            value={title}
            onChange={(e) => setTitle(e.target.value)}
          />
        )}
      </Field>
      <Sum label={phrase('Worth, in {currency}', { currency: pipeline.currency })} error={save.error} sum={worth} set={setWorth} />
      <Field label={phrase('Expected to be closed on')} error={fieldError(save.error, 'expectedOn')}>
        {(id, by) => (
          <input
            id={id}
            aria-describedby={by}
            type="date"
            className="w-full"
            value={expectedOn}
            onChange={(e) => setExpectedOn(e.target.value)}
          />
        )}
      </Field>
      <Field label={phrase('Who looks after it')}>
        {(id) => (
          <select id={id} className="w-full" value={owner} onChange={(e) => setOwner(e.target.value)}>
            <option value="">{phrase('nobody')}</option>
            {members.map((m) => (
              <option key={m.id} value={m.id}>
                {m.name}
              </option>
            ))}
          </select>
        )}
      </Field>
      <Trouble error={fieldError(save.error, 'worth') || fieldError(save.error, 'title') ? null : save.error} />
      <Button type="submit" look="main" disabled={save.isPending}>
        {phrase('Keep it')}
      </Button>
    </form>
  );
}
