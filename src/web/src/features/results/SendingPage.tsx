import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { Link } from 'react-router';
import { toast } from 'sonner';
import { api, type Schemas, take } from '../../api/client';
import { useMay, useNow } from '../../app/session';
import { Button, Field, fieldError, Loading, Trouble } from '../../ui/bits';
import { DayPage, PageHead, Stretch } from '../../ui/DayPage';
import { NotShown } from '../../ui/NotShown';
import { moment } from '../../ui/when';
import { ShareBar } from '../broadcasts/ShareBar';
import { Say } from '../programs/Say';

type Health = Schemas['SendingHealthDto'];

const looks: Record<string, string> = { good: '', watch: 'text-straw', bad: 'text-ember' };
const recordNames: Record<string, string> = {
  spf: 'Who may send (SPF)',
  dkim: 'The key of the signature (DKIM)',
  dmarc: 'What else is done (DMARC)',
};
const standing: Record<string, string> = { right: 'as it should be', missing: 'not there', other: 'to be looked at', unasked: 'not asked' };

/** How the practice's mail fares, when it stops by itself, and what its domain should say. */
export default function SendingPage() {
  const found = useQuery({ queryKey: ['sending'], queryFn: () => take(api.GET('/api/sending')) });
  if (!found.data) {
    return found.error ? <NotShown title="Sending" error={found.error} to="/results" all="Results" /> : <Loading what="Counting" />;
  }
  const health = found.data;
  return (
    <DayPage marginTitle="When mail stops" margin={<Brake health={health} />}>
      <PageHead title="Sending" aside={<Link to="/results">Results</Link>} />
      {health.brake.stoppedAt && (
        <p className="mx-7 mb-4 border-l-[3px] border-ember py-1 pl-3 max-[699px]:mx-4" role="status">
          <b>Commercial mail has stopped.</b> {health.brake.why} What people have to know still goes; what waits goes once it is let go, or
          not at all where it comes too late by then.
        </p>
      )}
      <Domains
        title="By the domain it went from"
        note={`the last ${health.days} days; large mailbox providers want under ${health.aim} % complaints and refuse from ${health.most} % on`}
        rows={health.by}
      />
      <Domains title="By the domain it went to" note="the largest" rows={health.to} />
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
        <p className="px-7 py-2 text-soft max-[699px]:px-4">No email went.</p>
      ) : (
        <div className="overflow-x-auto">
          <table className="w-full text-small" aria-label={title}>
            <thead>
              <tr className="text-soft">
                {['domain', 'went', 'came back', 'complained'].map((h, i) => (
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
                  <td className="py-1.5 pr-4 text-right tabular-nums">{row.sent.toLocaleString('en')}</td>
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
        </div>
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
      <Stretch title={own.domain} note="how receivers know that mail of this domain is yours" />
      <p className="px-7 py-1 max-[699px]:px-4">
        {used
          ? `Letters are signed since ${moment(used.usedFrom ?? '', zone, now)} with the key ${used.selector}.`
          : 'Letters are not signed here; your mail server may sign them.'}{' '}
        {waiting && `The key ${waiting.selector} waits until its record is set.`}
      </p>
      {may && (
        <p className="flex flex-wrap gap-x-5 gap-y-1 px-7 pb-2 max-[699px]:px-4">
          {!waiting && (
            <Button disabled={act.isPending} onClick={() => act.mutate({ what: '', selector: '' })}>
              {used ? 'make a new key, to take its place' : 'make a key to sign with'}
            </Button>
          )}
          {waiting && (
            <>
              <Button look="main" disabled={act.isPending} onClick={() => act.mutate({ what: '/use', selector: waiting.selector })}>
                Its record is set: sign with {waiting.selector}
              </Button>
              <Button
                look="danger"
                disabled={act.isPending}
                onClick={() => act.mutate({ what: '/throw-away', selector: waiting.selector })}
              >
                throw it away
              </Button>
            </>
          )}
          {used && (
            <Say words="sign no more" label={`Sign no more for ${own.domain}`}>
              {(close) => (
                <>
                  <p className="mb-2 text-small">
                    Letters go unsigned from now on; many receivers trust them less. The key is thrown away.
                  </p>
                  <Button
                    look="danger"
                    onClick={() => {
                      act.mutate({ what: '/end', selector: '' });
                      close();
                    }}
                  >
                    Sign no more
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
          {k.selector} signed until {moment(k.endedAt ?? '', zone, now)}; its record{' '}
          {k.mayGo ? 'may be taken down.' : 'has to stand a week longer.'}
        </p>
      ))}
      {records.isPending && <Loading what="Asking for the records" />}
      <ul className="m-0 list-none p-0" aria-label={`Records of ${own.domain}`}>
        {records.data?.map((r) => (
          <li key={r.kind + r.name} className="border-t border-rule px-7 py-2 text-small max-[699px]:px-4">
            <b>{recordNames[r.kind]}</b>{' '}
            <span className={r.stands === 'right' ? 'text-leaf' : r.stands === 'unasked' ? 'text-soft' : 'text-ember'}>
              {standing[r.stands]}
            </span>
            <span className="block">{r.says}</span>
            {r.found && <span className="block break-all text-soft">It says: {r.found}</span>}
            {r.stands !== 'right' && (
              <span className="mt-1 flex flex-wrap items-baseline gap-x-4">
                <code className="break-all">
                  {r.name} TXT “{r.value}”
                </code>
                <Button
                  aria-label={`Copy the record ${r.name}`}
                  onClick={() =>
                    navigator.clipboard.writeText(r.value).then(
                      () => toast('It is copied.'),
                      () => toast('The browser does not let it be copied; pick it with the mouse.'),
                    )
                  }
                >
                  copy it
                </Button>
              </span>
            )}
          </li>
        ))}
      </ul>
      {records.data?.some((r) => r.stands === 'unasked') && (
        <p className="px-7 py-2 text-small text-soft max-[699px]:px-4">
          There is no resolver here that could be asked: compare them where your domain is kept.
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
      toast('Mail goes on. What was before counts no more.');
    },
  });
  return (
    <>
      <h3>When mail stops</h3>
      {brake.stoppedAt ? (
        <>
          <p>It stopped {moment(brake.stoppedAt, zone, now)}.</p>
          {may && (
            <p className="mt-2">
              <Button look="main" disabled={release.isPending} onClick={() => release.mutate()}>
                Let it go on
              </Button>
            </p>
          )}
        </>
      ) : (
        <p>
          {brake.on
            ? `Commercial mail stops by itself once, in ${brake.days} days and of at least ${brake.least} emails, more came back or was complained about than is said here.`
            : 'It never stops by itself.'}
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
            <input type="checkbox" name="on" defaultChecked={brake.on} /> it stops by itself
          </label>
          <Field label="Came back, in a hundred" error={fieldError(save.error, 'bouncePercent')}>
            {(id, by) => <input id={id} aria-describedby={by} name="bounce" type="number" step="any" defaultValue={brake.bouncePercent} />}
          </Field>
          <Field label="Complained about, in a hundred" error={fieldError(save.error, 'complaintPercent')}>
            {(id, by) => (
              <input id={id} aria-describedby={by} name="complaint" type="number" step="any" defaultValue={brake.complaintPercent} />
            )}
          </Field>
          <p className="mt-2">
            <Button type="submit" disabled={save.isPending}>
              So it is
            </Button>
          </p>
        </form>
      ) : (
        <p className="mt-2 text-small text-soft">
          Above {brake.bouncePercent} in a hundred that came back, or {brake.complaintPercent} that were complained about.
        </p>
      )}
      {!fieldError(save.error, 'bouncePercent') && !fieldError(save.error, 'complaintPercent') && <Trouble error={save.error} />}
      <Trouble error={release.error} />
    </>
  );
}
