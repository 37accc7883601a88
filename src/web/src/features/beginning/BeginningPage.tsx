import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { type ReactNode, useEffect, useState } from 'react';
import { Link } from 'react-router';
import { api, type Schemas, take } from '../../api/client';
import { Button, Field, fieldError, Loading, Trouble } from '../../ui/bits';
import { DayPage, PageHead, Stretch } from '../../ui/DayPage';
import { useKeys } from '../../ui/keys';
import { said } from '../../ui/undo';
import { placeOf } from '../../ui/when';
import { ZoneField } from '../../ui/ZoneField';
import { phrase } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';
import { Invite } from '../members/MembersPage';
import { Look } from '../practice/Look';
import { CountryField, PresetWords } from './CountryField';
import { FirstLetter } from './FirstLetter';
import { FirstPerson } from './FirstPerson';
import { MailPart } from './MailPart';

type Beginning = Schemas['BeginningDto'];
type Country = Schemas['CountryDto'];

/** What each part is, before and after it is done. */
const words: Record<string, { ask: string; done: (b: Beginning) => string; why: string }> = {
  who: {
    ask: phrase('Who you are: your postal address, clock and country'),
    done: (b) =>
      phrase('{practice}, {split} · by the clock of {zone}', {
        practice: b.practice,
        split: b.postalAddress.split('\n').join(', '),
        zone: placeOf(b.zone),
      }),
    why: phrase(
      'The law asks that your postal address stands under every commercial email. Your country presets holidays, hours for calls, and what needs a yes.',
    ),
  },
  look: {
    ask: phrase('How you look: a logo, two colours'),
    done: (b) =>
      b.picture
        ? phrase('Your logo and colours stand on your public pages')
        : phrase('{colour} stands on your public pages', { colour: b.colour }),
    why: phrase('Forms, pages and times to choose are read by people who know you by your letterhead.'),
  },
  mail: {
    ask: phrase('Mail: the server your letters go out by'),
    done: (b) =>
      b.mail ? phrase('Mail goes out by {host}', { host: b.mail.host }) : phrase('Mail goes out by the server of this installation'),
    why: phrase('One trial mail is sent to yourself. The server is kept only where that worked; else you read what exactly it answered.'),
  },
  people: {
    ask: phrase('People: a list, cards, or the first one by hand'),
    done: () => phrase('There are people'),
    why: phrase(
      'A spreadsheet, an export of your address book, or what you copy from a table: columns are recognised and shown before anything is taken in.',
    ),
  },
  members: {
    ask: phrase('Members: who works with you'),
    done: () => phrase('You are several'),
    why: phrase('Each signs in for themselves, and letters go in the name of whoever looks after somebody.'),
  },
  program: {
    ask: phrase('A ready program, rehearsed on your own people'),
    done: () => phrase('A program was rehearsed'),
    why: phrase('A rehearsal shows each letter on each date, as each of your people would read it, and sends nothing.'),
  },
  letter: {
    ask: phrase('The first letter'),
    done: () => phrase('The first letter went out'),
    why: phrase('Switch a program on and start it for somebody: perhaps for yourself first.'),
  },
};

/** The way a new practice begins: part after part, each ticked because it is done. It can be left and gone on with. */
export default function BeginningPage() {
  const beginning = useQuery({ queryKey: ['beginning'], queryFn: () => take(api.GET('/api/beginning')) });
  const countries = useQuery({
    queryKey: ['countries'],
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: () => take(api.GET('/api/session/countries')),
  });
  const [chosen, setChosen] = useState<string>();
  const next = beginning.data?.parts.find((p) => !p.done && !p.putOff)?.key;
  // What is done hands the focus to what comes next, unless something of that has it already.
  useEffect(() => {
    const now = document.activeElement;
    if (next && (now === document.body || now?.id.startsWith('part-'))) document.getElementById(`part-${next}`)?.focus();
  }, [next]);
  if (!beginning.data) return beginning.error ? <Trouble error={beginning.error} /> : <Loading what={phrase('Opening the beginning')} />;
  const b = beginning.data;
  const open = b.parts.filter((p) => !p.done && !p.putOff);
  const at = chosen ?? next;
  const country = countries.data?.find((c) => c.country === b.country);
  return (
    <DayPage
      marginTitle={phrase('Why')}
      margin={
        <>
          {at && (
            <>
              <h3>{phrase('Why')}</h3>
              <p>{words[at]?.why}</p>
            </>
          )}
          {at === 'who' && (
            <div className="mt-5 text-small text-soft">
              <PresetWords country={country} />
            </div>
          )}
        </>
      }
    >
      <PageHead
        title={phrase('Beginning')}
        aside={
          open.length === 0
            ? phrase('all of it is done or put off')
            : phrase('{length, plural, one {# part} other {# parts}} of {parts, number} done', {
                length: b.parts.filter((p) => p.done).length,
                parts: b.parts.length,
              })
        }
      />
      {b.parts.map((p) => (
        <Part
          key={p.key}
          part={p}
          beginning={b}
          countries={countries.data ?? []}
          open={p.key === at}
          pick={() => setChosen(p.key === at ? '' : p.key)}
          next={() => setChosen(undefined)}
        />
      ))}
      <Ended beginning={b} left={open.length} />
    </DayPage>
  );
}

/** What changes the beginning changes what stands everywhere. */
function useAnew() {
  const queries = useQueryClient();
  return () => {
    for (const key of ['beginning', 'session', 'practice', 'clock', 'giving']) queries.invalidateQueries({ queryKey: [key] });
  };
}

