import { useQuery } from '@tanstack/react-query';
import { api, take } from '../../api/client';
import { useSession } from '../../app/session';
import { Button, Field } from '../../ui/bits';
import { span } from '../../ui/span';
import { phrase } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';
import { Say, SayOneOf } from '../programs/Say';
import { SpanField } from '../programs/SpanField';
import { repeatsWith } from '../tasks/repeats';
import { GoalFields } from './GoalFields';
import { type Broadcast, goals, type Plan, rates } from './plan';

type Part = { plan: Plan; set: (part: Partial<Plan>) => void; broadcast: Broadcast };

/** What else is said of a broadcast: who signs it, what it is about, versions that are compared, what is to come of it, how it repeats. */
export function AboutBroadcast({ plan, set, broadcast }: Part) {
  const session = useSession().data;
  const members = session?.members ?? [];
  const practice = useQuery({ queryKey: ['practice'], queryFn: () => take(api.GET('/api/practice')) });
  const programs = useQuery({ queryKey: ['programs'], queryFn: () => take(api.GET('/api/programs')) });
  const wrong = (pointer: string) =>
    broadcast.findings
      .filter((f) => f.pointer.startsWith(pointer))
      .map((f) => (
        <span key={f.pointer + f.message} className="block text-small text-ember">
          {f.message}
        </span>
      ));
  // The practice itself signs where it has an address of its own.
  const itself = practice.data?.ownAddress ? ([['practice', practice.data.name]] as const) : [];
  const signers = [...members.map((m) => [m.id, m.name] as const), ...itself];
  const nameOf = (id: string) => signers.find(([one]) => one === id)?.[1] ?? phrase('somebody who is gone');
  const topics = practice.data?.topics ?? [];
  const policies = practice.data?.policies?.map((p) => p.name) ?? [];
  const goal = goals.find(([k]) => k === plan.goal?.kind);
  const held = programs.data?.find((p) => p.id === plan.partOf);
  return (
    <div className="mt-3 border-t border-rule pt-3 leading-[1.9]">
      <Versions plan={plan} set={set} broadcast={broadcast} />
      {wrong('/test')}
      <div>
        <Sentence
          m="Signed by {sender}, answers are told to {replyTo}, it is {transactional}{topics}{policies}."
          v={{
            sender: (
              <SayOneOf
                words={plan.sender ? nameOf(plan.sender) : phrase('whoever looks after each')}
                label={phrase('Who signs it')}
                now={plan.sender ?? ''}
                choices={[['', phrase('whoever looks after each')], ...signers]}
                choose={(m) => set({ sender: m || null })}
              />
            ),
            replyTo: (
              <SayOneOf
                words={plan.replyTo ? phrase('{replyTo} too', { replyTo: nameOf(plan.replyTo) }) : phrase('whoever looks after each')}
                label={phrase('Who is told of answers')}
                now={plan.replyTo ?? ''}
                choices={[
                  ['', phrase('whoever looks after each')],
                  ...signers.map(([id, name]) => [id, phrase('{replyTo} too', { replyTo: name })] as const),
                ]}
                choose={(m) => set({ replyTo: m || null })}
              />
            ),
            transactional: (
              <SayOneOf
                words={plan.transactional ? phrase('something they have to know') : phrase('news or an offer')}
                label={phrase('What kind of message it is')}
                now={plan.transactional ? 't' : 'c'}
                choices={[
                  ['c', phrase('news or an offer')],
                  ['t', phrase('something they have to know')],
                ]}
                choose={(k) => set({ transactional: k === 't' })}
              />
            ),
            topics: topics.length > 0 && (
              <Sentence
                m=" about {topic}"
                v={{
                  topic: (
                    <SayOneOf
                      words={plan.topic ?? phrase('no topic in particular')}
                      label={phrase('Its topic')}
                      now={plan.topic ?? ''}
                      choices={[['', phrase('no topic in particular')], ...topics.map((t) => [t, t] as const)]}
                      choose={(t) => set({ topic: t || null })}
                    />
                  ),
                }}
              />
            ),
            policies: policies.length > 0 && (
              <Sentence
                m=" by {policy}"
                v={{
                  policy: (
                    <SayOneOf
                      words={plan.policy ? phrase('the policy “{policy}”', { policy: plan.policy }) : phrase('the usual policy')}
                      label={phrase('Its policy')}
                      now={plan.policy ?? ''}
                      choices={[
                        ['', phrase('the usual policy')],
                        ...policies.map((p) => [p, phrase('the policy “{policy}”', { policy: p })] as const),
                      ]}
                      choose={(p) => set({ policy: p || null })}
                    />
                  ),
                }}
              />
            ),
          }}
        />
      </div>
      <div>
        <Sentence
          m="What they had lately {paceLifted}{paceLifted2}; after {span} it makes no sense any more.{wrong}{wrong2}"
          v={{
            paceLifted: (
              <Say
                words={plan.paceLifted === null || plan.paceLifted === undefined ? phrase('counts') : phrase('does not count for this one')}
                label={phrase('Whether pace holds it')}
              >
                {(close) => (
                  <form
                    onSubmit={(e) => {
                      e.preventDefault();
                      const why = new FormData(e.currentTarget).get('why');
                      set({ paceLifted: typeof why === 'string' && why.trim() ? why.trim() : null });
                      close();
                    }}
                  >
                    <Field
                      label={phrase('Why it may come on top of what they had')}
                      hint={phrase('The reason is kept. Empty: it counts, and may put it off by days.')}
                    >
                      {(id, by) => (
                        <input
                          id={id}
                          aria-describedby={by}
                          name="why"
                          maxLength={400}
                          className="w-full"
                          defaultValue={plan.paceLifted ?? ''}
                        />
                      )}
                    </Field>
                    <Button type="submit" look="main">
                      {phrase('So it is')}
                    </Button>
                  </form>
                )}
              </Say>
            ),
            paceLifted2: plan.paceLifted && <span className="text-soft"> ({plan.paceLifted})</span>,
            span: (
              <Say live words={span(plan.lateLimit ?? 'P3D')} label={phrase('How late it still makes sense')}>
                {() => (
                  <SpanField
                    label={phrase('How late it still makes sense')}
                    units={['hours', 'days', 'weeks']}
                    value={plan.lateLimit ?? 'P3D'}
                    set={(v) => set({ lateLimit: v ?? null })}
                  />
                )}
              </Say>
            ),
            wrong: wrong('/paceLifted'),
            wrong2: wrong('/lateLimit'),
          }}
        />
      </div>
      <div>
        <Sentence
          m="It is for {goal}{goal2}; it belongs to {code} and is part of {held}.{wrong}"
          v={{
            goal: (
              <Say
                live
                words={
                  goal
                    ? phrase('this: {goal}{what}', { goal: goal[1], what: plan.goal?.what ? ` (${plan.goal.what})` : '' })
                    : phrase('nothing in particular')
                }
                label={phrase('What is to come of it')}
              >
                {() => (
                  <GoalFields
                    goal={plan.goal ?? null}
                    set={(goal) => set({ goal })}
                    none={phrase('nothing in particular')}
                    within={phrase('Counted for')}
                  />
                )}
              </Say>
            ),
            goal2: plan.goal && phrase(', counted for {within}', { within: span(plan.goal.within) }),
            code: (
              <Say live words={plan.code || phrase('no code')} label={phrase('Its code')} soft={!plan.code}>
                {() => (
                  <Field
                    label={phrase('A code of your own')}
                    hint={phrase('It stands in tables and files, for whoever adds up what things cost.')}
                  >
                    {(id, by) => (
                      <input
                        id={id}
                        aria-describedby={by}
                        className="w-full"
                        maxLength={200}
                        value={plan.code ?? ''}
                        onChange={(e) => set({ code: e.target.value || null })}
                      />
                    )}
                  </Field>
                )}
              </Say>
            ),
            held: (
              <SayOneOf
                words={held ? phrase('“{held}”, without those held out of it', { held: held.name }) : phrase('no program')}
                label={phrase('The program it is part of')}
                now={plan.partOf ?? ''}
                choices={[
                  ['', phrase('no program')],
                  ...(programs.data?.filter((p) => !p.archived).map((p) => [p.id, p.name] as const) ?? []),
                ]}
                choose={(p) => set({ partOf: p || null })}
              />
            ),
            wrong: wrong('/goal'),
          }}
        />
      </div>
      <div>
        <Sentence
          m="Its links carry {length}; it goes {find}{repeat}.{wrong}"
          v={{
            length: (
              <Say
                words={
                  Object.keys(plan.parameters).length > 0
                    ? Object.entries(plan.parameters)
                        .map(([k, v]) => `${k}=${v}`)
                        .join(', ')
                    : phrase('nothing more')
                }
                label={phrase('What its links carry')}
              >
                {() => <Parameters parameters={plan.parameters} set={(parameters) => set({ parameters })} />}
              </Say>
            ),
            find: (
              <SayOneOf
                words={
                  repeatsWith(plan.repeat?.rule ?? '', plan.repeat?.rule ?? null).find(([r]) => r === (plan.repeat?.rule ?? ''))?.[1] ??
                  phrase('once')
                }
                label={phrase('How often it goes')}
                now={plan.repeat?.rule ?? ''}
                choices={repeatsWith(plan.repeat?.rule ?? '', plan.repeat?.rule ?? null)}
                choose={(rule) => set({ repeat: rule ? { rule, byItself: plan.repeat?.byItself ?? false } : null })}
              />
            ),
            repeat: plan.repeat && (
              <Sentence
                m=", each time {byItself}"
                v={{
                  byItself: (
                    <SayOneOf
                      words={plan.repeat.byItself ? phrase('by itself') : phrase('only once somebody has read it and let it go')}
                      label={phrase('How each goes')}
                      now={plan.repeat.byItself ? 'i' : 'r'}
                      choices={[
                        ['r', phrase('only once somebody has read it and let it go')],
                        ['i', phrase('by itself')],
                      ]}
                      choose={(k) => plan.repeat && set({ repeat: { ...plan.repeat, byItself: k === 'i' } })}
                    />
                  ),
                }}
              />
            ),
            wrong: wrong('/repeat'),
          }}
        />
      </div>
    </div>
  );
}

