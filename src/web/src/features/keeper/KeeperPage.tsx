import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { type ReactNode, useState } from 'react';
import { toast } from 'sonner';
import { api, type Schemas, take } from '../../api/client';
import { useSession } from '../../app/session';
import { Button, Field, fieldError, Loading, Trouble } from '../../ui/bits';
import { DayPage, PageHead, Stretch } from '../../ui/DayPage';
import { size } from '../../ui/size';
import { machineMoment } from '../../ui/when';
import { ZoneField } from '../../ui/ZoneField';
import { locale, phrase } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';
import { CountryField, countryOfBrowser } from '../beginning/CountryField';

type Practice = Schemas['KeptPracticeDto'];
type Installation = Schemas['InstallationDto'];

/** The practices of the installation: how large each is and how it fares, made, stopped and started. */
export default function KeeperPage() {
  const house = useQuery({ queryKey: ['keeper'], queryFn: () => take(api.GET('/api/keeper')), refetchInterval: 300_000 });
  const [picked, setPicked] = useState<string>();
  return (
    <DayPage marginTitle={phrase('How the installation fares')} margin={<Health backedUpAt={house.data?.backedUpAt ?? null} />}>
      <PageHead
        title={phrase('Practices')}
        aside={house.data && <span>{phrase('the database takes {databaseBytes}', { databaseBytes: size(house.data.databaseBytes) })}</span>}
      />
      <div className="px-7">
        <Trouble error={house.error} />
      </div>
      {house.data ? (
        <>
          <Stretch
            title={phrase('{practices, plural, one {# practice} other {# practices}}', { practices: house.data.practices.length })}
          />
          {house.data.practices.length === 0 && <p className="row text-soft">{phrase('None yet. Make the first one here.')}</p>}
          {house.data.practices.map((p) => (
            <Line key={p.id} practice={p} open={p.id === picked} pick={() => setPicked(p.id === picked ? undefined : p.id)} />
          ))}
          <Make />
          <Keepers house={house.data} />
        </>
      ) : (
        !house.error && <Loading />
      )}
    </DayPage>
  );
}

function useHouseAnew() {
  const queries = useQueryClient();
  return () => queries.invalidateQueries({ queryKey: ['keeper'] });
}

/** What is not as it should be, in words; nothing where all is well. */
function troubles(p: Practice): string[] {
  const words: string[] = [];
  if (!p.hasPrincipal) words.push(phrase('nobody has joined yet'));
  if (p.endsAt) words.push(phrase('goes with all it has on {endsAt}', { endsAt: machineMoment(p.endsAt) }));
  if (p.waitsSince && !p.stoppedAt) words.push(phrase('something waits since {waitsSince}', { waitsSince: machineMoment(p.waitsSince) }));
  if (p.setAside > 0)
    words.push(phrase('work on {setAside, plural, one {# person} other {# people}} is set aside', { setAside: p.setAside }));
  if (p.away > 0) words.push(phrase('{away, plural, one {# server} other {# servers}} away', { away: p.away }));
  return words;
}

function Line({ practice: p, open, pick }: { practice: Practice; open: boolean; pick: () => void }) {
  const wrong = troubles(p);
  return (
    <div className={`row ${open ? 'on' : ''}`} aria-current={open}>
      <div className="flex items-baseline gap-4">
        <button type="button" data-pick className="min-h-6 min-w-0 flex-1 text-left" aria-expanded={open} onClick={pick}>
          <b className="font-semibold break-words">{p.name}</b>{' '}
          <span className="text-soft">
            · {phrase('{members, plural, one {# member} other {# members}}', { members: p.members })} ·{' '}
            {phrase('{people, plural, one {# person} other {# people}}', { people: p.people })}
          </span>
          {p.stoppedAt && <span className="text-ember">{phrase(' · stopped')}</span>}
          {wrong.length > 0 && <span className="text-straw"> · {wrong.join(' · ')}</span>}
        </button>
        <span className="text-small text-soft max-[699px]:hidden">{size(p.bytes)}</span>
      </div>
      {open && <Detail practice={p} />}
    </div>
  );
}

