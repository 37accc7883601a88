import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { Link } from 'react-router';
import { toast } from 'sonner';
import { api, type Schemas, take } from '../../api/client';
import { useMay, useNow } from '../../app/session';
import { Button, Field, fieldError, Loading, Trouble } from '../../ui/bits';
import { DayPage, PageHead, Stretch } from '../../ui/DayPage';
import { NotShown } from '../../ui/NotShown';
import { Scrolls } from '../../ui/Scrolls';
import { moment } from '../../ui/when';
import { locale, phrase } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';
import { ShareBar } from '../broadcasts/ShareBar';
import { Say } from '../programs/Say';

type Health = Schemas['SendingHealthDto'];

const looks: Record<string, string> = { good: '', watch: 'text-straw', bad: 'text-ember' };
const recordNames: Record<string, string> = {
  spf: phrase('Who may send (SPF)'),
  dkim: phrase('The key of the signature (DKIM)'),
  dmarc: phrase('What else is done (DMARC)'),
};
const standing: Record<string, string> = {
  right: phrase('as it should be'),
  missing: phrase('not there'),
  other: phrase('to be looked at'),
  unasked: phrase('not asked'),
};

/** How the practice's mail fares, when it stops by itself, and what its domain should say. */
export default function SendingPage() {
  const found = useQuery({ queryKey: ['sending'], queryFn: () => take(api.GET('/api/sending')) });
  if (!found.data) {
    return found.error ? (
      <NotShown title={phrase('Sending')} error={found.error} to="/results" all={phrase('Results')} />
    ) : (
      <Loading what={phrase('Counting')} />
    );
  }
  const health = found.data;
  return (
    <DayPage marginTitle={phrase('When mail stops')} margin={<Brake health={health} />}>
      <PageHead title={phrase('Sending')} aside={<Link to="/results">{phrase('Results')}</Link>} />
      {health.brake.stoppedAt && (
        <p className="mx-7 mb-4 border-l-[3px] border-ember py-1 pl-3 max-[699px]:mx-4" role="status">
          <Sentence
            m="<b>Commercial mail has stopped.</b> {why} What people have to know still goes; what waits goes once it is let go, or not at all where it comes too late by then."
            v={{ b: (c) => <b>{c}</b>, why: health.brake.why }}
          />
        </p>
      )}
      <Domains
        title={phrase('By the domain it went from')}
        note={phrase(
          'the last {days, number} days; large mailbox providers want under {aim, number} % complaints and refuse from {most, number} % on',
          { days: health.days, aim: health.aim, most: health.most },
        )}
        rows={health.by}
      />
      <Domains title={phrase('By the domain it went to')} note={phrase('the largest')} rows={health.to} />
      {health.own.map((own) => (
        <Own key={own.domain} own={own} />
      ))}
    </DayPage>
  );
}

