import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Link, useNavigate } from 'react-router';
import { toast } from 'sonner';
import { api, type Schemas, take } from '../../api/client';
import { useMay, useNow } from '../../app/session';
import { Button, Empty, Loading, ProgressBar, Trouble } from '../../ui/bits';
import { DayPage, PageHead, Stretch, useTitle } from '../../ui/DayPage';
import { NameForm } from '../../ui/NameForm';
import { TableBehind } from '../../ui/TableBehind';
import { moment } from '../../ui/when';
import { locale, phrase, quoted } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';
import { Say } from '../programs/Say';
import { filled } from '../programs/StepLine';
import { PeopleBehind } from '../results/PeopleBehind';
import { ByWhat } from './ByWhat';
import { HourCurve } from './HourCurve';
import { type Broadcast, numberNames, rates, sayTo, sayWays, sayWhen } from './plan';
import { percent, ShareBar } from './ShareBar';

type Numbers = Schemas['BroadcastNumbers'];

/** How often the numbers of one that is going out are asked for again (milliseconds). */
const breath = 2_000;

/** A broadcast that was sent: how far it is, what it did, and the people behind each number. */
export function BroadcastResults({ broadcast }: { broadcast: Broadcast }) {
  const { zone, now } = useNow();
  const [what, setWhat] = useState<string>();
  useTitle(broadcast.name);
  const began = broadcast.beganAt !== null;
  const numbers = useQuery({
    queryKey: ['broadcast-numbers', broadcast.id],
    enabled: began,
    queryFn: () => take(api.GET('/api/broadcasts/{id}/numbers', { params: { path: { id: broadcast.id } } })),
    refetchInterval: broadcast.status === 'going' ? breath : false,
  });
  const first = broadcast.plan.ways[0];
  return (
    <DayPage
      marginTitle={what ? phrase('Who that is') : phrase('What can be done')}
      margin={
        what ? (
          <Who broadcast={broadcast} what={what} close={() => setWhat(undefined)} />
        ) : (
          <Acts broadcast={broadcast} numbers={numbers.data} />
        )
      }
    >
      <PageHead title={broadcast.name} aside={<Link to="/programs/broadcasts">{phrase('Broadcasts')}</Link>} />
      <div className="px-7 pb-3 font-serif text-[17px] leading-relaxed max-[699px]:px-4">
        <Sentence
          m="To {to}, by {ways}{subject}. {began} <span>Sent by {sentBy}.</span>"
          v={{
            to: sayTo(broadcast.plan.to, broadcast.earlier),
            ways: sayWays(broadcast.plan.ways),
            subject: first?.subject && <>: {quoted(filled(first.subject))}</>,
            began: began
              ? phrase('It began {zone}{status}.', {
                  zone: moment(broadcast.beganAt ?? '', zone, now),
                  status:
                    broadcast.status === 'done' && broadcast.endedAt
                      ? phrase(' and was all gone {endedAt}', { endedAt: moment(broadcast.endedAt, zone, now) })
                      : '',
                })
              : phrase('{kind}; who it is for is fixed then.', {
                  kind:
                    broadcast.plan.when.kind === 'own'
                      ? phrase('It goes {when}, the first {zone}', {
                          when: sayWhen(broadcast.plan.when),
                          zone: moment(broadcast.beginsAt ?? '', zone, now),
                        })
                      : phrase('It begins {zone}', { zone: moment(broadcast.beginsAt ?? '', zone, now) }),
                }),
            sentBy: broadcast.sentBy,
            span: (c) => <span className="text-small text-soft">{c}</span>,
          }}
        />
      </div>
      {began && numbers.isPending && <Loading what={phrase('Counting')} />}
      <Trouble error={numbers.error} />
      {!began && <Empty>{phrase('Nothing has gone yet. Until it begins it can be taken back, at the right.')}</Empty>}
      {numbers.data && <Found numbers={numbers.data} broadcast={broadcast} pick={setWhat} picked={what} />}
      {numbers.data && numbers.data.sent > 0 && <ByWhat id={broadcast.id} goal={broadcast.plan.goal} />}
    </DayPage>
  );
}

