import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Link, useParams } from 'react-router';
import { ApiError, api, type Schemas, take } from '../../api/client';
import { useNow } from '../../app/session';
import { Button, Empty, Field, Loading, ProgressBar, Trouble } from '../../ui/bits';
import { DayPage, PageHead, Stretch, useTitle } from '../../ui/DayPage';
import { money } from '../../ui/money';
import { NotShown } from '../../ui/NotShown';
import { StepMark } from '../../ui/TouchLine';
import { count, daysBetween, keyDate, moment } from '../../ui/when';
import { filled, short } from './StepLine';

type Result = Schemas['RehearsalResult'];

/** How often a rehearsal under way is asked how far it is (milliseconds). */
const breath = 700;

/** A program rehearsed over everybody it would start for, beside everything else that is on; nothing is sent. */
export default function RehearsePage() {
  const { id = '' } = useParams();
  const queries = useQueryClient();
  const [until, setUntil] = useState('');
  const [picked, setPicked] = useState<string>();
  const program = useQuery({ queryKey: ['program', id], queryFn: () => take(api.GET('/api/programs/{id}', { params: { path: { id } } })) });
  const draft = program.data?.draft as unknown as { name: string } | undefined;
  useTitle(draft ? `${draft.name}, rehearsed` : 'Rehearsal');
  const state = useQuery({
    queryKey: ['rehearsal', id],
    queryFn: () => take(api.GET('/api/programs/{id}/rehearsal', { params: { path: { id } } })),
    refetchInterval: (q) => (q.state.data?.running ? breath : false),
  });
  const begin = useMutation({
    mutationFn: () => take(api.POST('/api/programs/{id}/rehearsal', { params: { path: { id } }, body: { until: until || null } })),
    onSuccess: (now) => queries.setQueryData(['rehearsal', id], now),
  });
  const stop = useMutation({
    mutationFn: () => take(api.DELETE('/api/programs/{id}/rehearsal', { params: { path: { id } } })),
    onSuccess: () => queries.invalidateQueries({ queryKey: ['rehearsal', id] }),
  });
  if (program.error) {
    return <NotShown title="Programs" error={program.error} to="/programs" all="All programs" />;
  }
  if (!program.data || !draft) return <Loading />;
  const result = state.data?.result;
  const problem = begin.error instanceof ApiError ? begin.error : undefined;
  return (
    <DayPage
      marginTitle="Rehearse it"
      margin={
        <>
          <h3>Rehearse it</h3>
          <form
            onSubmit={(e) => {
              e.preventDefault();
              begin.mutate();
            }}
          >
            <Field label="Until this date" hint="Empty: a year from now." error={problem?.fields.until?.[0]}>
              {(field, by) => (
                <input id={field} aria-describedby={by} type="date" value={until} onChange={(e) => setUntil(e.target.value)} />
              )}
            </Field>
            {problem && !problem.fields.until && (
              <Trouble error={new Error('It cannot be rehearsed yet; what is wrong stands beside each line of the program.')} />
            )}
            <Button type="submit" look="main" disabled={state.data?.running || begin.isPending}>
              {result ? 'Rehearse it again' : 'Rehearse it'}
            </Button>
          </form>
          <p className="mt-3">
            The engine itself is run on a clock of its own, over everybody here, as if those who qualify now were started now and nobody
            reacted. Nothing is sent and nothing is kept.
          </p>
          {picked && (
            <OneLine id={id} person={picked} name={result?.who.find((w) => w.person.id === picked)?.person.name ?? 'them'} until={until} />
          )}
        </>
      }
    >
      <PageHead title={`${draft.name}, rehearsed`} aside={<Link to={`/programs/${id}`}>the program</Link>} />
      {state.data?.running && (
        <div className="px-7 py-3">
          <p role="status" className="mb-2 text-small">
            {state.data.of > 0
              ? `${state.data.done.toLocaleString('en')} of ${state.data.of.toLocaleString('en')} people are done. You can leave this page and come back.`
              : 'Finding out for whom it would start …'}
          </p>
          <ProgressBar
            share={state.data.of > 0 ? Math.round((100 * state.data.done) / state.data.of) : 0}
            label="How far the rehearsal is"
            className="mb-2"
          />
          <Button onClick={() => stop.mutate()}>Stop it</Button>
        </div>
      )}
      {state.data?.trouble && (
        <div className="px-7">
          <Trouble error={new Error(state.data.trouble)} />
        </div>
      )}
      {!result && !state.data?.running && <Empty>It was not rehearsed yet. Say until when, at the right.</Empty>}
      {result && (
        <Found
          result={result}
          before={state.data?.before ?? undefined}
          older={state.data?.draftNumber !== program.data.draftNumber}
          picked={picked}
          pick={setPicked}
        />
      )}
    </DayPage>
  );
}