function Versions({ plan, set }: Part) {
  const test = plan.test;
  const email = plan.ways[0]?.kind === 'email' ? plan.ways[0] : undefined;
  const put = (part: Partial<NonNullable<Plan['test']>>) => test && set({ test: { ...test, ...part } });
  return (
    <div>
      {!test ? (
        <Sentence
          m="There is {say}."
          v={{
            say: (
              <Say live words={phrase('one version')} label={phrase('Versions that are compared')} soft>
                {(close) => (
                  <>
                    <p className="mb-2 text-small">
                      {phrase(
                        'Two to four subjects are tried with some of the people first; the rest get the one that does better, if chance alone would hardly do that.',
                      )}
                    </p>
                    <Button
                      look="main"
                      disabled={!email}
                      onClick={() => {
                        set({
                          test: {
                            share: 30,
                            span: 'PT4H',
                            by: 'opened',
                            others: [{ subject: email?.subject ?? '', body: '', letter: '' }],
                          },
                        });
                        close();
                      }}
                    >
                      {phrase('Compare two subjects')}
                    </Button>
                    {!email && <p className="mt-2 text-small text-soft">{phrase('Its first way has to be an email.')}</p>}
                  </>
                )}
              </Say>
            ),
          }}
        />
      ) : (
        <Sentence
          m="<b>{others, number} versions</b>: {say} get one of them first, the rest after {span} the one that is {find}, if it can be told apart. <button>one version only</button>{ol}{others2}"
          v={{
            others: test.others.length + 1,
            b: (c) => <b>{c}</b>,
            say: (
              <Say
                live
                words={phrase('{share, number} in a hundred', { share: test.share })}
                label={phrase('How many get a version first')}
              >
                {() => (
                  <Field label={phrase('In a hundred')}>
                    {(id) => (
                      <input
                        id={id}
                        type="number"
                        min={2}
                        max={100}
                        value={test.share}
                        onChange={(e) => put({ share: Number(e.target.value) })}
                      />
                    )}
                  </Field>
                )}
              </Say>
            ),
            span: (
              <Say live words={span(test.span)} label={phrase('How long until the rest get it')}>
                {() => <SpanField label={phrase('After')} units={['hours']} value={test.span} set={(v) => put({ span: v ?? 'PT4H' })} />}
              </Say>
            ),
            find: (
              <SayOneOf
                words={rates.find(([r]) => r === test.by)?.[1] ?? test.by}
                label={phrase('What decides')}
                now={test.by}
                choices={rates}
                choose={(by) => put({ by })}
              />
            ),
            button: (c) => (
              <Button look="danger" onClick={() => set({ test: null })}>
                {c}
              </Button>
            ),
            ol: (
              <ol className="m-0 mt-1 list-none p-0">
                <li>
                  A <span className="font-serif">{email?.subject || phrase('the email below')}</span>{' '}
                  <span className="text-small text-soft">{phrase('as it stands below')}</span>
                </li>
                {test.others.map((other, n) => (
                  <li key={n} className="flex flex-wrap items-baseline gap-3">
                    {String.fromCharCode(66 + n)}
                    <input
                      aria-label={phrase('Subject of version {fromCharCode}', { fromCharCode: String.fromCharCode(66 + n) })}
                      className="min-w-60 flex-1 font-serif"
                      maxLength={400}
                      value={other.subject}
                      onChange={(e) => put({ others: test.others.map((o, i) => (i === n ? { ...o, subject: e.target.value } : o)) })}
                    />
                    <OtherLetter version={other} set={(o) => put({ others: test.others.map((x, i) => (i === n ? o : x)) })} />
                    <Button
                      look="danger"
                      disabled={test.others.length === 1}
                      onClick={() => put({ others: test.others.filter((_, i) => i !== n) })}
                    >
                      {phrase('leave it out')}
                    </Button>
                  </li>
                ))}
              </ol>
            ),
            others2: test.others.length < 3 && (
              <Button onClick={() => put({ others: [...test.others, { subject: '', body: '', letter: '' }] })}>
                {phrase('one more version')}
              </Button>
            ),
          }}
        />
      )}
    </div>
  );
}

