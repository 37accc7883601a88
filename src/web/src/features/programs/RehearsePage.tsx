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
import { daysBetween, keyDate, moment } from '../../ui/when';
import { phrase, quoted } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';
import { howMany } from './howMany';
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
  useTitle(draft ? phrase('{draft}, rehearsed', { draft: draft.name }) : phrase('Rehearsal'));
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
    return <NotShown title={phrase('Programs')} error={program.error} to="/programs" all={phrase('All programs')} />;
  }
  if (!program.data || !draft) return <Loading />;
  const result = state.data?.result;
  const problem = begin.error instanceof ApiError ? begin.error : undefined;
  return (
    <DayPage
      marginTitle={phrase('Rehearse it')}
      margin={
        <>
          <h3>{phrase('Rehearse it')}</h3>
          <form
            onSubmit={(e) => {
              e.preventDefault();
              begin.mutate();
            }}
          >
            <Field label={phrase('Until this date')} hint={phrase('Empty: a year from now.')} error={problem?.fields.until?.[0]}>
              {(field, by) => (
                <input id={field} aria-describedby={by} type="date" value={until} onChange={(e) => setUntil(e.target.value)} />
              )}
            </Field>
            {problem && !problem.fields.until && (
              <Trouble error={new Error(phrase('It cannot be rehearsed yet; what is wrong stands beside each line of the program.'))} />
            )}
            <Button type="submit" look="main" disabled={state.data?.running || begin.isPending}>
              {result ? phrase('Rehearse it again') : phrase('Rehearse it')}
            </Button>
          </form>
          <p className="mt-3">
            {phrase(
              'The engine itself is run on a clock of its own, over everybody here, as if those who qualify now were started now and nobody reacted. Nothing is sent and nothing is kept.',
            )}
          </p>
          {picked && (
            <OneLine
              id={id}
              person={picked}
              name={result?.who.find((w) => w.person.id === picked)?.person.name ?? phrase('them')}
              until={until}
            />
          )}
        </>
      }
    >
      <PageHead
        title={phrase('{draft}, rehearsed', { draft: draft.name })}
        aside={<Link to={`/programs/${id}`}>{phrase('the program')}</Link>}
      />
      {state.data?.running && (
        <div className="px-7 py-3">
          <p role="status" className="mb-2 text-small">
            {state.data.of > 0
              ? phrase('{done, number} of {of, number} people are done. You can leave this page and come back.', {
                  done: state.data.done,
                  of: state.data.of,
                })
              : phrase('Finding out for whom it would start …')}
          </p>
          <ProgressBar
            share={state.data.of > 0 ? Math.round((100 * state.data.done) / state.data.of) : 0}
            label={phrase('How far the rehearsal is')}
            className="mb-2"
          />
          <Button onClick={() => stop.mutate()}>{phrase('Stop it')}</Button>
        </div>
      )}
      {state.data?.trouble && (
        <div className="px-7">
          <Trouble error={new Error(state.data.trouble)} />
        </div>
      )}
      {!result && !state.data?.running && <Empty>{phrase('It was not rehearsed yet. Say until when, at the right.')}</Empty>}
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

/** What a rehearsal counts. */
const kinds = ['email', 'text', 'call', 'note'];

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
  const said = kinds.filter((kind) => (result.counts[kind] ?? 0) > 0).map((kind) => howMany[kind]?.(result.counts[kind] ?? 0) ?? kind);
  const most = Math.max(1, ...result.weeks.map((w) => w.messages + w.calls + w.messagesAnyway + w.callsAnyway));
  const held = result.held.reduce((n, h) => n + h.touches, 0);
  return (
    <>
      <div className="px-7 pb-4 font-serif text-[17px] leading-normal">
        {older && (
          <p className="text-small text-straw">{phrase('The program was changed since; rehearse it again to see what that does.')}</p>
        )}
        <p>
          <Sentence
            m="From {from} to {until} it starts for <b>{starting, plural, one {# person} other {# people}}</b> of {lookedAt, number}. {finished, number} of them come to its end. It brings {said}{held}.{price}"
            v={{
              from: moment(result.from, zone),
              until: keyDate(result.until.slice(0, 10)),
              starting: result.starting,
              b: (c) => <b>{c}</b>,
              lookedAt: result.lookedAt,
              finished: result.finished,
              said: said.length > 0 ? said.join(', ') : phrase('nothing'),
              held: held > 0 && phrase(', and {held, plural, one {# touch would not go} other {# touches would not go}}', { held }),
              price:
                result.price != null &&
                phrase(' Its messages cost {price}, about {currency} a month.', {
                  price: money(result.price, result.currency),
                  currency: money((result.price * 30) / Math.max(30, daysBetween(result.from, result.until, 'UTC')), result.currency),
                }),
            }}
          />
        </p>
        {before && <p className="text-small text-soft">{changes(before, result)}</p>}
      </div>
      <Stretch title={phrase('Week by week')} note={phrase('dark: this program; pale: what goes out anyway')} />
      <table className="w-full text-small" aria-label={phrase('What goes out, week by week')}>
        <thead>
          <tr className="text-left text-soft">
            <th scope="col" className="py-1 pr-3 pl-7 font-normal">
              {phrase('Week of')}
            </th>
            <th scope="col" className="py-1 pr-3 text-right font-normal">
              {phrase('messages')}
            </th>
            <th scope="col" className="py-1 pr-3 text-right font-normal">
              {phrase('calls')}
            </th>
            <th scope="col" className="py-1 pr-3 text-right font-normal">
              {phrase('anyway')}
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
          <Stretch title={phrase('Calls')} note={phrase('against what each can make')} />
          <ul className="m-0 list-none p-0" aria-label={phrase('Calls by member')}>
            {result.members.map((m) => (
              <li key={m.name} className="row">
                <Sentence
                  m="{b}: {calls, plural, one {# call} other {# calls}} of this program, {anyway, number} anyway.{over}"
                  v={{
                    b: <b className="font-semibold">{m.name}</b>,
                    calls: m.calls,
                    anyway: m.anyway,
                    over:
                      m.over.length > 0 ? (
                        <span className="block text-small text-straw">
                          {phrase('More than they can make on {over}', {
                            over: m.over.map((o) => `${keyDate(o.day)} (${o.calls})`).join(', '),
                          })}
                        </span>
                      ) : (
                        <span className="block text-small text-soft">{phrase('Each day holds what it has to.')}</span>
                      ),
                  }}
                />
              </li>
            ))}
          </ul>
        </>
      )}
      <Stretch title={phrase('Held back')} note={held === 0 ? phrase('nothing') : phrase('who, and why')} />
      <ul className="m-0 list-none p-0" aria-label={phrase('Held back')}>
        {result.held.map((h) => (
          <li key={h.reason} className="row">
            <span className="gutter text-ember">{h.count}</span>
            <b className="font-semibold">{h.reason[0]?.toUpperCase() + h.reason.slice(1)}</b>{' '}
            <span className="text-small text-soft">
              {phrase('{touches, plural, one {# touch} other {# touches}}', { touches: h.touches })}
            </span>
            <span className="block text-small">
              {h.people.map((p, i) => (
                <span key={p.id}>
                  {i > 0 && ', '}
                  <Link to={`/people/${p.id}`}>{p.name}</Link>
                </span>
              ))}
              {h.count > h.people.length && phrase(' and {count, number} more', { count: h.count - h.people.length })}
            </span>
          </li>
        ))}
      </ul>
      <Stretch
        title={phrase('Who gets it')}
        note={
          result.starting > result.who.length
            ? phrase('the first {who, number} by name', { who: result.who.length })
            : phrase('by name; a name opens their own line')
        }
      />
      <ul className="m-0 list-none p-0" aria-label={phrase('Who gets it')}>
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
              <Sentence
                m="gets {touches, number}{heldBack}"
                v={{
                  touches: w.touches,
                  heldBack: w.heldBack > 0 && phrase(', {heldBack, number} would not go', { heldBack: w.heldBack }),
                }}
              />
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
    difference(now.starting - before.starting, (n) => phrase('{n, plural, one {# person} other {# people}}', { n })),
    ...kinds.map((kind) => difference((now.counts[kind] ?? 0) - (before.counts[kind] ?? 0), howMany[kind] ?? String)),
  ].filter(Boolean);
  return parts.length === 0 ? phrase('As the last time.') : phrase('Against the last time: {parts}.', { parts: parts.join(', ') });
}

const difference = (n: number, say: (n: number) => string) =>
  n === 0 ? '' : n > 0 ? phrase('{what} more', { what: say(n) }) : phrase('{what} fewer', { what: say(-n) });

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
      <h3 className="mt-4">{phrase('What comes for {name}', { name })}</h3>
      <p>
        <Link to={`/people/${person}`}>{phrase('their page')}</Link>
      </p>
      <ol className="m-0 list-none p-0" aria-label={phrase('What comes for {name}', { name })}>
        {line.data.map((t) => (
          <li key={`${t.at}${t.program}${t.stepId}`} className={`border-t border-rule py-1 ${t.here ? 'text-ink' : 'text-soft'}`}>
            <span className="inline-flex items-baseline gap-1.5">
              <StepMark kind={t.kind} color={t.willNot ? 'var(--ember)' : t.here ? 'var(--leaf)' : 'var(--ink-soft)'} />
              {moment(t.at, zone, now)}
            </span>
            <span className="block font-serif">{short(filled(t.what, name))}</span>
            {!t.here && <span className="block">{quoted(t.program)}</span>}
            {t.willNot && <span className="block text-ember">{t.willNot}</span>}
          </li>
        ))}
      </ol>
    </>
  );
}
