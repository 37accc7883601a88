import { keepPreviousData, useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Link, useParams } from 'react-router';
import { toast } from 'sonner';
import { api, type Schemas, take } from '../../api/client';
import { useMay } from '../../app/session';
import { Button, Field, fieldError, Loading, Trouble } from '../../ui/bits';
import { DayPage, PageHead, Stretch, useTitle } from '../../ui/DayPage';
import { NotShown } from '../../ui/NotShown';
import { span } from '../../ui/span';
import { TableBehind } from '../../ui/TableBehind';
import { monthOf } from '../../ui/when';
import { codeWord } from '../../words/codes';
import { locale, phrase } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';
import { GoalFields } from '../broadcasts/GoalFields';
import { goals, numberNames } from '../broadcasts/plan';
import { percent, ShareBar } from '../broadcasts/ShareBar';
import { filled } from './StepLine';

type Results = Schemas['ProgramResultsDto'];
type Asked = { version?: number; goal: string; what: string; within: string };

/** What a program did: who stands where, step by step, how soon people answer, and what can be said of its effect. */
export default function ResultsPage() {
  const { id = '' } = useParams();
  const [asked, setAsked] = useState<Asked>({ goal: 'won', what: '', within: 'P90D' });
  const found = useQuery({
    queryKey: ['program', id, 'results', asked],
    placeholderData: keepPreviousData,
    retry: false,
    queryFn: () => take(api.GET('/api/programs/{id}/results', { params: { path: { id }, query: asked } })),
  });
  useTitle(found.data ? phrase('{data}, its results', { data: found.data.name }) : phrase('Results'));
  if (!found.data) {
    return found.error ? (
      <NotShown title={phrase('Programs')} error={found.error} to="/programs" all={phrase('All programs')} />
    ) : (
      <Loading what={phrase('Counting')} />
    );
  }
  const results = found.data;
  return (
    <DayPage
      marginTitle={phrase('What is counted')}
      margin={<Margin id={id} results={results} asked={asked} set={setAsked} error={found.error} />}
    >
      <PageHead
        title={phrase('{results}, its results', { results: results.name })}
        aside={<Link to={`/programs/${id}`}>{phrase('the program')}</Link>}
      />
      <Standing runs={results.runs} />
      <WhatFollowed lift={results.lift} />
      <Steps results={results} />
      <Forks forks={results.forks} />
      {results.calls.made > 0 && <Calls calls={results.calls} />}
      <Answers results={results} />
      <Months months={results.months} />
      <Beside id={id} results={results} asked={asked} />
    </DayPage>
  );
}

function Standing({ runs }: { runs: Results['runs'] }) {
  const stopped = runs.stopped.reduce((n, r) => n + r.number, 0);
  return (
    <div className="px-7 pb-3 font-serif text-[17px] leading-relaxed max-[699px]:px-4">
      <Sentence
        m="It began <b>{started, plural, one {# time} other {# times}}</b>: {going, number} are on it{paused}, {finished, number} came to its end{stopped}{waiting}.{stopped2}{refused}"
        v={{
          started: runs.started,
          b: (c) => <b>{c}</b>,
          going: runs.going,
          paused: runs.paused > 0 && phrase(' ({paused, number} of them held)', { paused: runs.paused }),
          finished: runs.finished,
          stopped: stopped > 0 && phrase(', for {stopped, number} it was stopped', { stopped }),
          waiting: runs.waiting > 0 && phrase(', {waiting, number} wait for their turn', { waiting: runs.waiting }),
          stopped2: runs.stopped.length > 0 && (
            <span className="block text-small text-soft">
              {phrase('Stopped: {stopped}', {
                stopped: runs.stopped.map((r) => `${r.text} ${r.number.toLocaleString(locale())}`).join(' · '),
              })}
            </span>
          ),
          refused: runs.refused.length > 0 && (
            <span className="block text-small text-soft">
              {phrase('Did not begin: {refused}', {
                refused: runs.refused.map((r) => `${r.text} ${r.number.toLocaleString(locale())}`).join(' · '),
              })}
            </span>
          ),
        }}
      />
    </div>
  );
}