function Detail({ practice: p }: { practice: Practice }) {
  const anew = useHouseAnew();
  const [why, setWhy] = useState('');
  const path = { params: { path: { id: p.id } } };
  const stop = useMutation({
    mutationFn: () => take(api.POST('/api/keeper/practices/{id}/stop', { ...path, body: { why } })),
    onSuccess: () => {
      setWhy('');
      anew();
    },
  });
  const start = useMutation({
    mutationFn: () => take(api.POST('/api/keeper/practices/{id}/start', path)),
    onSuccess: () => {
      anew();
      toast(phrase('{name} goes on.', { name: p.name }));
    },
  });
  return (
    <div className="mt-1">
      <p className="m-0 max-w-[64ch] font-serif">
        {phrase(
          '{name} keeps the time of {zone}. It has {programsOn, plural, one {# program} other {# programs}} on, has sent {messages, plural, one {# message} other {# messages}}, {messagesLately} of them in the last thirty days, and takes about {bytes}. {seenAt}',
          {
            name: p.name,
            zone: p.zone,
            programsOn: p.programsOn,
            messages: p.messages,
            messagesLately: p.messagesLately === 0 ? phrase('none') : p.messagesLately.toLocaleString(locale()),
            bytes: size(p.bytes),
            seenAt: p.seenAt
              ? phrase('A member was last seen {seenAt}.', { seenAt: machineMoment(p.seenAt) })
              : phrase('Nobody of it is signed in.'),
          },
        )}
      </p>
      {!p.hasPrincipal && <Again practice={p} />}
      {p.stoppedAt ? (
        <div className="mt-3">
          <p className="my-1 max-w-[64ch] border-l-[3px] border-ember pl-3">
            {phrase(
              'Stopped {stoppedAt}: {stoppedWhy} Nobody of it signs in and nothing goes out; what people answer is still taken in, and so is what they want no more.',
              { stoppedAt: machineMoment(p.stoppedAt), stoppedWhy: p.stoppedWhy },
            )}
          </p>
          <Trouble error={start.error} />
          <Button onClick={() => start.mutate()} disabled={start.isPending}>
            {phrase('Let it go on')}
          </Button>
        </div>
      ) : (
        <form
          className="mt-3"
          onSubmit={(e) => {
            e.preventDefault();
            stop.mutate();
          }}
        >
          <Field
            label={phrase('Stop it, because')}
            error={fieldError(stop.error, 'why')}
            hint={phrase('its members read this where they sign in; its principals are told by mail')}
          >
            {(id, by) => (
              <input
                id={id}
                aria-describedby={by}
                className="w-full max-w-[30rem]"
                maxLength={300}
                value={why}
                onChange={(e) => setWhy(e.target.value)}
              />
            )}
          </Field>
          {!fieldError(stop.error, 'why') && <Trouble error={stop.error} />}
          <Button type="submit" disabled={stop.isPending}>
            {phrase('Stop {name}', { name: p.name })}
          </Button>
        </form>
      )}
    </div>
  );
}

/** The address of an invitation, for where mail does not go yet. */
function Invited({ address, children }: { address: string; children: ReactNode }) {
  return (
    <p className="my-2 max-w-[64ch]" role="status">
      <Sentence
        m="{children} The invitation is good once, for three days; where mail does not go out yet, hand its address over yourself: {code}"
        v={{ children, code: <code className="block [overflow-wrap:anywhere]">{address}</code> }}
      />
    </p>
  );
}

/** Somebody else’s name and address. */
function Who({
  name,
  setName,
  email,
  setEmail,
  error,
}: {
  name: string;
  setName: (v: string) => void;
  email: string;
  setEmail: (v: string) => void;
  error: unknown;
}) {
  return (
    <>
      <Field label={phrase('The principal’s name')} error={fieldError(error, 'name')}>
        {(id, by) => <input id={id} aria-describedby={by} className="w-56" value={name} onChange={(e) => setName(e.target.value)} />}
      </Field>
      <Field label={phrase('The principal’s email address')} error={fieldError(error, 'email')}>
        {(id, by) => (
          <input
            id={id}
            aria-describedby={by}
            type="email"
            required
            className="w-64"
            value={email}
            onChange={(e) => setEmail(e.target.value)}
          />
        )}
      </Field>
    </>
  );
}

function Again({ practice: p }: { practice: Practice }) {
  const anew = useHouseAnew();
  const [name, setName] = useState('');
  const [email, setEmail] = useState('');
  const invite = useMutation({
    mutationFn: () => take(api.POST('/api/keeper/practices/{id}/principal', { params: { path: { id: p.id } }, body: { name, email } })),
    onSuccess: anew,
  });
  return (
    <form
      className="mt-3"
      onSubmit={(e) => {
        e.preventDefault();
        invite.mutate();
      }}
    >
      <p className="my-1 text-straw">{phrase('Nobody has joined. Invite its principal again, or another one in their place:')}</p>
      <div className="flex flex-wrap gap-x-6">
        <Who name={name} setName={setName} email={email} setEmail={setEmail} error={invite.error} />
      </div>
      {!fieldError(invite.error, 'email') && <Trouble error={invite.error} />}
      {invite.data && (
        <Invited address={invite.data.address}>{phrase('The invitation before is good no more; this is the new one.')}</Invited>
      )}
      <Button type="submit" disabled={invite.isPending}>
        {phrase('Invite again')}
      </Button>
    </form>
  );
}

