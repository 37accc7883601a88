import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { api, type Schemas, take } from '../../api/client';
import { useNow, useSession } from '../../app/session';
import { Button, Field, fieldError, Trouble } from '../../ui/bits';
import { money } from '../../ui/money';
import { said } from '../../ui/undo';
import { day, moment } from '../../ui/when';
import { codeWord } from '../../words/codes';
import { phrase, quoted } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';
import { finishTask, reopenTask } from '../tasks/acts';
import { MakeSet } from '../tasks/MakeSet';
import { TaskForm } from '../tasks/TaskForm';
import { actOn, doAct, undoAct } from './acts';
import { usePersonChange } from './usePersonChange';

type Dealings = Schemas['DealingsDto'];
type Opportunity = Schemas['OpportunityDto'];
type Appointment = Schemas['AppointmentDto'];
const nameOf = (stage: string) => stage.split('/')[1] ?? stage;

/** Opportunities, appointments, inquiries and tasks of a person, each changed in place. */
export function DealingsPart({ personId, name, zone }: { personId: string; name: string; zone: string }) {
  const queries = useQueryClient();
  const dealings = useQuery({
    queryKey: ['dealings', personId],
    queryFn: () => take(api.GET('/api/people/{id}/dealings', { params: { path: { id: personId } } })),
  });
  const change = usePersonChange(
    personId,
    () => phrase('a change to opportunities, appointments or tasks'),
    async (act: () => Promise<unknown>) => {
      await act();
      queries.invalidateQueries({ queryKey: ['dealings', personId] });
    },
  );
  const run = (act: () => Promise<unknown>) => change.mutate(act);
  if (!dealings.data) return <Trouble error={dealings.error} />;
  return (
    <>
      <Trouble error={change.error} />
      <Opportunities personId={personId} of={dealings.data} run={run} zone={zone} />
      <Appointments personId={personId} of={dealings.data} run={run} zone={zone} />
      <Inquiries personId={personId} of={dealings.data} run={run} zone={zone} />
      <Tasks personId={personId} name={name} of={dealings.data} run={run} />
    </>
  );
}

type PartProps = { personId: string; of: Dealings; run: (act: () => Promise<unknown>) => void; zone: string };

function Opportunities({ personId, of, run, zone }: PartProps) {
  const stages = useSession().data?.stages ?? [];
  const [adding, setAdding] = useState(false);
  const [title, setTitle] = useState('');
  const [stage, setStage] = useState('');
  return (
    <section aria-label={phrase('Opportunities')}>
      <h3>
        <Sentence
          m="Opportunities <button>open one</button>"
          v={{
            button: (c) => (
              <Button className="ml-2 font-normal" aria-expanded={adding} onClick={() => setAdding(!adding)}>
                {c}
              </Button>
            ),
          }}
        />
      </h3>
      {adding && (
        <form
          className="mt-1 mb-3"
          onSubmit={(e) => {
            e.preventDefault();
            run(() =>
              take(
                api.POST('/api/people/{id}/opportunities', {
                  params: { path: { id: personId } },
                  body: { title, stage: stage || (stages[0] ?? '') },
                }),
              ).then(() => {
                setAdding(false);
                setTitle('');
              }),
            );
          }}
        >
          <input
            aria-label={phrase('What it is about')}
            placeholder={phrase('what it is about')}
            autoFocus
            className="w-full"
            value={title}
            onChange={(e) => setTitle(e.target.value)}
          />
          <div className="mt-2 flex gap-3">
            <select aria-label={phrase('Its stage')} value={stage} onChange={(e) => setStage(e.target.value)}>
              {stages.map((s) => (
                <option key={s} value={s}>
                  {nameOf(s)}
                </option>
              ))}
            </select>
            <Button type="submit" look="main" disabled={!title.trim()}>
              {phrase('Open')}
            </Button>
          </div>
        </form>
      )}
      <ul className="m-0 mb-3 list-none p-0 empty:mb-1">
        {of.opportunities.map((o) => (
          <OpportunityLine key={o.id} opportunity={o} stages={stages} run={run} zone={zone} />
        ))}
      </ul>
    </section>
  );
}