/** A version that says something else too: the words of another letter. */
function OtherLetter({
  version,
  set,
}: {
  version: NonNullable<Plan['test']>['others'][number];
  set: (v: NonNullable<Plan['test']>['others'][number]) => void;
}) {
  const letters = useQuery({ queryKey: ['letters'], queryFn: () => take(api.GET('/api/letters')) });
  if (!letters.data?.length) return null;
  return (
    <SayOneOf
      soft={!version.letter}
      words={version.letter ? phrase('with the words of “{letter}”', { letter: version.letter }) : phrase('the same words')}
      label={phrase('What this version says')}
      now={version.letter}
      choices={[
        ['', phrase('the same words')],
        ...letters.data.map((l) => [l.name, phrase('the words of “{letter}”', { letter: l.name })] as const),
      ]}
      choose={async (name) => {
        const line = letters.data.find((l) => l.name === name);
        const letter = line && (await take(api.GET('/api/letters/{id}', { params: { path: { id: line.id } } })));
        set(
          letter
            ? { subject: version.subject || letter.subject, body: letter.body, letter: letter.name }
            : { ...version, body: '', letter: '' },
        );
      }}
    />
  );
}

/** Names and values behind the addresses of links. */
function Parameters({ parameters, set }: { parameters: Record<string, string>; set: (p: Record<string, string>) => void }) {
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault();
        const form = new FormData(e.currentTarget);
        const [name, value] = [String(form.get('name') ?? '').trim(), String(form.get('value') ?? '').trim()];
        if (name) set({ ...parameters, [name]: value });
        e.currentTarget.reset();
      }}
    >
      <ul className="m-0 mb-2 list-none p-0 text-small">
        {Object.entries(parameters).map(([name, value]) => (
          <li key={name} className="flex items-baseline justify-between gap-3">
            {name}={value}
            <Button
              look="danger"
              aria-label={phrase('Leave {name} out', { name })}
              onClick={() => set(Object.fromEntries(Object.entries(parameters).filter(([n]) => n !== name)))}
            >
              {phrase('leave out')}
            </Button>
          </li>
        ))}
      </ul>
      <div className="flex gap-2">
        <input name="name" aria-label={phrase('Name of a parameter')} placeholder={phrase('name')} maxLength={60} className="w-28" />
        <input name="value" aria-label={phrase('Its value')} placeholder={phrase('value')} maxLength={200} className="min-w-0 flex-1" />
        <Button type="submit">{phrase('put it in')}</Button>
      </div>
    </form>
  );
}
