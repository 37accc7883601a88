import { useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { api, type Schemas, take } from '../../api/client';
import { useNow } from '../../app/session';
import { Button, fieldError, Trouble } from '../../ui/bits';
import { ReasonField } from '../../ui/ReasonField';
import { UntilField } from '../../ui/UntilField';
import { said } from '../../ui/undo';
import { day, keyDate } from '../../ui/when';
import { channelWord } from '../../words/codes';
import { phrase, quoted } from '../../words/phrase';
import { undoEvent } from './acts';
import { usePersonChange } from './usePersonChange';

type Person = Schemas['PersonDto'];

/** What an entry of the ledger stands on, in words. */
const bases: Record<string, string> = {
  express: phrase('they said so'),
  inquiry: phrase('they inquired'),
  client: phrase('they are a client'),
};

/** Consent by channel, in words, with the ledger behind it; and not contacting somebody at all. */
export function MayWe({ person: p }: { person: Person }) {
  const [open, setOpen] = useState<string>();
  const [ledger, setLedger] = useState(false);
  const [contact, setContact] = useState(false);
  const { now } = useNow();
  return (
    <>
      <h3>{phrase('May we')}</h3>
      <ul className="m-0 mt-1 list-none p-0">
        {p.mayWe.map((m) => (
          <li key={m.channel} className="grid grid-cols-[64px_1fr_auto] gap-2 border-t border-dotted border-rule py-1">
            <span>{channelWord(m.channel)}</span>
            <span className={m.allowed === 'no' ? 'text-ember' : m.allowed === 'yes' ? 'text-ink' : 'text-straw'}>{m.words}</span>
            <Button
              onClick={() => setOpen(open === m.channel ? undefined : m.channel)}
              aria-expanded={open === m.channel}
              aria-label={phrase('Record what they said about {channel}', { channel: channelWord(m.channel) })}
            >
              {phrase('record')}
            </Button>
          </li>
        ))}
      </ul>
      {open && <Record key={open} person={p} channel={open} close={() => setOpen(undefined)} />}
      <p className="mt-2 mb-4 flex flex-wrap gap-x-4">
        {p.ledger.length > 0 && (
          <Button look="plain" onClick={() => setLedger(!ledger)} aria-expanded={ledger}>
            {phrase('all they have said')}
          </Button>
        )}
        {!p.doNotContact && (
          <Button look="plain" onClick={() => setContact(!contact)} aria-expanded={contact}>
            {phrase('do not contact …')}
          </Button>
        )}
      </p>
      {contact && <DoNotContact person={p} close={() => setContact(false)} />}
      {ledger && (
        <>
          <p className="text-small">
            <a href={`/api/people/${p.id}/consent.csv`} download>
              {phrase('as a file')}
            </a>
          </p>
          <ul className="mb-4 list-none p-0">
            {p.ledger.map((c) => (
              <li key={`${c.at}${c.channel}${c.purpose}${c.in}`} className="border-t border-dotted border-rule py-1">
                <span className={c.takenBackBy ? 'line-through' : ''}>
                  {phrase('{at}: {in, select, true {yes} other {no}} to {purpose} by {channel}{topic} · {bases} · {source}{by}', {
                    at: day(c.at, p.clockZone, now),
                    in: String(c.in),
                    purpose: c.purpose ? phrase('{purpose} ones', { purpose: c.purpose }) : phrase('everything'),
                    channel: c.channel,
                    topic: c.topic ? `, ${c.topic}` : '',
                    bases: bases[c.basis] ?? c.basis,
                    source: c.source,
                    by: c.by ? ` · ${c.by}` : '',
                  })}
                </span>
                {c.takenBackBy && <span className="block">{phrase('taken back by {takenBackBy}', { takenBackBy: c.takenBackBy })}</span>}
              </li>
            ))}
          </ul>
        </>
      )}
    </>
  );
}

/** A yes or a no to one channel: to what is commercial only, or to everything. */
function Record({ person: p, channel, close }: { person: Person; channel: string; close: () => void }) {
  const queries = useQueryClient();
  const [everything, setEverything] = useState(false);
  const [reason, setReason] = useState('');
  const says = (body: Schemas['ConsentBody']) =>
    phrase('{name}: {in, select, true {yes} other {no}} to {everything, select, true {everything} other {commercial ones}} by {channel}', {
      name: p.name,
      in: String(body.in),
      everything: String(body.everything),
      channel: body.channel,
    });
  const record = usePersonChange(p.id, says, async (body: Schemas['ConsentBody']) => {
    const { event } = await take(api.POST('/api/people/{id}/consent', { params: { path: { id: p.id } }, body }));
    said(says(body), () => undoEvent(p.id, event, queries));
    close();
  });
  const answer = (isIn: boolean) => record.mutate({ channel, in: isIn, reason, everything });
  return (
    <form className="mt-2" onSubmit={(e) => e.preventDefault()}>
      <fieldset className="mb-2">
        <legend className="mb-0.5 text-small text-soft">{phrase('What it is about')}</legend>
        {[false, true].map((all) => (
          <label key={String(all)} className="flex min-h-7 items-center gap-1.5">
            <input type="radio" name={`about-${channel}`} checked={everything === all} onChange={() => setEverything(all)} />
            {all ? phrase('everything by {channel}', { channel }) : phrase('commercial ones only')}
          </label>
        ))}
        <p className="mt-1 text-soft">
          {everything
            ? phrase('A no stops all of it: nothing goes by {channel} any more, not even about their own dealings.', { channel })
            : phrase(
                'A no stops letters that offer or keep in touch. What is about their own dealings (an appointment, a paper they wait for) still goes.',
              )}
        </p>
      </fieldset>
      <ReasonField
        label={phrase('Where you have it from')}
        placeholder={phrase('told me on the phone')}
        error={fieldError(record.error, 'reason')}
        value={reason}
        set={setReason}
      />
      <Trouble error={fieldError(record.error, 'reason') ? null : record.error} />
      <Button onClick={() => answer(true)}>{phrase('They said yes')}</Button>{' '}
      <Button look="danger" className="ml-3" onClick={() => answer(false)}>
        {phrase('They said no')}
      </Button>
    </form>
  );
}

function DoNotContact({ person: p, close }: { person: Person; close: () => void }) {
  const queries = useQueryClient();
  const [why, setWhy] = useState('');
  const [until, setUntil] = useState('');
  const [died, setDied] = useState(false);
  const says = (body: Schemas['ContactBody']) =>
    body.died
      ? phrase('{name} has died', { name: p.name })
      : phrase('{name}: do not contact{until}', {
          name: p.name,
          until: body.until ? phrase(' until {until}', { until: keyDate(body.until) }) : '',
        });
  const stop = usePersonChange(p.id, says, async (body: Schemas['ContactBody']) => {
    const { event } = await take(api.POST('/api/people/{id}/contact', { params: { path: { id: p.id } }, body }));
    said(says(body), () => undoEvent(p.id, event, queries));
    close();
  });
  return (
    <form
      className="mb-4"
      onSubmit={(e) => {
        e.preventDefault();
        stop.mutate({ doNotContact: true, reason: died ? null : why, until: died ? null : until || null, died });
      }}
    >
      <label className="mb-2 flex min-h-7 items-center gap-1.5">
        <input type="checkbox" checked={died} onChange={(e) => setDied(e.target.checked)} /> {phrase('they have died')}
      </label>
      {!died && (
        <>
          <ReasonField
            label={phrase('Why')}
            error={fieldError(stop.error, 'reason')}
            hint={phrase('Every program stops for them and their calls leave the sheet.')}
            value={why}
            set={setWhy}
          />
          <UntilField
            value={until}
            set={setUntil}
            error={fieldError(stop.error, 'until')}
            hint={
              until
                ? phrase('From that date programs may start for them again; what was stopped stays stopped.')
                : phrase('Empty: for good, until somebody says otherwise.')
            }
          />
        </>
      )}
      {died && (
        <p className="mb-2 text-soft">
          {phrase('Every program stops for them and their calls leave the sheet. What was written stays to be read.')}
        </p>
      )}
      <Button type="submit" look="danger">
        {died ? phrase('They have died') : phrase('Mark as do not contact')}
      </Button>
    </form>
  );
}

/** Somebody marked do-not-contact, and if it came from a list, the question whether that is right. */
export function Stopped({ person }: { person: Person }) {
  const mark = { doNotContact: true, reason: person.doNotContactReason, until: person.doNotContactUntil, died: person.died };
  const set = (body: Schemas['ContactBody']) => take(api.POST('/api/people/{id}/contact', { params: { path: { id: person.id } }, body }));
  const says = (doNotContact: boolean) => `${person.name}: ${doNotContact ? phrase('do not contact') : phrase('may be contacted again')}`;
  const change = usePersonChange(person.id, says, async (doNotContact: boolean) => {
    await set(doNotContact ? mark : { doNotContact, reason: null, until: null, died: false });
    if (!doNotContact) said(says(false), () => set(mark));
  });
  return (
    <div className="mx-7 mb-3 border-l-[3px] border-ember bg-ember-pale px-4 py-2.5 text-small">
      <b className="font-semibold">
        {phrase('Do not contact{doNotContactUntil}.', {
          doNotContactUntil: person.doNotContactUntil
            ? phrase(' until {doNotContactUntil}', { doNotContactUntil: keyDate(person.doNotContactUntil) })
            : '',
        })}
      </b>{' '}
      {person.doNotContactReason && `${quoted(person.doNotContactReason)}. `}
      {person.doNotContactToConfirm
        ? phrase('This was read from a list; nothing goes to them until somebody says otherwise.')
        : phrase('Nothing goes to them.')}
      <span className="ml-4 inline-flex gap-4">
        {person.doNotContactToConfirm && <Button onClick={() => change.mutate(true)}>{phrase('Yes, that is right')}</Button>}
        <Button look="plain" onClick={() => change.mutate(false)}>
          {person.died ? phrase('That was a mistake') : phrase('Let them be contacted again')}
        </Button>
      </span>
      <Trouble error={change.error} />
    </div>
  );
}