function OpportunityLine({
  opportunity: o,
  stages,
  run,
  zone,
}: {
  opportunity: Opportunity;
  stages: string[];
  run: PartProps['run'];
  zone: string;
}) {
  const reasons = useQuery({ queryKey: ['practice'], queryFn: () => take(api.GET('/api/practice')) }).data?.lostReasons ?? [];
  const { now } = useNow();
  const currency = useSession().data?.currency ?? 'USD';
  const [losing, setLosing] = useState(false);
  const [reason, setReason] = useState('');
  const path = { params: { path: { id: o.id } } };
  const close = (won: boolean) =>
    run(() => take(api.POST('/api/opportunities/{id}/close', { ...path, body: { won, reason: won ? null : reason } })));
  return (
    <li className="border-t border-dotted border-rule py-1">
      <span className="font-serif">{o.title}</span>
      {o.worth !== null && <span className="text-soft"> {money(o.worth, currency)}</span>}
      {o.status === 'open' ? (
        <span className="mt-0.5 flex flex-wrap items-baseline gap-3">
          <select
            aria-label={phrase('Stage of {title}', { title: o.title })}
            value={o.stage}
            onChange={(e) => run(() => take(api.POST('/api/opportunities/{id}/stage', { ...path, body: { stage: e.target.value } })))}
          >
            {stages.map((s) => (
              <option key={s} value={s}>
                {nameOf(s)}
              </option>
            ))}
          </select>
          <Button onClick={() => close(true)}>{phrase('won')}</Button>
          <Button look="danger" aria-expanded={losing} onClick={() => setLosing(!losing)}>
            {phrase('lost …')}
          </Button>
        </span>
      ) : (
        <span className="block text-soft">
          {codeWord(o.status)}
          {o.lostReason ? `, ${o.lostReason}` : ''} · {day(o.closedAt ?? o.openedAt, zone, now)}
        </span>
      )}
      {losing && (
        <form
          className="mt-1 flex gap-3"
          onSubmit={(e) => {
            e.preventDefault();
            close(false);
          }}
        >
          <input
            aria-label={phrase('Why it was lost')}
            placeholder={phrase('why')}
            list="lost-reasons"
            autoFocus
            className="min-w-0 flex-1"
            value={reason}
            onChange={(e) => setReason(e.target.value)}
          />
          <datalist id="lost-reasons">
            {reasons.map((r) => (
              <option key={r} value={r} />
            ))}
          </datalist>
          <Button type="submit" look="danger" disabled={!reason.trim()}>
            {phrase('Record')}
          </Button>
        </form>
      )}
    </li>
  );
}

function Appointments({ personId, of, run, zone }: PartProps) {
  const { now } = useNow();
  const [adding, setAdding] = useState(false);
  const [moving, setMoving] = useState<string>();
  const [type, setType] = useState('');
  const [at, setAt] = useState('');
  const isAhead = (a: Appointment) => !a.cancelled && a.at > now;
  return (
    <section aria-label={phrase('Appointments')}>
      <h3>
        <Sentence
          m="Appointments <button>make one</button>"
          v={{
            button: (c) => (
              <Button className="ml-2 font-normal" aria-expanded={adding} onClick={() => setAdding(!adding)}>
                {c}
              </Button>
            ),
          }}
        />
      </h3>
      {adding && (
        <form
          className="mt-1 mb-3"
          onSubmit={(e) => {
            e.preventDefault();
            run(() =>
              take(api.POST('/api/people/{id}/appointments', { params: { path: { id: personId } }, body: { type, at, place: null } })).then(
                () => {
                  setAdding(false);
                  setType('');
                },
              ),
            );
          }}
        >
          <input
            aria-label={phrase('What kind of meeting')}
            placeholder={phrase('first meeting, yearly review …')}
            autoFocus
            className="w-full"
            value={type}
            onChange={(e) => setType(e.target.value)}
          />
          <div className="mt-2 flex gap-3">
            <input
              aria-label={phrase("When, on the practice's clock")}
              type="datetime-local"
              value={at}
              onChange={(e) => setAt(e.target.value)}
            />
            <Button type="submit" look="main" disabled={!type.trim() || !at}>
              {phrase('Make')}
            </Button>
          </div>
        </form>
      )}
      <ul className="m-0 mb-3 list-none p-0 empty:mb-1">
        {of.appointments.map((a) => (
          <li key={a.id} className="border-t border-dotted border-rule py-1">
            <span className={a.cancelled ? 'line-through' : ''}>
              {a.type}, {moment(a.at, zone, now)}
            </span>
            {a.cancelled && phrase(' · cancelled')}
            {a.missed && phrase(' · did not come')}
            {a.chosen && <span className="text-soft">{phrase(' · they chose it, and are told when it is moved or cancelled')}</span>}
            {a.words && <span className="block font-serif">{quoted(a.words)}</span>}
            {!a.cancelled && !isAhead(a) && (
              <Button
                className="ml-3"
                onClick={() =>
                  run(() =>
                    take(api.POST('/api/appointments/{id}/missed', { params: { path: { id: a.id } }, body: { missed: !a.missed } })),
                  )
                }
              >
                {a.missed ? phrase('they came after all') : phrase('did not come')}
              </Button>
            )}
            {isAhead(a) && (
              <span className="ml-3 inline-flex gap-3">
                <Button aria-expanded={moving === a.id} onClick={() => setMoving(moving === a.id ? undefined : a.id)}>
                  {phrase('move')}
                </Button>
                <Button
                  look="danger"
                  onClick={() => run(() => take(api.POST('/api/appointments/{id}/cancel', { params: { path: { id: a.id } } })))}
                >
                  {phrase('cancel')}
                </Button>
              </span>
            )}
            {moving === a.id && (
              <form
                className="mt-1 flex gap-3"
                onSubmit={(e) => {
                  e.preventDefault();
                  run(() =>
                    take(api.POST('/api/appointments/{id}/move', { params: { path: { id: a.id } }, body: { at } })).then(() =>
                      setMoving(undefined),
                    ),
                  );
                }}
              >
                <input
                  aria-label={phrase('New time of {type}', { type: a.type })}
                  type="datetime-local"
                  autoFocus
                  value={at}
                  onChange={(e) => setAt(e.target.value)}
                />
                <Button type="submit" disabled={!at}>
                  {phrase('Move')}
                </Button>
              </form>
            )}
          </li>
        ))}
      </ul>
    </section>
  );
}