function Make() {
  const anew = useHouseAnew();
  const countries = useQuery({ queryKey: ['countries'], queryFn: () => take(api.GET('/api/session/countries')) });
  const [practice, setPractice] = useState('');
  const [name, setName] = useState('');
  const [email, setEmail] = useState('');
  const [zone, setZone] = useState(Intl.DateTimeFormat().resolvedOptions().timeZone);
  const [chosen, setChosen] = useState<string>();
  const country = chosen ?? countryOfBrowser(countries.data ?? []);
  const make = useMutation({
    mutationFn: () => take(api.POST('/api/keeper/practices', { body: { practice, zone, country, name, email } })),
    onSuccess: () => {
      setPractice('');
      setName('');
      setEmail('');
      anew();
    },
  });
  return (
    <>
      <Stretch title={phrase('Make a practice')} note={phrase('its principal is invited, and begins it')} />
      <form
        className="px-7 py-3"
        onSubmit={(e) => {
          e.preventDefault();
          make.mutate();
        }}
      >
        <div className="flex flex-wrap gap-x-6">
          <Field label={phrase('What it is called')} error={fieldError(make.error, 'practice')}>
            {(id, by) => (
              <input
                id={id}
                aria-describedby={by}
                required
                className="w-64"
                value={practice}
                onChange={(e) => setPractice(e.target.value)}
              />
            )}
          </Field>
          <ZoneField
            label={phrase('Its clock')}
            none={phrase('choose a place')}
            value={zone}
            set={setZone}
            error={fieldError(make.error, 'zone')}
          />
          <CountryField countries={countries.data ?? []} value={country} set={setChosen} error={fieldError(make.error, 'country')} />
          <Who name={name} setName={setName} email={email} setEmail={setEmail} error={make.error} />
        </div>
        {!['practice', 'zone', 'country', 'email'].some((f) => fieldError(make.error, f)) && (
          <Trouble error={make.error ?? countries.error} />
        )}
        {make.data && <Invited address={make.data.address}>{phrase('It is made, and its principal is invited.')}</Invited>}
        <Button type="submit" look="main" disabled={make.isPending}>
          {phrase('Make it')}
        </Button>
      </form>
    </>
  );
}

function Keepers({ house }: { house: Installation }) {
  const anew = useHouseAnew();
  const me = useSession().data?.member?.id;
  const out = useMutation({
    mutationFn: (id: string) => take(api.DELETE('/api/keeper/keepers/{id}', { params: { path: { id } } })),
    onSuccess: anew,
  });
  return (
    <>
      <Stretch
        title={phrase('Who keeps it')}
        note={phrase('{command}, on the machine, makes another one', { command: './germinal keeper' })}
      />
      <div className="px-7">
        <Trouble error={out.error} />
      </div>
      {house.keepers.map((k) => (
        <p key={k.id} className="row m-0 flex flex-wrap items-baseline gap-x-4">
          <span className="min-w-0 flex-1 break-words">
            <b className="font-semibold">{k.name}</b> <span className="text-soft">· {k.email}</span>
          </span>
          {k.id !== me && (
            <Button look="plain" className="min-h-6" disabled={out.isPending} onClick={() => out.mutate(k.id)}>
              {phrase('Take {name} out', { name: k.name })}
            </Button>
          )}
        </p>
      ))}
    </>
  );
}

const colours: Record<string, string> = { wrong: 'text-ember', doubtful: 'text-straw' };

/** What the doctor says of the installation. */
function Health({ backedUpAt }: { backedUpAt: string | null }) {
  const health = useQuery({ queryKey: ['keeper', 'health'], queryFn: () => take(api.GET('/api/keeper/health')), staleTime: 300_000 });
  const bad = health.data?.filter((f) => f.is !== 'well') ?? [];
  const well = health.data?.filter((f) => f.is === 'well') ?? [];
  return (
    <>
      <h3>{phrase('How the installation fares')}</h3>
      <Trouble error={health.error} />
      {health.isPending && <Loading what={phrase('Looking it over')} />}
      {health.data && bad.length === 0 && <p>{phrase('Everything that was looked at is well.')}</p>}
      {bad.map((f) => (
        <p key={f.what} className="mt-2">
          <span className={colours[f.is]}>{f.what}</span> {f.then}
        </p>
      ))}
      {backedUpAt && (
        <p className="mt-3">{phrase('The newest backup was made {backedUpAt}.', { backedUpAt: machineMoment(backedUpAt) })}</p>
      )}
      {well.length > 0 && (
        <details className="mt-3">
          <summary className="min-h-6 cursor-pointer text-soft">
            {phrase('{well, plural, one {# thing is} other {# things are}} well', { well: well.length })}
          </summary>
          <ul className="m-0 pl-4">
            {well.map((f) => (
              <li key={f.what}>{f.what}</li>
            ))}
          </ul>
        </details>
      )}
      <h3 className="mt-5">{phrase('What is not here')}</h3>
      <p>
        {phrase('Nothing of anybody’s people: no name, no address, no letter. Who keeps the installation does not belong to any practice.')}
      </p>
    </>
  );
}