function Domains({ title, note, rows }: { title: string; note: string; rows: Health['by'] }) {
  return (
    <section aria-label={title}>
      <Stretch title={title} note={note} />
      {rows.length === 0 ? (
        <p className="px-7 py-2 text-soft max-[699px]:px-4">{phrase('No email went.')}</p>
      ) : (
        <Scrolls label={title}>
          <table className="w-full text-small" aria-label={title}>
            <thead>
              <tr className="text-soft">
                {[phrase('domain'), phrase('went'), phrase('came back'), phrase('complained')].map((h, i) => (
                  <th
                    key={h}
                    scope="col"
                    className={`py-1 font-normal ${i === 0 ? 'pr-3 pl-7 text-left max-[699px]:pl-4' : 'pr-4 text-right'}`}
                  >
                    {h}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {rows.map((row) => (
                <tr key={row.domain} className="border-t border-rule align-top">
                  <th scope="row" className="max-w-64 py-1.5 pr-3 pl-7 text-left font-normal max-[699px]:pl-4">
                    {row.domain}
                    <span className={`block ${looks[row.stands] || 'text-soft'}`}>{row.says}</span>
                  </th>
                  <td className="py-1.5 pr-4 text-right tabular-nums">{row.sent.toLocaleString(locale())}</td>
                  {[row.bounced, row.complained].map((line) => (
                    <td key={line.what} className="py-1.5 pr-4 text-right whitespace-nowrap tabular-nums">
                      {line.number}
                      {line.of > 0 && (
                        <span className="ml-3 inline-block align-middle">
                          <ShareBar line={line} />
                        </span>
                      )}
                    </td>
                  ))}
                </tr>
              ))}
            </tbody>
          </table>
        </Scrolls>
      )}
    </section>
  );
}

/** A domain of one's own: what it should say of itself, and the key its mail is signed with. */
function Own({ own }: { own: Health['own'][number] }) {
  const queries = useQueryClient();
  const may = useMay('change-settings');
  const { zone, now } = useNow();
  const records = useQuery({
    queryKey: ['sending', 'records', own.domain],
    queryFn: () => take(api.GET('/api/sending/records', { params: { query: { domain: own.domain } } })),
  });
  const after = (answer: Health) => {
    queries.setQueryData(['sending'], answer);
    queries.invalidateQueries({ queryKey: ['sending', 'records', own.domain] });
  };
  const act = useMutation({
    mutationFn: ({ what, selector }: { what: '' | '/use' | '/end' | '/throw-away'; selector: string }) =>
      take(api.POST(`/api/sending/keys${what}` as '/api/sending/keys', { body: { domain: own.domain, selector } })),
    onSuccess: after,
  });
  const waiting = own.keys.find((k) => !k.usedFrom);
  const used = own.keys.find((k) => k.usedFrom && !k.endedAt);
  const former = own.keys.filter((k) => k.endedAt);
  return (
    <section aria-label={own.domain}>
      <Stretch title={own.domain} note={phrase('how receivers know that mail of this domain is yours')} />
      <p className="px-7 py-1 max-[699px]:px-4">
        {used
          ? phrase('Letters are signed since {zone} with the key {selector}.', {
              zone: moment(used.usedFrom ?? '', zone, now),
              selector: used.selector,
            })
          : phrase('Letters are not signed here; your mail server may sign them.')}{' '}
        {waiting && phrase('The key {selector} waits until its record is set.', { selector: waiting.selector })}
      </p>
      {may && (
        <p className="flex flex-wrap gap-x-5 gap-y-1 px-7 pb-2 max-[699px]:px-4">
          {!waiting && (
            <Button disabled={act.isPending} onClick={() => act.mutate({ what: '', selector: '' })}>
              {used ? phrase('make a new key, to take its place') : phrase('make a key to sign with')}
            </Button>
          )}
          {waiting && (
            <>
              <Button look="main" disabled={act.isPending} onClick={() => act.mutate({ what: '/use', selector: waiting.selector })}>
                {phrase('Its record is set: sign with {selector}', { selector: waiting.selector })}
              </Button>
              <Button
                look="danger"
                disabled={act.isPending}
                onClick={() => act.mutate({ what: '/throw-away', selector: waiting.selector })}
              >
                {phrase('throw it away')}
              </Button>
            </>
          )}
          {used && (
            <Say words={phrase('sign no more')} label={phrase('Sign no more for {domain}', { domain: own.domain })}>
              {(close) => (
                <>
                  <p className="mb-2 text-small">
                    {phrase('Letters go unsigned from now on; many receivers trust them less. The key is thrown away.')}
                  </p>
                  <Button
                    look="danger"
                    onClick={() => {
                      act.mutate({ what: '/end', selector: '' });
                      close();
                    }}
                  >
                    {phrase('Sign no more')}
                  </Button>
                </>
              )}
            </Say>
          )}
        </p>
      )}
      <Trouble error={act.error ?? records.error} />
      {former.map((k) => (
        <p key={k.selector} className="px-7 text-small text-soft max-[699px]:px-4">
          {phrase(
            '{selector} signed until {zone}; its record {mayGo, select, true {may be taken down.} other {has to stand a week longer.}}',
            { selector: k.selector, zone: moment(k.endedAt ?? '', zone, now), mayGo: String(k.mayGo) },
          )}
        </p>
      ))}
      {records.isPending && <Loading what={phrase('Asking for the records')} />}
      <ul className="m-0 list-none p-0" aria-label={phrase('Records of {domain}', { domain: own.domain })}>
        {records.data?.map((r) => (
          <li key={r.kind + r.name} className="border-t border-rule px-7 py-2 text-small max-[699px]:px-4">
            <b>{recordNames[r.kind]}</b>{' '}
            <span className={r.stands === 'right' ? 'text-leaf' : r.stands === 'unasked' ? 'text-soft' : 'text-ember'}>
              {standing[r.stands]}
            </span>
            <span className="block">{r.says}</span>
            {r.found && <span className="block break-all text-soft">{phrase('It says: {found}', { found: r.found })}</span>}
            {r.stands !== 'right' && (
              <span className="mt-1 flex flex-wrap items-baseline gap-x-4">
                <code className="break-all">
                  {r.name} TXT “{r.value}”
                </code>
                <Button
                  aria-label={phrase('Copy the record {name}', { name: r.name })}
                  onClick={() =>
                    navigator.clipboard.writeText(r.value).then(
                      () => toast(phrase('It is copied.')),
                      () => toast(phrase('The browser does not let it be copied; pick it with the mouse.')),
                    )
                  }
                >
                  {phrase('copy it')}
                </Button>
              </span>
            )}
          </li>
        ))}
      </ul>
      {records.data?.some((r) => r.stands === 'unasked') && (
        <p className="px-7 py-2 text-small text-soft max-[699px]:px-4">
          {phrase('There is no resolver here that could be asked: compare them where your domain is kept.')}
        </p>
      )}
    </section>
  );
}

/** The brake: at which rates commercial mail stops by itself; whether it has, and letting it go on. */
function Brake({ health }: { health: Health }) {
  const queries = useQueryClient();
  const may = useMay('change-settings');
  const { zone, now } = useNow();
  const { brake } = health;
  const onSuccess = (answer: Health) => queries.setQueryData(['sending'], answer);
  const save = useMutation({ mutationFn: (body: Schemas['BrakeBody']) => take(api.PUT('/api/sending/brake', { body })), onSuccess });
  const release = useMutation({
    mutationFn: () => take(api.POST('/api/sending/brake/release')),
    onSuccess: (answer) => {
      onSuccess(answer);
      toast(phrase('Mail goes on. What was before counts no more.'));
    },
  });
  return (
    <>
      <h3>{phrase('When mail stops')}</h3>
      {brake.stoppedAt ? (
        <>
          <p>{phrase('It stopped {stoppedAt}.', { stoppedAt: moment(brake.stoppedAt, zone, now) })}</p>
          {may && (
            <p className="mt-2">
              <Button look="main" disabled={release.isPending} onClick={() => release.mutate()}>
                {phrase('Let it go on')}
              </Button>
            </p>
          )}
        </>
      ) : (
        <p>
          {brake.on
            ? phrase(
                'Commercial mail stops by itself once, in {days, number} days and of at least {least, number} emails, more came back or was complained about than is said here.',
                { days: brake.days, least: brake.least },
              )
            : phrase('It never stops by itself.')}
        </p>
      )}
      {may ? (
        <form
          key={`${brake.on}/${brake.bouncePercent}/${brake.complaintPercent}`}
          className="mt-3"
          onSubmit={(e) => {
            e.preventDefault();
            const form = new FormData(e.currentTarget);
            save.mutate({
              on: form.get('on') !== null,
              bouncePercent: Number(form.get('bounce')),
              complaintPercent: Number(form.get('complaint')),
            });
          }}
        >
          <label className="flex min-h-6 items-center gap-2">
            <input type="checkbox" name="on" defaultChecked={brake.on} /> {phrase('it stops by itself')}
          </label>
          <Field label={phrase('Came back, in a hundred')} error={fieldError(save.error, 'bouncePercent')}>
            {(id, by) => <input id={id} aria-describedby={by} name="bounce" type="number" step="any" defaultValue={brake.bouncePercent} />}
          </Field>
          <Field label={phrase('Complained about, in a hundred')} error={fieldError(save.error, 'complaintPercent')}>
            {(id, by) => (
              <input id={id} aria-describedby={by} name="complaint" type="number" step="any" defaultValue={brake.complaintPercent} />
            )}
          </Field>
          <p className="mt-2">
            <Button type="submit" disabled={save.isPending}>
              {phrase('So it is')}
            </Button>
          </p>
        </form>
      ) : (
        <p className="mt-2 text-small text-soft">
          {phrase('Above {bouncePercent, number} in a hundred that came back, or {complaintPercent, number} that were complained about.', {
            bouncePercent: brake.bouncePercent,
            complaintPercent: brake.complaintPercent,
          })}
        </p>
      )}
      {!fieldError(save.error, 'bouncePercent') && !fieldError(save.error, 'complaintPercent') && <Trouble error={save.error} />}
      <Trouble error={release.error} />
    </>
  );
}
