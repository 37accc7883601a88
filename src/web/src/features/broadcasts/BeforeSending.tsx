import { keepPreviousData, useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { AlertDialog } from 'radix-ui';
import { useState } from 'react';
import { Link } from 'react-router';
import { toast } from 'sonner';
import { api, type Schemas, take } from '../../api/client';
import { useMay, useNow, useSession } from '../../app/session';
import { Button, Trouble } from '../../ui/bits';
import { useKeys } from '../../ui/keys';
import { Menu, MenuItem } from '../../ui/Menu';
import { money } from '../../ui/money';
import { NameForm } from '../../ui/NameForm';
import { keyDate, moment } from '../../ui/when';
import { locale, phrase } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';
import { ReadAs } from '../letters/ReadAs';
import { Say } from '../programs/Say';
import { type Broadcast, type Plan, wayNames } from './plan';

type Props = { broadcast: Broadcast; plan: Plan; set: (part: Partial<Plan>) => void; saved: boolean; save: () => Promise<void> };
type Forecast = Schemas['BroadcastForecast'];

/** What would come of it: who gets it by which way, who does not and why, how one of them reads it; and sending it. */
export function BeforeSending({ broadcast, plan, set, saved, save }: Props) {
  const may = useMay('switch-programs');
  const errors = broadcast.findings.filter((f) => !f.isWarning);
  const warnings = broadcast.findings.filter((f) => f.isWarning);
  const whole = saved && errors.length === 0;
  const forecast = useQuery({
    queryKey: ['broadcast-forecast', broadcast.id, broadcast.edition],
    enabled: whole,
    placeholderData: keepPreviousData,
    queryFn: () => take(api.GET('/api/broadcasts/{id}/forecast', { params: { path: { id: broadcast.id } } })),
  });
  return (
    <>
      <h3>{phrase('Before it goes')}</h3>
      {errors.length > 0 ? (
        <>
          <p>{phrase('Not yet: {errors, plural, one {# thing is} other {# things are}} still wanting.', { errors: errors.length })}</p>
          <ul className="m-0 mt-1 list-none p-0 text-small text-ember">
            {errors.map((f) => (
              <li key={f.pointer + f.message}>{f.message}</li>
            ))}
          </ul>
        </>
      ) : !forecast.data ? (
        <p role="status">{forecast.error ? '' : phrase('Living through it …')}</p>
      ) : (
        <What forecast={forecast.data} plan={plan} set={set} />
      )}
      {warnings.map((f) => (
        <p key={f.pointer + f.message} className="mt-2 text-small text-straw">
          {f.message}
        </p>
      ))}
      <Trouble error={forecast.error} />
      {whole && forecast.data && <SendIt broadcast={broadcast} forecast={forecast.data} may={may} save={save} plan={plan} />}
      {plan.ways.some((w) => w.kind === 'email' && w.body.includes('href')) && <Links broadcast={broadcast} saved={saved} />}
      {plan.ways.length > 0 && <AsOneReads broadcast={broadcast} saved={saved} />}
    </>
  );
}

function What({ forecast, plan, set }: { forecast: Forecast; plan: Plan; set: (part: Partial<Plan>) => void }) {
  const { zone, now } = useNow();
  const held = forecast.held.reduce((n, h) => n + h.count, 0);
  return (
    <div aria-live="polite">
      <p>
        <Sentence
          m="It is for <b>{people, plural, one {# person} other {# people}}</b>{lookedAt}. {b2} get it{by}."
          v={{
            people: forecast.people,
            b: (c) => <b>{c}</b>,
            lookedAt:
              forecast.lookedAt < forecast.people &&
              phrase(', of whom the first {lookedAt, number} were looked at', { lookedAt: forecast.lookedAt }),
            b2: <b>{forecast.goes.toLocaleString(locale())}</b>,
            by:
              forecast.by.length > 0 &&
              `: ${forecast.by.map((b) => phrase('{count, number} by {wayNames}', { count: b.count, wayNames: wayNames[b.kind] ?? b.kind })).join(', ')}`,
          }}
        />
      </p>
      {forecast.first && (
        <p className="mt-1">
          <Sentence
            m="From {first}{last}.{price}"
            v={{
              first: moment(forecast.first, zone, now),
              last: forecast.last && forecast.last !== forecast.first && phrase(' to {last}', { last: moment(forecast.last, zone, now) }),
              price: forecast.price != null && phrase(' It costs {price}.', { price: money(forecast.price, forecast.currency) }),
            }}
          />
        </p>
      )}
      {forecast.days.length > 1 && (
        <ul className="m-0 mt-1 list-none p-0 text-small text-soft" aria-label={phrase('How many on which day')}>
          {forecast.days.map((d) => (
            <li key={d.date}>
              {keyDate(d.date)}: {d.count.toLocaleString(locale())}
            </li>
          ))}
        </ul>
      )}
      {held > 0 && (
        <>
          <h3 className="mt-4">{phrase('Held back: {held, number}', { held })}</h3>
          {forecast.held.map((h) => (
            <details key={h.word} className="text-small">
              <summary className="cursor-pointer leading-7">
                {h.count.toLocaleString(locale())} · {h.reason}
              </summary>
              <ul className="m-0 list-none p-0 pl-3">
                {h.people.map((p) => (
                  <li key={p.id} className="flex flex-wrap items-baseline justify-between gap-x-3">
                    <Link to={`/people/${p.id}`} className="inline-flex min-h-6 items-center">
                      {p.name}
                    </Link>
                    <span className="flex gap-3">
                      {h.word === 'no-consent' && <LetGoOne person={p.id} plan={plan} set={set} />}
                      <Button
                        look="plain"
                        onClick={() => set({ without: [...plan.without, p.id] })}
                        aria-label={phrase('Leave {name} out', { name: p.name })}
                      >
                        {phrase('leave out')}
                      </Button>
                    </span>
                  </li>
                ))}
                {h.count > h.people.length && (
                  <li className="text-soft">{phrase('and {count, number} more', { count: h.count - h.people.length })}</li>
                )}
              </ul>
            </details>
          ))}
        </>
      )}
      {plan.letGo.length > 0 && (
        <p className="mt-2 text-small">
          <Sentence
            m="{letGo, plural, one {# person gets} other {# people get}} it although nobody has recorded their yes. <button>take that back</button>"
            v={{
              letGo: plan.letGo.length,
              button: (c) => (
                <Button look="danger" onClick={() => set({ letGo: [] })}>
                  {c}
                </Button>
              ),
            }}
          />
        </p>
      )}
    </div>
  );
}

/** Whether the links of its emails lead anywhere, asked for when somebody wants to know. */
function Links({ broadcast, saved }: { broadcast: Broadcast; saved: boolean }) {
  const look = useMutation({ mutationFn: () => take(api.POST('/api/broadcasts/{id}/links', { params: { path: { id: broadcast.id } } })) });
  const dead = look.data?.filter((l) => l.problem) ?? [];
  return (
    <div className="mt-3 text-small">
      <Button disabled={!saved || look.isPending} onClick={() => look.mutate()}>
        {look.isPending ? phrase('asking for each page …') : phrase('see whether its links lead anywhere')}
      </Button>
      {look.data && dead.length === 0 && (
        <p role="status">{phrase('{data, plural, one {# link leads} other {# links lead}} to a page.', { data: look.data.length })}</p>
      )}
      {dead.length > 0 && (
        <ul role="status" className="m-0 list-none p-0 text-straw">
          {dead.map((l) => (
            <li key={l.address}>
              <span className="break-all">{l.address}</span>: {l.problem}
            </li>
          ))}
        </ul>
      )}
      <Trouble error={look.error} />
    </div>
  );
}

/** One person whose missing yes is overruled, with the reason that is kept; a no never can be. */
function LetGoOne({ person, plan, set }: { person: string; plan: Plan; set: (part: Partial<Plan>) => void }) {
  const may = useMay('overrule-consent');
  if (!may) return null;
  return (
    <Say words={phrase('let it go')} label={phrase('Let it go to them without their consent')} soft>
      {(close) => (
        <>
          <p className="mb-2 text-small">
            {phrase('Nobody has recorded that they may be written to. Why may this one go? The reason is kept.')}
          </p>
          <NameForm
            label={phrase('Why it may go')}
            words={phrase('Let it go')}
            longest={400}
            take={(reason) => {
              set({ letGo: [...plan.letGo, { person, reason }] });
              close();
            }}
          />
        </>
      )}
    </Say>
  );
}

/** The one press that sends it, and the one question before. */
function SendIt({
  broadcast,
  forecast,
  may,
  save,
  plan,
}: {
  broadcast: Broadcast;
  forecast: Forecast;
  may: boolean;
  save: () => Promise<void>;
  plan: Plan;
}) {
  const queries = useQueryClient();
  const { zone, now } = useNow();
  const [asking, setAsking] = useState(false);
  const send = useMutation({
    mutationFn: async () => {
      await save();
      return take(api.POST('/api/broadcasts/{id}/send', { params: { path: { id: broadcast.id } }, body: { edition: broadcast.edition } }));
    },
    onSuccess: (answer) => {
      queries.setQueryData(['broadcast', answer.id], answer);
      queries.invalidateQueries({ queryKey: ['broadcasts'] });
      toast(
        plan.when.kind === 'now'
          ? phrase('“{answer}” is going out.', { answer: answer.name })
          : phrase('“{answer}” goes {beginsAt}.', {
              answer: answer.name,
              beginsAt: answer.beginsAt ? moment(answer.beginsAt, zone, now) : phrase('at its moment'),
            }),
      );
    },
    onSettled: () => setAsking(false),
  });
  if (!may) return <p className="mt-4 text-small text-soft">{phrase('Ask a principal or adviser to send it.')}</p>;
  const later = plan.when.kind !== 'now';
  return (
    <div className="mt-4">
      <AlertDialog.Root open={asking} onOpenChange={setAsking}>
        <AlertDialog.Trigger asChild>
          <Button look="main" disabled={forecast.goes === 0 || send.isPending}>
            {later ? phrase('Send it at its moment …') : phrase('Send it now …')}
          </Button>
        </AlertDialog.Trigger>
        <AlertDialog.Portal container={asking ? document.getElementById('main') : undefined}>
          <AlertDialog.Overlay className="fixed inset-0 z-50 bg-ink/30" />
          <AlertDialog.Content className="float fixed inset-x-0 top-24 z-60 mx-auto max-w-[520px] p-6">
            <AlertDialog.Title className="!text-lead">
              {phrase('{goes, plural, one {# person gets} other {# people get}}', { goes: forecast.goes })} “{broadcast.name}”
            </AlertDialog.Title>
            <AlertDialog.Description asChild>
              <div className="my-3">
                <p>
                  {forecast.by
                    .map((b) => phrase('{count, number} by {wayNames}', { count: b.count, wayNames: wayNames[b.kind] ?? b.kind }))
                    .join(', ')}
                  {forecast.first && `, ${later ? phrase('from') : phrase('beginning')} ${moment(forecast.first, zone, now)}`}
                  {forecast.last && forecast.last !== forecast.first && phrase(' to {last}', { last: moment(forecast.last, zone, now) })}.
                  {forecast.price != null && phrase(' It costs {price}.', { price: money(forecast.price, forecast.currency) })}
                </p>
                {forecast.people > forecast.goes && (
                  <p className="mt-1 text-soft">
                    {phrase('{lookedAt, number} do not get it, for the reasons in the margin.', {
                      lookedAt: forecast.lookedAt - forecast.goes,
                    })}
                  </p>
                )}
                <p className="mt-1 text-soft">
                  {later
                    ? phrase('Until then it can be taken back. Who it is for is fixed when it begins.')
                    : phrase('What has gone cannot be called back; what has not can be held or stopped.')}
                </p>
              </div>
            </AlertDialog.Description>
            <p className="flex items-baseline gap-5">
              <Button look="main" disabled={send.isPending} onClick={() => send.mutate()}>
                {later ? phrase('Send it at its moment') : phrase('Send it now')}
              </Button>
              <AlertDialog.Cancel asChild>
                <Button look="plain">{phrase('not yet')}</Button>
              </AlertDialog.Cancel>
            </p>
          </AlertDialog.Content>
        </AlertDialog.Portal>
      </AlertDialog.Root>
      <Trouble error={send.error} />
    </div>
  );
}

/** It as one recipient after the other reads it, and a trial to oneself or a colleague. */
function AsOneReads({ broadcast, saved }: { broadcast: Broadcast; saved: boolean }) {
  const members = useSession().data?.members ?? [];
  const own = useSession().data?.member?.id;
  const [nth, setNth] = useState(0);
  const read = useQuery({
    queryKey: ['broadcast-read', broadcast.id, broadcast.edition, nth],
    enabled: saved,
    retry: false,
    placeholderData: keepPreviousData,
    queryFn: () => take(api.GET('/api/broadcasts/{id}/as-read', { params: { path: { id: broadcast.id }, query: { nth } } })),
  });
  const trial = useMutation({
    mutationFn: (to: string | undefined) =>
      take(api.POST('/api/broadcasts/{id}/trial', { params: { path: { id: broadcast.id } }, body: { nth, to: to ? [to] : null } })),
    onSuccess: (_, to) =>
      toast(phrase('A trial is on its way to {to}.', { to: to && to !== own ? members.find((m) => m.id === to)?.name : phrase('you') })),
  });
  const another = (move: number) => setNth((n) => n + move);
  useKeys({ '[': () => another(-1), ']': () => another(1) });
  const seen = read.data;
  if (!seen) return null;
  return (
    <section className="mt-5" aria-label={phrase('As one of them reads it')}>
      <h3>{phrase('As {person} has it', { person: seen.person.name })}</h3>
      <p className="text-small text-soft">
        <Sentence
          m="<button>the one before {kbd}</button> · <button2>the next {kbd2}</button2> · {nth, number} of {of, number}"
          v={{
            kbd: <kbd>[</kbd>,
            button: (c) => <Button onClick={() => another(-1)}>{c}</Button>,
            kbd2: <kbd>]</kbd>,
            button2: (c) => <Button onClick={() => another(1)}>{c}</Button>,
            nth: seen.nth + 1,
            of: seen.of,
          }}
        />
      </p>
      {seen.heldBack ? (
        <p className="text-ember">{phrase('They do not get it: {heldBack}.', { heldBack: seen.heldBack })}</p>
      ) : (
        <>
          <p>
            <Sentence
              m="By {wayNames}{version}, from {from}."
              v={{
                wayNames: wayNames[seen.kind ?? ''] ?? seen.kind,
                version: seen.version && phrase(', version {version} first', { version: seen.version }),
                from: seen.from,
              }}
            />
          </p>
          {seen.subject && <p className="font-serif font-semibold">{seen.subject}</p>}
          {seen.kind === 'email' ? (
            <ReadAs
              letter={{ subject: seen.subject, page: seen.page, text: seen.text, from: seen.from }}
              person={seen.person.name}
              another={another}
            />
          ) : (
            <p className="font-serif whitespace-pre-wrap">{seen.text}</p>
          )}
        </>
      )}
      {seen.lack && <p className="text-straw">{phrase('It cannot be filled for them: {lack}.', { lack: seen.lack })}</p>}
      {seen.kind === 'email' && (
        <p className="mt-2 flex flex-wrap gap-4">
          <Button disabled={trial.isPending} onClick={() => trial.mutate(undefined)}>
            {phrase('a trial to me')}
          </Button>
          {members.length > 1 && (
            <Menu trigger={phrase('to a colleague')} className="text-small text-leaf">
              {members
                .filter((m) => m.id !== own)
                .map((m) => (
                  <MenuItem key={m.id} choose={() => trial.mutate(m.id)}>
                    {m.name}
                  </MenuItem>
                ))}
            </Menu>
          )}
        </p>
      )}
      <Trouble error={trial.error} />
    </section>
  );
}