function Inquiries({ personId, of, run, zone }: PartProps) {
  const { now } = useNow();
  const queries = useQueryClient();
  const [adding, setAdding] = useState(false);
  const [how, setHow] = useState('phone');
  const [text, setText] = useState('');
  const open = of.inquiries.filter((i) => !i.answeredAt);
  return (
    <section aria-label={phrase('Inquiries')}>
      <h3>
        <Sentence
          m="Inquiries <button>they asked</button>"
          v={{
            button: (c) => (
              <Button className="ml-2 font-normal" aria-expanded={adding} onClick={() => setAdding(!adding)}>
                {c}
              </Button>
            ),
          }}
        />
      </h3>
      {adding && (
        <form
          className="mt-1 mb-3"
          onSubmit={(e) => {
            e.preventDefault();
            run(() =>
              take(api.POST('/api/people/{id}/inquiries', { params: { path: { id: personId } }, body: { how, text, form: null } })).then(
                () => {
                  setAdding(false);
                  setText('');
                },
              ),
            );
          }}
        >
          <textarea
            aria-label={phrase('What they asked for')}
            placeholder={phrase('what they asked for')}
            autoFocus
            rows={2}
            className="w-full font-serif"
            value={text}
            onChange={(e) => setText(e.target.value)}
          />
          <div className="mt-1 flex gap-3">
            <select aria-label={phrase('How they asked')} value={how} onChange={(e) => setHow(e.target.value)}>
              <option value="phone">{phrase('on the phone')}</option>
              <option value="email">{phrase('by email')}</option>
              <option value="text">{phrase('by text')}</option>
              <option value="hand">{phrase('in person')}</option>
            </select>
            <Button type="submit" look="main" disabled={!text.trim()}>
              {phrase('Record')}
            </Button>
          </div>
        </form>
      )}
      <ul className="m-0 mb-3 list-none p-0 empty:mb-1">
        {of.inquiries.map((i) => (
          <li key={i.id} className="border-t border-dotted border-rule py-1">
            <span className="font-serif">{i.text || i.form}</span>
            <span className={`block ${i.answeredAt ? 'text-soft' : 'text-straw'}`}>
              {day(i.receivedAt, zone, now)} ·{' '}
              {i.answeredAt
                ? phrase('answered {answeredAt}{answeredBy}', {
                    answeredAt: day(i.answeredAt, zone, now),
                    answeredBy: i.answeredBy ? phrase(' by {answeredBy}', { answeredBy: i.answeredBy }) : '',
                  })
                : phrase('not answered')}
            </span>
          </li>
        ))}
      </ul>
      {open.length > 0 && (
        <p className="mb-4">
          <Button
            onClick={() =>
              run(() =>
                take(api.POST('/api/people/{id}/inquiries/answered', { params: { path: { id: personId } } })).then(() =>
                  said(phrase('Noted as answered.'), () =>
                    take(
                      api.POST('/api/today/waiting/{id}/unseen', { params: { path: { id: `i${open[0]?.id.replaceAll('-', '')}` } } }),
                    ).then(() => {
                      queries.invalidateQueries();
                    }),
                  ),
                ),
              )
            }
          >
            {phrase('they have been answered')}
          </Button>
        </p>
      )}
    </section>
  );
}

