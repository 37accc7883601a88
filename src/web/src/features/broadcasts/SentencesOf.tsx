import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { api, take } from '../../api/client';
import { useNow } from '../../app/session';
import { Button, Field } from '../../ui/bits';
import { date, nextDay } from '../../ui/when';
import { phrase } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';
import { WhoField } from '../people/WhoField';
import { Say, SayOneOf } from '../programs/Say';
import { waysLeft } from './BroadcastWriting';
import { type Broadcast, deeds, type Plan, sayTo, sayWays, sayWhen, type Way, wayNames } from './plan';

type Part = { plan: Plan; set: (part: Partial<Plan>) => void; broadcast: Broadcast };

/** The four sentences: to whom, what, by which ways, when. What is wrong with one stands below it. */
export function SentencesOf(props: Part) {
  const { plan, broadcast } = props;
  const wrong = (...pointers: string[]) =>
    broadcast.findings
      .filter((f) => pointers.some((p) => f.pointer === p || f.pointer.startsWith(`${p}/`)))
      .map((f) => (
        <span key={f.pointer + f.message} className={`block text-small ${f.isWarning ? 'text-straw' : 'text-ember'}`}>
          {f.message}
        </span>
      ));
  const first = plan.ways[0];
  return (
    <div className="font-serif text-[19px] leading-[1.7]">
      <div>
        <ToWhom {...props} />
        {wrong('/to', '/with', '/without', '/partOf')}
      </div>
      <div>
        <Sentence
          m="What {first}."
          v={{
            first: !first ? (
              <span className="text-soft">{phrase('nothing is written yet: say by which way it goes')}</span>
            ) : first.letter ? (
              phrase('the letter “{letter}”, as it stands below', { letter: first.letter })
            ) : (
              <Sentence m="the words below{subject}" v={{ subject: first.subject && <>: “{first.subject}”</> }} />
            ),
          }}
        />
      </div>
      <div>
        <ByWay {...props} />
        {plan.ways.length === 0 && wrong('/ways')}
      </div>
      <div>
        <WhenItGoes {...props} />
        {wrong('/when')}
      </div>
    </div>
  );
}

function ToWhom({ plan, set, broadcast }: Part) {
  const { to } = plan;
  const segments = useQuery({ queryKey: ['segments'], queryFn: () => take(api.GET('/api/segments')) });
  const lists = useQuery({ queryKey: ['lists'], queryFn: () => take(api.GET('/api/lists')) });
  const earlier = useQuery({ queryKey: ['broadcasts'], queryFn: () => take(api.GET('/api/broadcasts')) });
  const gone = earlier.data?.filter((b) => b.people !== null && b.id !== broadcast.id) ?? [];
  const kinds = [
    ['segment', phrase('a segment')],
    ['list', phrase('a list')],
    ['people', phrase('people I pick')],
    ...(gone.length > 0 || to.kind === 'recipients' ? [['recipients', phrase('those who got an earlier broadcast')]] : []),
  ];
  const name = (id: string) => broadcast.names.find((n) => n.id === id)?.name ?? '…';
  return (
    <Sentence
      m="To {to}, {without}, {with}."
      v={{
        to: (
          <Say
            live
            words={sayTo(to, gone.find((b) => b.id === to.broadcast)?.name ?? broadcast.earlier)}
            label={phrase('To whom: {to}', { to: sayTo(to, broadcast.earlier) })}
          >
            {(close) => (
              <>
                <Field label={phrase('To')}>
                  {(id) => (
                    <select
                      id={id}
                      className="w-full"
                      value={to.kind}
                      onChange={(e) => set({ to: { ...to, kind: e.target.value, name: '' } })}
                    >
                      {kinds.map(([k, words]) => (
                        <option key={k} value={k}>
                          {words}
                        </option>
                      ))}
                    </select>
                  )}
                </Field>
                {(to.kind === 'segment' || to.kind === 'list') && (
                  <Field label={to.kind === 'segment' ? phrase('Which segment') : phrase('Which list')}>
                    {(id) => (
                      <select
                        id={id}
                        className="w-full"
                        value={to.name}
                        onChange={(e) => {
                          set({ to: { ...to, name: e.target.value } });
                          close();
                        }}
                      >
                        <option value="">{phrase('choose one')}</option>
                        {(to.kind === 'segment'
                          ? (segments.data?.filter((s) => !s.mine).map((s) => s.name) ?? [])
                          : (lists.data?.map((l) => l.name) ?? [])
                        ).map((n) => (
                          <option key={n} value={n}>
                            {n}
                          </option>
                        ))}
                      </select>
                    )}
                  </Field>
                )}
                {to.kind === 'people' && (
                  <Picked ids={to.people} name={name} label={phrase('Whom it goes to')} set={(people) => set({ to: { ...to, people } })} />
                )}
                {to.kind === 'recipients' && (
                  <>
                    <Field label={phrase('Whoever')}>
                      {(id) => (
                        <select id={id} className="w-full" value={to.did} onChange={(e) => set({ to: { ...to, did: e.target.value } })}>
                          {deeds.map(([d, words]) => (
                            <option key={d} value={d}>
                              {words}
                            </option>
                          ))}
                        </select>
                      )}
                    </Field>
                    <Field label={phrase('Which broadcast')}>
                      {(id) => (
                        <select
                          id={id}
                          className="w-full"
                          value={to.broadcast ?? ''}
                          onChange={(e) => set({ to: { ...to, broadcast: e.target.value || null } })}
                        >
                          <option value="">{phrase('choose one')}</option>
                          {gone.map((b) => (
                            <option key={b.id} value={b.id}>
                              {b.name}
                            </option>
                          ))}
                        </select>
                      )}
                    </Field>
                  </>
                )}
              </>
            )}
          </Say>
        ),
        without: (
          <Say
            live
            words={
              plan.without.length > 0
                ? phrase('without these {without, number}', { without: plan.without.length })
                : phrase('leave somebody out')
            }
            label={phrase('Taken out by hand')}
            soft={plan.without.length === 0}
          >
            {() => <Picked ids={plan.without} name={name} label={phrase('Who is left out')} set={(without) => set({ without })} />}
          </Say>
        ),
        with: (
          <Say
            live
            words={plan.with.length > 0 ? phrase('and with these {with, number}', { with: plan.with.length }) : phrase('put somebody in')}
            label={phrase('Put in by hand')}
            soft={plan.with.length === 0}
          >
            {() => <Picked ids={plan.with} name={name} label={phrase('Who is put in')} set={(w) => set({ with: w })} />}
          </Say>
        ),
      }}
    />
  );
}