function WhatFollowed({ lift }: { lift: Results['lift'] }) {
  const words = goals.find(([k]) => k === lift.goal)?.[1] ?? lift.goal;
  return (
    <section aria-label={phrase('What followed')}>
      <Stretch
        title={phrase('What followed')}
        note={phrase('{words}{what}, within {within} of the start, of those whose time is over', {
          words,
          what: lift.what ? ` (${lift.what})` : '',
          within: span(lift.within),
        })}
      />
      <table className="w-full text-small" aria-label={phrase('What followed')}>
        <tbody>
          {[
            [phrase('on it'), lift.onIt],
            [phrase('held out'), lift.heldOut],
          ].map(([name, line]) =>
            line && typeof line !== 'string' ? (
              <tr key={line.what} className="border-t border-rule">
                <th scope="row" className="py-1.5 pr-3 pl-7 text-left font-normal max-[699px]:pl-4">
                  {String(name)}
                </th>
                <td className="py-1.5 pr-3 text-right whitespace-nowrap tabular-nums">
                  {phrase('{number, number} of {of, number}', { number: line.number, of: line.of })}
                </td>
                <td className="py-1.5 pr-7 max-[699px]:hidden">{line.of > 0 && <ShareBar line={line} />}</td>
              </tr>
            ) : null,
          )}
        </tbody>
      </table>
      <p className="px-7 py-2 max-[699px]:px-4">
        {typeof lift.difference === 'number' && typeof lift.low === 'number' && typeof lift.high === 'number' && (
          <Sentence
            m="The difference is {b}, between {low} and {high}, 19 times in 20. "
            v={{ b: <b>{signed(lift.difference)}</b>, low: signed(lift.low), high: signed(lift.high) }}
          />
        )}
        {lift.says}
      </p>
    </section>
  );
}

const signed = (share: number) =>
  phrase('{share}{value} points', {
    share: share > 0 ? '+' : share < 0 ? '−' : '',
    value: (100 * Math.abs(share)).toLocaleString(locale(), { minimumFractionDigits: 1, maximumFractionDigits: 1 }),
  });