function Found({
  numbers,
  broadcast,
  pick,
  picked,
}: {
  numbers: Numbers;
  broadcast: Broadcast;
  pick: (what: string) => void;
  picked?: string;
}) {
  const left = numbers.left.reduce((n, l) => n + l.number, 0);
  const settled = numbers.people - left;
  return (
    <>
      {(broadcast.status === 'going' || broadcast.status === 'paused') && (
        <div className="px-7 pb-3 max-[699px]:px-4">
          <p role="status" className="mb-1 text-small">
            <Sentence
              m="{sent, number} went, {left, number} are left{status}."
              v={{ sent: numbers.sent, left, status: broadcast.status === 'paused' && phrase('; it is held') }}
            />
          </p>
          <ProgressBar share={numbers.people > 0 ? Math.round((100 * settled) / numbers.people) : 0} label={phrase('How far it is')} />
        </div>
      )}
      <Stretch
        title={phrase('What it did')}
        note={phrase(
          'of {sent, plural, one {# message} other {# messages}}; the pale stroke is where the true share lies, 19 times in 20',
          { sent: numbers.sent },
        )}
      />
      <table className="w-full text-small" aria-label={phrase('What it did')}>
        <tbody>
          {numbers.lines.map((line) => (
            <tr key={line.what} className={`border-t border-rule ${picked === line.what ? 'bg-picked' : ''}`}>
              <th scope="row" className="py-1.5 pr-3 pl-7 text-left font-normal max-[699px]:pl-4">
                {numberNames[line.what] ?? line.what}
              </th>
              <td className="py-1.5 pr-3 text-right tabular-nums">
                <HowMany line={{ what: line.what, number: line.number }} pick={pick} picked={picked} />
              </td>
              <td className="py-1.5 pr-7 max-[699px]:hidden">{line.of > 0 && <ShareBar line={line} />}</td>
              <td className="hidden py-1.5 pr-4 text-right tabular-nums max-[699px]:table-cell">{line.of > 0 && percent(line.share)}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {numbers.byMachines > 0 && (
        <p className="px-7 pt-2 text-small text-soft max-[699px]:px-4">
          {phrase('Machines looked at {byMachines, number} of them; they count for nothing here.', { byMachines: numbers.byMachines })}
        </p>
      )}
      {numbers.versions && <Versions versions={numbers.versions} by={broadcast.plan.test?.by ?? 'opened'} />}
      <Reasons title={phrase('Still to go')} reasons={numbers.left} pick={pick} picked={picked} />
      <Reasons title={phrase('Does not go')} reasons={numbers.held} pick={pick} picked={picked} />
      {numbers.hours.some((h) => h.opened + h.followed > 0) && (
        <>
          <Stretch title={phrase('The first 48 hours')} note={phrase('since each was sent')} />
          <div className="px-7 pb-6 max-[699px]:px-4">
            <HourCurve hours={numbers.hours} />
            <TableBehind
              words={phrase('hour by hour, as a table')}
              heads={[phrase('hour'), phrase('opened'), phrase('followed a link')]}
              rows={numbers.hours.map((h) => [`${h.hour + 1}`, String(h.opened), String(h.followed)])}
            />
          </div>
        </>
      )}
    </>
  );
}

/** A number that leads to the people behind it. */
function HowMany({ line, pick, picked }: { line: { what: string; number: number }; pick: (what: string) => void; picked?: string }) {
  if (line.number === 0) return <>0</>;
  return (
    <button
      type="button"
      className="min-h-6 min-w-6 text-leaf hover:underline"
      aria-pressed={picked === line.what}
      aria-label={phrase('{number, number}: who that is', { number: line.number })}
      onClick={() => pick(line.what)}
    >
      {line.number.toLocaleString(locale())}
    </button>
  );
}

function Reasons({
  title,
  reasons,
  pick,
  picked,
}: {
  title: string;
  reasons: Schemas['ResultReason'][];
  pick: (what: string) => void;
  picked?: string;
}) {
  if (reasons.length === 0) return null;
  return (
    <>
      <Stretch title={title} />
      <ul className="m-0 list-none p-0" aria-label={title}>
        {reasons.map((r) => (
          <li key={r.what} className={`row !py-1.5 ${picked === r.what ? 'on' : ''}`}>
            <span className="gutter">
              <HowMany line={r} pick={pick} picked={picked} />
            </span>
            {r.text}
          </li>
        ))}
      </ul>
    </>
  );
}

function Versions({ versions, by }: { versions: Schemas['ResultVersions']; by: string }) {
  const { zone, now } = useNow();
  return (
    <>
      <Stretch
        title={phrase('Versions beside each other')}
        note={phrase('what decides: {find}', { find: rates.find(([r]) => r === by)?.[1] ?? by })}
      />
      <table className="w-full text-small" aria-label={phrase('Versions beside each other')}>
        <tbody>
          {versions.versions.map((v) => (
            <tr key={v.version} className="border-t border-rule">
              <th scope="row" className="py-1.5 pr-3 pl-7 text-left font-normal max-[699px]:pl-4">
                <b>{v.version}</b> <span className="font-serif">{filled(v.subject)}</span>
              </th>
              <td className="py-1.5 pr-3 text-right whitespace-nowrap tabular-nums">
                {phrase('{number, number} of {of, number}', { number: v.line.number, of: v.line.of })}
              </td>
              <td className="py-1.5 pr-7 max-[699px]:hidden">{v.line.of > 0 && <ShareBar line={v.line} />}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className={`px-7 py-2 max-[699px]:px-4 ${versions.sure ? '' : 'text-straw'}`}>
        {versions.says}
        {versions.decideAt && phrase(' It is decided {decideAt}.', { decideAt: moment(versions.decideAt, zone, now) })}
        {versions.decidedAt && phrase(' It was decided {decidedAt}.', { decidedAt: moment(versions.decidedAt, zone, now) })}
      </p>
    </>
  );
}

/** Taking it back, holding it, stopping it, sending it once more to those who did not open it. */
function Acts({ broadcast, numbers }: { broadcast: Broadcast; numbers?: Numbers }) {
  const queries = useQueryClient();
  const go = useNavigate();
  const may = useMay('switch-programs');
  const path = { params: { path: { id: broadcast.id } } };
  const refresh = () => {
    queries.invalidateQueries({ queryKey: ['broadcast', broadcast.id] });
    queries.invalidateQueries({ queryKey: ['broadcast-numbers', broadcast.id] });
    queries.invalidateQueries({ queryKey: ['broadcasts'] });
  };
  const back = useMutation({
    mutationFn: () => take(api.POST('/api/broadcasts/{id}/take-back', path)),
    onSuccess: (answer) => {
      queries.setQueryData(['broadcast', broadcast.id], answer);
      queries.invalidateQueries({ queryKey: ['broadcasts'] });
      toast(phrase('It is a draft again; nothing has gone.'));
    },
  });
  const hold = useMutation({
    mutationFn: (paused: boolean) =>
      take(paused ? api.POST('/api/broadcasts/{id}/pause', path) : api.POST('/api/broadcasts/{id}/resume', path)),
    onSuccess: (_, paused) => {
      refresh();
      toast(paused ? phrase('It is held. What has not gone waits.') : phrase('It goes on.'));
    },
  });
  const stop = useMutation({
    mutationFn: () => take(api.POST('/api/broadcasts/{id}/stop', path)),
    onSuccess: () => {
      refresh();
      toast(phrase('It is stopped. What had not gone does not go.'));
    },
  });
  const again = useMutation({
    mutationFn: (subject: string) => take(api.POST('/api/broadcasts/{id}/again', { ...path, body: { subject } })),
    onSuccess: (made) => {
      queries.setQueryData(['broadcast', made.id], made);
      queries.invalidateQueries({ queryKey: ['broadcasts'] });
      go(`/programs/broadcasts/${made.id}`);
    },
  });
  const { status } = broadcast;
  const notOpened = numbers?.lines.find((l) => l.what === 'not-opened')?.number ?? 0;
  return (
    <>
      <h3>{phrase('What can be done')}</h3>
      {may && status === 'waiting' && (
        <p>
          <Button look="main" disabled={back.isPending} onClick={() => back.mutate()}>
            {phrase('Take it back')}
          </Button>
          <span className="mt-1 block text-small text-soft">{phrase('It is a draft again, to be changed or thrown away.')}</span>
        </p>
      )}
      {may && (status === 'going' || status === 'paused') && (
        <p className="flex flex-wrap items-baseline gap-5">
          <Button look="main" disabled={hold.isPending} onClick={() => hold.mutate(status === 'going')}>
            {status === 'going' ? phrase('Hold it') : phrase('Let it go on')}
          </Button>
          <Say words={phrase('stop it for good')} label={phrase('Stop it for good')}>
            {(close) => (
              <>
                <p className="mb-2 text-small">{phrase('What has not gone never goes. This cannot be taken back.')}</p>
                <Button
                  look="danger"
                  disabled={stop.isPending}
                  onClick={() => {
                    stop.mutate();
                    close();
                  }}
                >
                  {phrase('Stop it')}
                </Button>
              </>
            )}
          </Say>
        </p>
      )}
      <Trouble error={back.error ?? hold.error ?? stop.error} />
      {broadcast.again ? (
        <p className="mt-3">
          <Sentence
            m="It went once more to those who did not open it: <link>the second try</link>."
            v={{ link: (c) => <Link to={`/programs/broadcasts/${broadcast.again}`}>{c}</Link> }}
          />
        </p>
      ) : (
        broadcast.beganAt &&
        !broadcast.againOf &&
        notOpened > 0 &&
        status !== 'waiting' && (
          <div className="mt-3">
            <Say
              words={phrase('again to the {notOpened, number} who did not open it', { notOpened })}
              label={phrase('Again to those who did not open it')}
            >
              {() => (
                <>
                  <p className="mb-2 text-small">{phrase('Once, with another subject. Who has opened it by then is left out.')}</p>
                  <NameForm
                    label={phrase('Another subject')}
                    words={phrase('Write it')}
                    longest={400}
                    start={broadcast.plan.ways[0]?.subject ?? ''}
                    take={(subject) => again.mutate(subject)}
                  />
                </>
              )}
            </Say>
            <Trouble error={again.error} />
          </div>
        )
      )}
      {broadcast.againOf && (
        <p className="mt-3">
          <Sentence
            m="This is the second try of <link>an earlier one</link>."
            v={{ link: (c) => <Link to={`/programs/broadcasts/${broadcast.againOf}`}>{c}</Link> }}
          />
        </p>
      )}
      <p className="mt-4 text-small text-soft">{phrase('Press a number to see who that is.')}</p>
    </>
  );
}

/** The people behind a number of a broadcast, and what can be done with them. */
function Who({ broadcast, what, close }: { broadcast: Broadcast; what: string; close: () => void }) {
  const go = useNavigate();
  const queries = useQueryClient();
  const path = { params: { path: { id: broadcast.id } } };
  const deed = {
    opened: 'opened',
    'not-opened': 'not-opened',
    followed: 'followed',
    answered: 'answered',
    delivered: 'got',
  }[what];
  const write = useMutation({
    mutationFn: async () => {
      const made = await take(
        api.POST('/api/broadcasts', { body: { name: phrase('{broadcast}, afterwards', { broadcast: broadcast.name }), plan: null } }),
      );
      const plan = { ...made.plan, to: { ...made.plan.to, kind: 'recipients', broadcast: broadcast.id, did: deed ?? 'got' } };
      return take(
        api.PUT('/api/broadcasts/{id}', {
          params: { path: { id: made.id } },
          body: { edition: made.edition, name: made.name, plan: plan as Schemas['PlanBody'] },
        }),
      );
    },
    onSuccess: (made) => {
      queries.setQueryData(['broadcast', made.id], made);
      go(`/programs/broadcasts/${made.id}`);
    },
  });
  return (
    <PeopleBehind
      title={numberNames[what] ?? phrase('Who that is')}
      queryKey={['broadcast-who', broadcast.id, what]}
      ask={() => take(api.GET('/api/broadcasts/{id}/who', { params: { path: { id: broadcast.id }, query: { what } } }))}
      toList={(list) => take(api.POST('/api/broadcasts/{id}/who/list', { ...path, body: { what, list } }))}
      toCalls={(title) => take(api.POST('/api/broadcasts/{id}/who/calls', { ...path, body: { what, title, on: '' } }))}
      about={phrase('After “{broadcast}”', { broadcast: broadcast.name })}
      close={close}
      more={
        deed && (
          <>
            <Button disabled={write.isPending} onClick={() => write.mutate()}>
              {phrase('write to them')}
            </Button>
            <Trouble error={write.error} />
          </>
        )
      }
    />
  );
}