/** People by name, one more to pick, and each to take out again. */
function Picked({
  ids,
  name,
  label,
  set,
}: {
  ids: readonly string[];
  name: (id: string) => string;
  label: string;
  set: (ids: string[]) => void;
}) {
  const [known, setKnown] = useState<Record<string, string>>({});
  return (
    <>
      <WhoField
        label={label}
        autoFocus
        pick={(p) => {
          setKnown({ ...known, [p.id]: p.name });
          if (!ids.includes(p.id)) set([...ids, p.id]);
        }}
      />
      <ul className="m-0 max-h-56 list-none overflow-y-auto p-0 text-small" aria-label={label}>
        {ids.map((id) => (
          <li key={id} className="flex items-baseline justify-between gap-3 py-0.5">
            {known[id] ?? name(id)}
            <Button
              look="danger"
              aria-label={phrase('Take {known} out', { known: known[id] ?? name(id) })}
              onClick={() => set(ids.filter((i) => i !== id))}
            >
              {phrase('take out')}
            </Button>
          </li>
        ))}
      </ul>
    </>
  );
}

const blank = (kind: string): Way => ({ kind, subject: '', body: '', letter: '', attachments: [] });

function ByWay({ plan, set }: Part) {
  const left = waysLeft(plan);
  return (
    <Sentence
      m="By {ways}{left}."
      v={{
        ways: plan.ways.length > 0 && (
          <Say live words={sayWays(plan.ways)} label={phrase('By which ways: {ways}', { ways: sayWays(plan.ways) })}>
            {() => (
              <ol className="m-0 list-none p-0 text-small">
                {plan.ways.map((w, n) => (
                  <li key={w.kind} className="flex items-baseline justify-between gap-3 py-1">
                    <span>
                      {n === 0 ? phrase('first') : phrase('else')} {wayNames[w.kind]}
                    </span>
                    <span className="flex gap-4">
                      {n > 0 && (
                        <Button
                          onClick={() => set({ ways: plan.ways.map((x, i) => (i === n ? (plan.ways[n - 1] ?? x) : i === n - 1 ? w : x)) })}
                        >
                          {phrase('rather')}
                        </Button>
                      )}
                      <Button look="danger" onClick={() => set({ ways: plan.ways.filter((x) => x.kind !== w.kind) })}>
                        {phrase('leave out')}
                      </Button>
                    </span>
                  </li>
                ))}
              </ol>
            )}
          </Say>
        ),
        left: left.length > 0 && (
          <>
            {plan.ways.length > 0 && ', '}
            <SayOneOf
              soft={plan.ways.length > 0}
              label={plan.ways.length === 0 ? phrase('By which way') : phrase('Another way in its place')}
              words={plan.ways.length === 0 ? phrase('which way') : phrase('or another way')}
              now={''}
              choices={left.map((k) => [k as string, wayNames[k] ?? k] as const)}
              choose={(k) => set({ ways: [...plan.ways, blank(k)] })}
            />
          </>
        ),
      }}
    />
  );
}

function WhenItGoes({ plan, set }: Part) {
  const { now, zone } = useNow();
  const { when } = plan;
  const put = (part: Partial<Plan['when']>) => set({ when: { ...when, ...part } });
  return (
    <Sentence
      m="When {when}."
      v={{
        when: (
          <Say live words={sayWhen(when)} label={phrase('When: {when}', { when: sayWhen(when) })}>
            {() => (
              <>
                <Field label={phrase('When it goes')}>
                  {(id) => (
                    <select
                      id={id}
                      className="w-full"
                      value={when.kind}
                      onChange={(e) =>
                        put(
                          e.target.value === 'now'
                            ? { kind: 'now', date: '', time: '' }
                            : { kind: e.target.value, date: when.date || nextDay(date(now, zone)), time: when.time || '09:30' },
                        )
                      }
                    >
                      <option value="now">{phrase('as soon as it is sent')}</option>
                      <option value="moment">{phrase('at one moment for all, on our clock')}</option>
                      <option value="own">{phrase('at one time of each one’s own day')}</option>
                    </select>
                  )}
                </Field>
                {when.kind !== 'now' && (
                  <div className="flex gap-3">
                    <Field label={phrase('Day')}>
                      {(id) => (
                        <input
                          id={id}
                          type="date"
                          min={date(now, zone)}
                          value={when.date}
                          onChange={(e) => put({ date: e.target.value })}
                        />
                      )}
                    </Field>
                    <Field label={phrase('Time')}>
                      {(id) => <input id={id} type="time" value={when.time} onChange={(e) => put({ time: e.target.value })} />}
                    </Field>
                  </div>
                )}
              </>
            )}
          </Say>
        ),
      }}
    />
  );
}