function Steps({ results }: { results: Results }) {
  return (
    <section aria-label={phrase('Step by step')}>
      <Stretch title={phrase('Step by step')} note={phrase('of those that arrived')} />
      <p className="px-7 pb-1 text-small text-soft max-[699px]:px-4">{results.weakestSays}</p>
      <div>
        <table className="w-full text-small" aria-label={phrase('Step by step')}>
          <Heads
            of={[phrase('step'), phrase('went'), phrase('opened'), phrase('followed'), phrase('answered'), phrase('said no')]}
            narrow={3}
          />
          <tbody>
            {results.steps.map((s) => (
              <tr key={s.stepId} className={`border-t border-rule ${s.stepId === results.weakest ? 'bg-ember-pale' : ''}`}>
                <th scope="row" className="max-w-72 py-1.5 pr-3 pl-7 text-left font-normal max-[699px]:pl-4">
                  <span className="font-serif">{filled(s.name)}</span> <span className="text-soft">{codeWord(s.kind)}</span>
                </th>
                <td className="pr-4 text-right tabular-nums">{s.sent.toLocaleString(locale())}</td>
                {['opened', 'followed', 'answered', 'opted-out'].map((what) => {
                  const line = s.lines.find((l) => l.what === what);
                  return (
                    <td
                      key={what}
                      className={`pr-4 text-right whitespace-nowrap tabular-nums ${what === 'opened' ? '' : 'max-[699px]:hidden'}`}
                      title={
                        line && line.of > 0
                          ? phrase('{number, number} of {of, number}, {numberNames}; between {low} and {high}, 19 times in 20', {
                              number: line.number,
                              of: line.of,
                              numberNames: numberNames[what] ?? what,
                              low: percent(line.low),
                              high: percent(line.high),
                            })
                          : undefined
                      }
                    >
                      {!line || line.of === 0 ? (
                        ''
                      ) : what === 'opened' ? (
                        <ShareBar line={line} />
                      ) : line.number > 0 ? (
                        `${line.number} (${percent(line.share)})`
                      ) : (
                        ''
                      )}
                    </td>
                  );
                })}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </section>
  );
}

const besideNames: Record<string, string> = {
  goal: phrase('what is counted came'),
  finished: phrase('came to its end, of those that ended'),
  reached: phrase('reached, of calls made'),
  opened: phrase('opened by people'),
  followed: phrase('followed a link'),
  answered: phrase('answered'),
  'opted-out': phrase('said no'),
};

/** Another program, or two versions of this one, beside each other: what can be told apart, and why it may not be the words. */
function Beside({ id, results, asked }: { id: string; results: Results; asked: Asked }) {
  const [other, setOther] = useState('');
  const programs = useQuery({ queryKey: ['programs'], queryFn: () => take(api.GET('/api/programs')) });
  const version = /^v(\d+)$/.exec(other)?.[1];
  const found = useQuery({
    queryKey: ['program', id, 'beside', asked, other],
    enabled: other !== '',
    retry: false,
    queryFn: () =>
      take(
        api.GET('/api/programs/{id}/results/beside', {
          params: { path: { id }, query: version ? { ...asked, otherVersion: Number(version) } : { ...asked, other } },
        }),
      ),
  });
  const others = (programs.data ?? []).filter((p) => p.id !== id && p.version > 0);
  const versions = asked.version === undefined ? [] : results.versions.filter((v) => v !== asked.version);
  if (others.length === 0 && versions.length === 0) return null;
  const beside = other === '' ? undefined : found.data;
  return (
    <section aria-label={phrase('Beside another')} className="pb-8">
      <Stretch
        title={phrase('Beside another')}
        note={
          <select aria-label={phrase('Beside which')} value={other} onChange={(e) => setOther(e.target.value)} className="max-w-64">
            <option value="">{phrase('choose what to compare it with')}</option>
            {versions.map((v) => (
              <option key={v} value={`v${v}`}>
                {phrase('version {v, number} of it', { v })}
              </option>
            ))}
            {others.map((p) => (
              <option key={p.id} value={p.id}>
                {p.name}
              </option>
            ))}
          </select>
        }
      />
      <div className="px-7 max-[699px]:px-4">
        <Trouble error={found.error} />
      </div>
      {beside && <p className="px-7 pb-2 max-[699px]:px-4">{beside.says}</p>}
      {beside && beside.lines.length + beside.steps.length > 0 && (
        <table className="w-full text-small" aria-label={phrase('Beside another')}>
          <Heads of={['what', beside.one, beside.other, 'difference']} />
          <tbody>
            {[...beside.lines, ...beside.steps].map((l) => (
              <tr key={l.what} className="border-t border-rule">
                <th scope="row" className={`py-1.5 pr-3 pl-7 text-left max-[699px]:pl-4 ${l.told ? 'font-semibold' : 'font-normal'}`}>
                  {besideNames[l.what] ?? filled(l.what)}
                </th>
                {[l.one, l.other].map((line, i) => (
                  <td key={i} className="pr-4 text-right tabular-nums max-[699px]:pr-3">
                    {percent(line.share)}
                    <span className="block text-soft">
                      {phrase('{number, number} of {of, number}', { number: line.number, of: line.of })}
                    </span>
                  </td>
                ))}
                <td className="pr-7 text-right tabular-nums max-[699px]:pr-4">
                  {l.told ? <b className="font-semibold">{signed(l.difference)}</b> : phrase('not told apart')}
                  <span className="block text-soft">{phrase('{low} to {high}', { low: signed(l.low), high: signed(l.high) })}</span>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </section>
  );
}

/**
 * The heads of a table: the first names the lines, the others stand over numbers.
 * @param bar whether there is room for a bar behind them
 * @param narrow how many of them a narrow screen shows; all where nothing is said
 */
function Heads({ of, bar, narrow = of.length }: { of: string[]; bar?: boolean; narrow?: number }) {
  return (
    <thead>
      <tr className="text-soft">
        {of.map((h, i) => (
          <th
            key={h}
            scope="col"
            className={`py-1 font-normal ${i === 0 ? 'pr-3 pl-7 text-left max-[699px]:pl-4' : 'pr-4 text-right max-[699px]:pr-3'} ${i < narrow ? '' : 'max-[699px]:hidden'}`}
          >
            {h}
          </th>
        ))}
        {bar && <td className="w-1/3 pr-7 max-[699px]:hidden" />}
      </tr>
    </thead>
  );
}

function Forks({ forks }: { forks: Results['forks'] }) {
  if (forks.length === 0) return null;
  return (
    <section aria-label={phrase('Forks')}>
      <Stretch title={phrase('Forks')} note={phrase('how many went which way')} />
      <ul className="m-0 list-none p-0">
        {forks.map((f) => (
          <li key={f.stepId} className="row !py-1.5">
            {f.stepId}:{' '}
            {f.ways.length > 0 ? f.ways.map((w) => `${w.text} ${w.number.toLocaleString(locale())}`).join(' · ') : phrase('nobody yet')}
          </li>
        ))}
      </ul>
    </section>
  );
}

function Calls({ calls }: { calls: Results['calls'] }) {
  return (
    <section aria-label={phrase('Calls')}>
      <Stretch title={phrase('Calls')} note={phrase('{made, plural, one {# call was} other {# calls were}} made', { made: calls.made })} />
      <table className="w-full text-small" aria-label={phrase('How calls ended')}>
        <tbody>
          {calls.outcomes.map((o) => (
            <tr key={o.what} className="border-t border-rule">
              <th scope="row" className="py-1.5 pr-3 pl-7 text-left font-normal max-[699px]:pl-4">
                {o.what}
              </th>
              <td className="py-1.5 pr-3 text-right tabular-nums">{o.number.toLocaleString(locale())}</td>
              <td className="py-1.5 pr-7 max-[699px]:hidden">{o.of > 0 && <ShareBar line={o} />}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}

const [width, height, foot] = [640, 130, 18];

/** How soon people answer: by so many days after the start, what share has; the band is where the true share lies. */
function Answers({ results }: { results: Results }) {
  const points = results.answers;
  const last = Math.max(1, points.at(-1)?.day ?? 1);
  const top = Math.max(0.05, ...points.map((p) => p.high));
  const x = (day: number) => (width * day) / last;
  const y = (share: number) => (height - foot) * (1 - share / top);
  const steps = (of: (p: (typeof points)[number]) => number) =>
    points.reduce((path, p) => `${path} H${x(p.day).toFixed(1)} V${y(of(p)).toFixed(1)}`, `M0 ${y(0)}`);
  return (
    <section aria-label={phrase('How soon they answer')}>
      <Stretch
        title={phrase('How soon they answer')}
        note={
          points.length === 0
            ? phrase('too few yet to draw a curve')
            : results.answerDays !== null && results.answerDays !== undefined
              ? phrase('half have within {answerDays, plural, one {# day} other {# days}}', { answerDays: results.answerDays })
              : phrase('fewer than half ever do')
        }
      />
      {points.length > 0 && (
        <div className="px-7 pb-4 max-[699px]:px-4">
          <svg
            viewBox={`0 0 ${width} ${height}`}
            className="block w-full max-w-[720px]"
            role="img"
            aria-label={phrase('Answered within {last, number} days: {percent}', { last, percent: percent(points.at(-1)?.share ?? 0) })}
          >
            <path d={steps((p) => p.high)} fill="none" stroke="var(--leaf)" opacity="0.35" />
            <path d={steps((p) => p.low)} fill="none" stroke="var(--leaf)" opacity="0.35" />
            <path d={steps((p) => p.share)} fill="none" stroke="var(--leaf)" strokeWidth="2" />
            <line x1="0" x2={width} y1={height - foot + 0.5} y2={height - foot + 0.5} stroke="var(--ink)" />
            <text x="0" y={height - 4} fontSize="11" fill="var(--ink-soft)">
              {phrase('start')}
            </text>
            <text x={width} y={height - 4} fontSize="11" textAnchor="end" fill="var(--ink-soft)">
              {phrase('day {last, number}', { last })}
            </text>
            <text x="2" y="11" fontSize="11" fill="var(--ink-soft)">
              {percent(top)}
            </text>
          </svg>
          <TableBehind
            words={phrase('the curve as a table')}
            heads={[phrase('day'), phrase('answered'), phrase('at least'), phrase('at most')]}
            rows={points.map((p) => [String(p.day), percent(p.share), percent(p.low), percent(p.high)])}
          />
        </div>
      )}
    </section>
  );
}

function Months({ months }: { months: Results['months'] }) {
  if (months.length === 0) return null;
  const most = Math.max(1, ...months.map((m) => m.started));
  return (
    <section aria-label={phrase('Over time')}>
      <Stretch title={phrase('Over time')} note={phrase('began, came to the end, was stopped')} />
      <table className="mb-6 w-full text-small" aria-label={phrase('Over time')}>
        <Heads of={[phrase('month'), phrase('began'), phrase('finished'), phrase('stopped')]} bar />
        <tbody>
          {months.map((m) => (
            <tr key={m.month} className="border-t border-rule">
              <th scope="row" className="py-0.5 pr-3 pl-7 text-left font-normal max-[699px]:pl-4">
                {monthOf(m.month)}
              </th>
              {[m.started, m.finished, m.stopped].map((n, i) => (
                <td key={i} className="pr-4 text-right tabular-nums">
                  {n || ''}
                </td>
              ))}
              <td className="pr-7 max-[699px]:hidden" aria-hidden="true">
                <span className="block h-2 bg-leaf" style={{ width: `${(100 * m.started) / most}%` }} />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}

function Margin({
  id,
  results,
  asked,
  set,
  error,
}: {
  id: string;
  results: Results;
  asked: Asked;
  set: (a: Asked) => void;
  error: unknown;
}) {
  const queries = useQueryClient();
  const may = useMay('switch-programs');
  const hold = useMutation({
    mutationFn: (share: number) => take(api.PUT('/api/programs/{id}/hold-out', { params: { path: { id } }, body: { percent: share } })),
    onSuccess: (answer) => {
      queries.invalidateQueries({ queryKey: ['program', id] });
      toast(
        answer.percent > 0
          ? phrase('From now on {percent, number} in a hundred are held out.', { percent: answer.percent })
          : phrase('Nobody is held out any more.'),
      );
    },
  });
  return (
    <>
      <h3>{phrase('What is counted')}</h3>
      <GoalFields
        goal={{ kind: asked.goal, what: asked.what, within: asked.within }}
        set={(g) => g && set({ ...asked, goal: g.kind, what: g.what, within: g.within })}
        within={phrase('Within so long of the start')}
        wrong={fieldError(error, 'what')}
      />
      {results.versions.length > 1 && (
        <Field label={phrase('Which version')}>
          {(field) => (
            <select
              id={field}
              className="w-full"
              value={asked.version ?? ''}
              onChange={(e) => set({ ...asked, version: e.target.value ? Number(e.target.value) : undefined })}
            >
              <option value="">{phrase('all together')}</option>
              {results.versions.map((v) => (
                <option key={v} value={v}>
                  {phrase('version {v, number}', { v })}
                </option>
              ))}
            </select>
          )}
        </Field>
      )}
      {!fieldError(error, 'what') && <Trouble error={error} />}
      <h3 className="mt-4">{phrase('Held out')}</h3>
      <p>
        {results.holdOut > 0
          ? phrase('{holdOut, number} in a hundred get nothing of it, by chance: what comes of them would have come anyway.', {
              holdOut: results.holdOut,
            })
          : phrase('Nobody is held out, so that nobody knows what would have come anyway.')}
      </p>
      {may && (
        <p className="mt-2">
          <Button
            look={results.holdOut > 0 ? 'plain' : 'main'}
            disabled={hold.isPending}
            onClick={() => hold.mutate(results.holdOut > 0 ? 0 : 10)}
          >
            {results.holdOut > 0 ? phrase('hold nobody out from now on') : phrase('Hold 10 in a hundred out from now on')}
          </Button>
        </p>
      )}
      <Trouble error={hold.error} />
    </>
  );
}