const kinds: Record<string, [one: string, many: string]> = {
  email: ['email', 'emails'],
  text: ['text', 'texts'],
  call: ['call', 'calls'],
  note: ['note', 'notes'],
};

function Found({
  result,
  before,
  older,
  picked,
  pick,
}: {
  result: Result;
  before?: Result;
  older: boolean;
  picked?: string;
  pick: (person: string) => void;
}) {
  const { zone } = useNow();
  const said = Object.entries(kinds)
    .filter(([kind]) => (result.counts[kind] ?? 0) > 0)
    .map(([kind, [one, many]]) => count(result.counts[kind] ?? 0, one, many));
  const most = Math.max(1, ...result.weeks.map((w) => w.messages + w.calls + w.messagesAnyway + w.callsAnyway));
  const held = result.held.reduce((n, h) => n + h.touches, 0);
  return (
    <>
      <div className="px-7 pb-4 font-serif text-[17px] leading-normal">
        {older && <p className="text-small text-straw">The program was changed since; rehearse it again to see what that does.</p>}
        <p>
          From {moment(result.from, zone)} to {keyDate(result.until.slice(0, 10))} it starts for{' '}
          <b>{count(result.starting, 'person', 'people')}</b> of {result.lookedAt.toLocaleString('en')}.{' '}
          {result.finished.toLocaleString('en')} of them come to its end. It brings {said.length > 0 ? said.join(', ') : 'nothing'}
          {held > 0 && `, and ${count(held, 'touch would not go', 'touches would not go')}`}.
          {result.price != null &&
            ` Its messages cost ${money(result.price, result.currency)}, about ${money((result.price * 30) / Math.max(30, daysBetween(result.from, result.until, 'UTC')), result.currency)} a month.`}
        </p>
        {before && <p className="text-small text-soft">{changes(before, result)}</p>}
      </div>
      <Stretch title="Week by week" note="dark: this program; pale: what goes out anyway" />
      <table className="w-full text-small" aria-label="What goes out, week by week">
        <thead>
          <tr className="text-left text-soft">
            <th scope="col" className="py-1 pr-3 pl-7 font-normal">
              Week of
            </th>
            <th scope="col" className="py-1 pr-3 text-right font-normal">
              messages
            </th>
            <th scope="col" className="py-1 pr-3 text-right font-normal">
              calls
            </th>
            <th scope="col" className="py-1 pr-3 text-right font-normal">
              anyway
            </th>
            <td className="w-1/2 pr-7" />
          </tr>
        </thead>
        <tbody>
          {result.weeks.map((w) => {
            const [here, anyway] = [w.messages + w.calls, w.messagesAnyway + w.callsAnyway];
            return (
              <tr key={w.begins} className="border-t border-rule">
                <th scope="row" className="py-1 pr-3 pl-7 text-left font-normal whitespace-nowrap">
                  {keyDate(w.begins)}
                </th>
                <td className="py-1 pr-3 text-right tabular-nums">{w.messages || ''}</td>
                <td className="py-1 pr-3 text-right tabular-nums">{w.calls || ''}</td>
                <td className="py-1 pr-3 text-right text-soft tabular-nums">{anyway || ''}</td>
                <td className="py-1 pr-7" aria-hidden="true">
                  <span className="flex h-2.5">
                    <span className="bg-leaf" style={{ width: `${(100 * here) / most}%` }} />
                    <span className="bg-rule" style={{ width: `${(100 * anyway) / most}%` }} />
                  </span>
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
      {result.members.length > 0 && (
        <>
          <Stretch title="Calls" note="against what each can make" />
          <ul className="m-0 list-none p-0" aria-label="Calls by member">
            {result.members.map((m) => (
              <li key={m.name} className="row">
                <b className="font-semibold">{m.name}</b>: {count(m.calls, 'call', 'calls')} of this program, {m.anyway} anyway.
                {m.over.length > 0 ? (
                  <span className="block text-small text-straw">
                    More than they can make on {m.over.map((o) => `${keyDate(o.day)} (${o.calls})`).join(', ')}
                  </span>
                ) : (
                  <span className="block text-small text-soft">Each day holds what it has to.</span>
                )}
              </li>
            ))}
          </ul>
        </>
      )}
      <Stretch title="Held back" note={held === 0 ? 'nothing' : 'who, and why'} />
      <ul className="m-0 list-none p-0" aria-label="Held back">
        {result.held.map((h) => (
          <li key={h.reason} className="row">
            <span className="gutter text-ember">{h.count}</span>
            <b className="font-semibold">{h.reason[0]?.toUpperCase() + h.reason.slice(1)}</b>{' '}
            <span className="text-small text-soft">{count(h.touches, 'touch', 'touches')}</span>
            <span className="block text-small">
              {h.people.map((p, i) => (
                <span key={p.id}>
                  {i > 0 && ', '}
                  <Link to={`/people/${p.id}`}>{p.name}</Link>
                </span>
              ))}
              {h.count > h.people.length && ` and ${(h.count - h.people.length).toLocaleString('en')} more`}
            </span>
          </li>
        ))}
      </ul>
      <Stretch
        title="Who gets it"
        note={result.starting > result.who.length ? `the first ${result.who.length} by name` : 'by name; a name opens their own line'}
      />
      <ul className="m-0 list-none p-0" aria-label="Who gets it">
        {result.who.map((w) => (
          <li key={w.person.id} className={`row !py-1.5 ${picked === w.person.id ? 'on' : ''}`}>
            <button
              type="button"
              className="inline-flex min-h-6 items-center font-semibold hover:underline"
              aria-pressed={picked === w.person.id}
              onClick={() => pick(w.person.id)}
            >
              {w.person.name}
            </button>{' '}
            <span className="text-small text-soft">
              gets {w.touches}
              {w.heldBack > 0 && `, ${w.heldBack} would not go`}
            </span>
          </li>
        ))}
      </ul>
    </>
  );
}

/** What is otherwise than the last time. */
function changes(before: Result, now: Result) {
  const parts = [
    difference(now.starting - before.starting, 'person', 'people'),
    ...Object.entries(kinds).map(([kind, [one, many]]) => difference((now.counts[kind] ?? 0) - (before.counts[kind] ?? 0), one, many)),
  ].filter(Boolean);
  return parts.length === 0 ? 'As the last time.' : `Against the last time: ${parts.join(', ')}.`;
}

const difference = (n: number, one: string, many: string) =>
  n === 0 ? '' : `${count(Math.abs(n), one, many)} ${n > 0 ? 'more' : 'fewer'}`;

/** One person's own line: what comes for them, of this program and of the others. */
function OneLine({ id, person, name, until }: { id: string; person: string; name: string; until: string }) {
  const { zone, now } = useNow();
  const line = useQuery({
    queryKey: ['rehearsal-line', id, person, until],
    queryFn: () =>
      take(api.GET('/api/programs/{id}/rehearsal/{person}', { params: { path: { id, person }, query: { until: until || undefined } } })),
  });
  if (!line.data) return line.error ? <Trouble error={line.error} /> : <Loading />;
  return (
    <>
      <h3 className="mt-4">What comes for {name}</h3>
      <p>
        <Link to={`/people/${person}`}>their page</Link>
      </p>
      <ol className="m-0 list-none p-0" aria-label={`What comes for ${name}`}>
        {line.data.map((t) => (
          <li key={`${t.at}${t.program}${t.stepId}`} className={`border-t border-rule py-1 ${t.here ? 'text-ink' : 'text-soft'}`}>
            <span className="inline-flex items-baseline gap-1.5">
              <StepMark kind={t.kind} color={t.willNot ? 'var(--ember)' : t.here ? 'var(--leaf)' : 'var(--ink-soft)'} />
              {moment(t.at, zone, now)}
            </span>
            <span className="block font-serif">{short(filled(t.what, name))}</span>
            {!t.here && <span className="block">“{t.program}”</span>}
            {t.willNot && <span className="block text-ember">{t.willNot}</span>}
          </li>
        ))}
      </ol>
    </>
  );
}