function Tasks({ personId, name, of, run }: Pick<PartProps, 'personId' | 'of' | 'run'> & { name: string }) {
  const queries = useQueryClient();
  const [adding, setAdding] = useState(false);
  const outcomes = useQuery({
    queryKey: ['outcomes'],
    queryFn: () => take(api.GET('/api/outcomes')),
    enabled: of.tasks.some((t) => t.kind === 'call'),
  }).data;
  const finish = (task: Schemas['TaskDto'], outcome: string) =>
    run(async () => {
      await finishTask(task.id, { outcome, remark: null, next: null });
      said(`${task.title}: ${outcome}`, () =>
        reopenTask(task.id).then(() => {
          queries.invalidateQueries();
        }),
      );
    });
  return (
    <section aria-label={phrase('To do')}>
      <h3>
        <Sentence
          m="To do <button>write one</button>"
          v={{
            button: (c) => (
              <Button className="ml-2 font-normal" aria-expanded={adding} onClick={() => setAdding(!adding)}>
                {c}
              </Button>
            ),
          }}
        />
      </h3>
      {adding && (
        <>
          <TaskForm about={{ id: personId, name }} leave={() => setAdding(false)} />
          <MakeSet person={{ id: personId, name }} />
        </>
      )}
      <ul className="m-0 mb-3 list-none p-0 empty:mb-1">
        {of.tasks.map((t) => (
          <li key={t.id} className="border-t border-dotted border-rule py-1">
            <span className="font-serif">{t.title}</span>{' '}
            {(t.kind === 'call' ? (outcomes ?? []).map((o) => o.name) : ['done']).map((outcome) => (
              <Button key={outcome} className="mr-3" aria-label={`${t.title}: ${outcome}`} onClick={() => finish(t, outcome)}>
                {outcome}
              </Button>
            ))}
            <span className="block text-soft">
              {phrase('{kind} · due {due} · {source}{owner}', {
                kind: t.kind,
                due: t.due,
                source: t.source,
                owner: t.owner ? ` · ${t.owner}` : '',
              })}
            </span>
          </li>
        ))}
      </ul>
    </section>
  );
}

/** Lists the person is on, and putting them on another. */
export function ListsPart({ personId, lists }: { personId: string; lists: string[] }) {
  const queries = useQueryClient();
  const [name, setName] = useState('');
  const says = ({ list, join }: { list: string; join: boolean }) =>
    join ? phrase('On the list “{list}”', { list: list.trim() }) : phrase('Off the list “{list}”', { list });
  const change = usePersonChange(personId, says, (how: { list: string; join: boolean }) => {
    const kind = how.join ? 'join' : 'leave';
    return doAct(kind, actOn({ ids: [personId] }, kind, how.list)).then(({ act: id }) => {
      setName('');
      if (id) said(says(how), () => undoAct(id, queries));
    });
  });
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault();
        change.mutate({ list: name, join: true });
      }}
    >
      <h3>{phrase('Lists')}</h3>
      <p className="mt-1 mb-1">
        {lists.map((l) => (
          <span key={l} className="mr-2 inline-block whitespace-nowrap">
            {l}
            <button
              type="button"
              className="ml-1 text-soft hover:text-ember"
              aria-label={phrase('Take off the list {l}', { l })}
              onClick={() => change.mutate({ list: l, join: false })}
            >
              ×
            </button>
          </span>
        ))}
        {lists.length === 0 && <span className="text-soft">{phrase('on none')}</span>}
      </p>
      <Field label={phrase('Put on a list')} error={fieldError(change.error, 'list')}>
        {(id, by) => <input id={id} aria-describedby={by} className="w-full" value={name} onChange={(e) => setName(e.target.value)} />}
      </Field>
    </form>
  );
}