function Part({
  part,
  beginning: b,
  countries,
  open,
  pick,
  next,
}: {
  part: Schemas['BeginningPartDto'];
  beginning: Beginning;
  countries: readonly Country[];
  open: boolean;
  pick: () => void;
  next: () => void;
}) {
  const anew = useAnew();
  const putOff = useMutation({
    mutationFn: (off: boolean) =>
      take(api.PUT('/api/beginning/parts/{key}', { params: { path: { key: part.key } }, body: { putOff: off } })),
    onSuccess: () => {
      anew();
      next();
    },
  });
  const done = () => {
    anew();
    next();
  };
  useKeys(open && !part.done ? { n: () => putOff.mutate(!part.putOff) } : {});
  const w = words[part.key];
  if (!w) return null;
  const forms: Record<string, ReactNode> = {
    who: <Who beginning={b} countries={countries} done={done} />,
    look: <Look colour={b.colour} ground={b.groundColour} picture={b.picture} done={done} />,
    mail: <MailPart mail={b.mail ?? undefined} installationSends={b.installationSends} done={done} />,
    people: <FirstPerson done={done} />,
    members: <Invite done={done} />,
    program: (
      <p className="m-0 mt-2">
        <Link className="inline-flex min-h-6 items-center" to="/programs/ready">
          {phrase('Choose a ready program')}
        </Link>
      </p>
    ),
    letter: <FirstLetter />,
  };
  return (
    <div className={`row ${open ? 'on' : ''}`} aria-current={open}>
      <span className={`gutter ${part.done ? '!text-leaf' : ''}`}>
        {part.done ? phrase('✓ done') : part.putOff ? phrase('put off') : ''}
      </span>
      <button
        id={`part-${part.key}`}
        type="button"
        className={`min-h-6 text-left ${part.done ? 'text-soft' : 'font-semibold'}`}
        aria-expanded={open}
        onClick={pick}
      >
        {part.done ? w.done(b) : w.ask}
      </button>
      {open && (
        <div className="pb-2">
          {forms[part.key]}
          {!part.done && (
            <Button look="plain" className="mt-2 min-h-6 text-soft" disabled={putOff.isPending} onClick={() => putOff.mutate(!part.putOff)}>
              {part.putOff ? phrase('Take it up again') : phrase('Not now')} <kbd>n</kbd>
            </Button>
          )}
          <Trouble error={putOff.error} />
        </div>
      )}
    </div>
  );
}

function Who({ beginning: b, countries, done }: { beginning: Beginning; countries: readonly Country[]; done: () => void }) {
  const [practice, setPractice] = useState(b.practice);
  const [postalAddress, setAddress] = useState(b.postalAddress);
  const [zone, setZone] = useState(b.zone);
  const [country, setCountry] = useState(b.country);
  const save = useMutation({
    mutationFn: () => take(api.PUT('/api/beginning/who', { body: { practice, postalAddress, zone, country } })),
    onSuccess: done,
  });
  const own = ['practice', 'postalAddress', 'zone', 'country'].some((f) => fieldError(save.error, f));
  return (
    <form
      className="mt-2 grid max-w-[720px] grid-cols-2 gap-x-8 max-[699px]:grid-cols-1"
      onSubmit={(e) => {
        e.preventDefault();
        save.mutate();
      }}
    >
      <Field
        label={phrase('Postal address')}
        hint={phrase('line by line, as on an envelope')}
        error={fieldError(save.error, 'postalAddress')}
      >
        {(id, by) => (
          <textarea
            id={id}
            aria-describedby={by}
            rows={3}
            autoFocus
            className="w-full"
            value={postalAddress}
            onChange={(e) => setAddress(e.target.value)}
          />
        )}
      </Field>
      <Field label={phrase('What the practice is called')} error={fieldError(save.error, 'practice')}>
        {(id, by) => (
          <input id={id} aria-describedby={by} className="w-full" value={practice} onChange={(e) => setPractice(e.target.value)} />
        )}
      </Field>
      <ZoneField
        label={phrase('Its clock')}
        none={phrase('choose a place')}
        value={zone}
        set={setZone}
        error={fieldError(save.error, 'zone')}
      />
      <CountryField countries={countries} value={country} set={setCountry} error={fieldError(save.error, 'country')} />
      <div className="col-span-full">
        {!own && <Trouble error={save.error} />}
        <Button type="submit" look="main" disabled={save.isPending}>
          {phrase('Keep this')}
        </Button>
      </div>
    </form>
  );
}

function Ended({ beginning: b, left }: { beginning: Beginning; left: number }) {
  const anew = useAnew();
  const show = useMutation({
    mutationFn: (shown: boolean) => take(api.PUT('/api/beginning/shown', { body: { shown } })),
    onSuccess: (_, shown) => {
      anew();
      if (!shown)
        said(phrase('The beginning is put away. It stays at this address.'), () =>
          take(api.PUT('/api/beginning/shown', { body: { shown: true } })).then(anew),
        );
    },
  });
  return (
    <>
      <Stretch title={left === 0 ? phrase('That was the beginning') : phrase('Leave it, go on later')} />
      <p className="row m-0">
        <Sentence
          m="{how, select, done {From here on, each morning begins with {today}.} stays {It stays at the top of {today} until all of it is done or put off.} other {It stays at the top of {today}.}} "
          v={{ how: left === 0 ? 'done' : b.shown ? 'stays' : 'away', today: <Link to="/">{phrase('Today')}</Link> }}
        />
        <Button className="min-h-6" disabled={show.isPending} onClick={() => show.mutate(!b.shown)}>
          {b.shown ? phrase('Put it away') : phrase('Show it on Today again')}
        </Button>
        <Trouble error={show.error} />
      </p>
    </>
  );
}
