import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'react-router';
import { toast } from 'sonner';
import { api, type Schemas, take } from '../../api/client';
import { useMay } from '../../app/session';
import { Button, Field, fieldError, Loading, Trouble } from '../../ui/bits';
import { DayPage, PageHead, Stretch } from '../../ui/DayPage';
import { FoundAgain } from '../../ui/FoundAgain';
import { useKeptEdit } from '../../ui/kept';
import { count, placeOf } from '../../ui/when';
import { OwnFieldsList } from './OwnFieldsList';
import { PoliciesList } from './PoliciesList';

type Practice = Schemas['PracticeDto'];
type Server = Schemas['ServerBody'];
type Draft = Schemas['SettingsBody'];

const noPrices = { email: 0, textPart: 0, note: 0, currency: 'USD' };
const noServer: Server = { host: '', port: 587, security: 'starttls', user: '', password: null };
const lines = (text: string) =>
  text
    .split('\n')
    .map((l) => l.trim())
    .filter(Boolean);

function draftOf(p: Practice): Draft {
  const server = (s: Practice['mailOut'], port: number): Server =>
    s ? { host: s.host, port: s.port, security: s.security, user: s.user, password: null } : { ...noServer, port };
  return { ...p, mailOut: server(p.mailOut, 587), mailIn: server(p.mailIn, 993) };
}

/** The practice's settings; a principal changes them, everybody may read them. */
export default function PracticePage() {
  const practice = useQuery({ queryKey: ['practice'], queryFn: () => take(api.GET('/api/practice')) });
  if (practice.error) {
    return (
      <DayPage marginTitle="Practice" margin={null}>
        <Trouble error={practice.error} />
      </DayPage>
    );
  }
  return practice.data ? <Settings practice={practice.data} /> : <Loading />;
}

function Settings({ practice }: { practice: Practice }) {
  const queries = useQueryClient();
  const mayChange = useMay('change-settings');
  const seesServers = useMay('see-servers');
  const kept = draftOf(practice);
  // Servers hold a password, which no machine keeps.
  const { value: draft, found, set, done: forget } = useKeptEdit<Draft>('settings', kept, ['mailOut', 'mailIn']);
  const [afresh, setAfresh] = useState(0);
  const save = useMutation({
    meta: { says: () => 'the settings' },
    mutationFn: () => take(api.PUT('/api/practice', { body: draft })),
    onSuccess: (saved) => {
      queries.setQueryData(['practice'], saved);
      // Its fields stand in rules, letters and on every person's page.
      for (const key of ['session', 'fields', 'person']) queries.invalidateQueries({ queryKey: [key] });
      forget();
      toast('Kept. It counts for everything that is judged from now on.');
    },
  });
  const text = (label: string, key: 'quietFrom' | 'quietTo' | 'postalAddress' | 'textNumber' | 'ownAddress', hint?: string, rows = 1) => (
    <Field label={label} hint={hint} error={fieldError(save.error, key)}>
      {(id, by) =>
        rows > 1 ? (
          <textarea
            id={id}
            aria-describedby={by}
            rows={rows}
            className="w-full max-w-md"
            value={draft[key] ?? ''}
            onChange={(e) => set({ [key]: e.target.value })}
          />
        ) : (
          <input
            id={id}
            aria-describedby={by}
            className={key === 'textNumber' ? 'w-56' : 'w-28'}
            value={draft[key] ?? ''}
            onChange={(e) => set({ [key]: e.target.value })}
          />
        )
      }
    </Field>
  );
  const list = (label: string, key: 'appointmentTypes' | 'topics' | 'keyDates' | 'relations', hint?: string) => (
    <Field label={`${label}, one a line`} hint={hint} error={fieldError(save.error, key)}>
      {(id, by) => (
        <textarea
          id={id}
          aria-describedby={by}
          rows={4}
          className="w-full max-w-md"
          defaultValue={(draft[key] ?? []).join('\n')}
          onChange={(e) => set({ [key]: lines(e.target.value) })}
        />
      )}
    </Field>
  );
  return (
    <DayPage marginTitle="About these" margin={<Margin />}>
      <PageHead
        title={practice.name}
        aside={
          <>
            everything by the clock of {placeOf(practice.zone)} ·{' '}
            <a href="/api/practice/file" download className="inline-flex min-h-6 items-center">
              as a file
            </a>
          </>
        }
      />
      <form
        key={afresh}
        onSubmit={(e) => {
          e.preventDefault();
          save.mutate();
        }}
      >
        {found && (
          <FoundAgain
            className="mx-7 my-3"
            words="What you changed here before and did not keep stands here again."
            throwAway={() => {
              forget();
              setAfresh(afresh + 1);
            }}
          />
        )}
        <fieldset disabled={!mayChange} className="m-0 border-0 p-0">
          <Stretch title="When and how often" />
          <div className="px-7 py-3">
            <div className="flex gap-6">
              {text('Texts and calls from', 'quietFrom', "on the person's own clock")}
              {text('until', 'quietTo')}
            </div>
            <PaceRules draft={draft} set={set} error={fieldError(save.error, 'pace')} />
            <label className="mb-3 block text-small">
              <input
                type="checkbox"
                className="mr-2"
                checked={draft.strictForTransactional}
                onChange={(e) => set({ strictForTransactional: e.target.checked })}
              />
              Transactional messages too need a recorded yes
            </label>
            <div className="flex gap-6">
              {(['email', 'text'] as const).map((channel) => (
                <Field key={channel} label={`At most so many ${channel}s a day`} error={fieldError(save.error, 'dailyLimits')}>
                  {(id, by) => (
                    <input
                      id={id}
                      aria-describedby={by}
                      type="number"
                      min={1}
                      placeholder="no limit"
                      className="w-28"
                      value={draft.dailyLimits[channel] ?? ''}
                      onChange={(e) => {
                        const { [channel]: _, ...rest } = draft.dailyLimits;
                        set({ dailyLimits: e.target.value ? { ...rest, [channel]: Number(e.target.value) } : rest });
                      }}
                    />
                  )}
                </Field>
              ))}
            </div>
          </div>

          <Stretch title="What messages cost" note="rehearsals and texts say what they come to" />
          <div className="flex flex-wrap gap-x-6 px-7 py-3">
            {(
              [
                ['email', 'An email'],
                ['textPart', 'A part of a text'],
                ['note', 'A card or letter'],
              ] as const
            ).map(([key, label]) => (
              <Field key={key} label={label} error={key === 'email' ? fieldError(save.error, 'prices') : undefined}>
                {(id, by) => (
                  <input
                    id={id}
                    aria-describedby={by}
                    type="number"
                    min={0}
                    max={1000}
                    step="any"
                    className="w-24"
                    value={draft.prices?.[key] ?? 0}
                    onChange={(e) => set({ prices: { ...noPrices, ...draft.prices, [key]: Number(e.target.value) } })}
                  />
                )}
              </Field>
            ))}
            <Field label="In this currency">
              {(id) => (
                <input
                  id={id}
                  required
                  pattern="[A-Za-z]{3}"
                  maxLength={3}
                  className="w-20"
                  value={draft.prices?.currency ?? 'USD'}
                  onChange={(e) => set({ prices: { ...noPrices, ...draft.prices, currency: e.target.value } })}
                />
              )}
            </Field>
          </div>

          <Stretch title="Programs" />
          <div className="px-7 py-3">
            <label className="block text-small">
              <input
                type="checkbox"
                className="mr-2"
                checked={draft.programsApproved ?? false}
                onChange={(e) => set({ programsApproved: e.target.checked })}
              />
              A principal says yes to each program, and to each change of it, before it is switched on
            </label>
          </div>

          <Stretch title="Letters" />
          <div className="px-7 py-3">
            {text('Postal address', 'postalAddress', 'every commercial email carries it', 3)}
            {text(
              'The practice’s own email address',
              'ownAddress',
              'where the practice itself signs a letter; empty where members always do',
            )}
            <Field label="Letters speak as">
              {(id) => (
                <select id={id} value={draft.voice} onChange={(e) => set({ voice: e.target.value })}>
                  <option value="I">I</option>
                  <option value="we">we</option>
                </select>
              )}
            </Field>
            <label className="mb-3 block text-small">
              <input type="checkbox" className="mr-2" checked={draft.seeOpens} onChange={(e) => set({ seeOpens: e.target.checked })} />
              Letters carry a picture that tells when they were opened
            </label>
            <Field
              label="Added to the address of every link, so that your web statistics know where a visit came from; one a line: name=value"
              hint="{program} and {step} are filled in"
            >
              {(id, by) => (
                <textarea
                  id={id}
                  aria-describedby={by}
                  rows={2}
                  className="w-full max-w-md"
                  defaultValue={Object.entries(draft.linkParameters)
                    .map(([k, v]) => `${k}=${v}`)
                    .join('\n')}
                  onChange={(e) =>
                    set({
                      linkParameters: Object.fromEntries(
                        lines(e.target.value)
                          .map((l) => l.split('=', 2) as [string, string])
                          .filter(([k, v]) => k && v),
                      ),
                    })
                  }
                />
              )}
            </Field>
          </div>

          <Stretch title="Words of the practice" />
          <div className="px-7 py-3">
            <p className="mb-4 text-small">
              <Link to="/pipeline/stages">Pipelines, stages, and why opportunities are lost</Link>
            </p>
            {list('Kinds of appointments', 'appointmentTypes')}
            {list('Topics people may take or leave', 'topics')}
            <p className="mb-4 text-small">
              <Link to="/practice/calls">How calls end, and what follows</Link>
            </p>
            {list('Dates to keep of people', 'keyDates')}
            {kept.keyDates
              ?.filter((d) => !draft.keyDates?.some((x) => x.trim().toLowerCase() === d))
              .map((d) => (
                <DateTakenOut key={d} name={d} />
              ))}
            {list('What people can be to each other', 'relations', 'what the other is in return after a slash: solicitor / client')}
          </div>

          <Stretch title="Fields of your own" note="on every person’s page, in rules and in letters" />
          <div className="px-7 py-3">
            <OwnFieldsList
              fields={draft.ownFields ?? []}
              set={(ownFields) => set({ ownFields })}
              error={fieldError(save.error, 'ownFields')}
            />
          </div>

          <Stretch title="Policies of consent" note="for programs that are not to go by the practice’s own" />
          <div className="px-7 py-3">
            <PoliciesList
              policies={draft.policies ?? []}
              set={(policies) => set({ policies })}
              error={fieldError(save.error, 'policies')}
            />
          </div>

          <Stretch title="Texts" />
          <div className="px-7 py-3">
            {text(
              'Texts go out from, and answers come to',
              'textNumber',
              'in international form; without a number the installation’s own is used',
            )}
          </div>

          {seesServers && (
            <>
              <Stretch title="Mail" />
              <div className="px-7 py-3">
                <ServerFields
                  title="Mail goes out by"
                  server={draft.mailOut ?? noServer}
                  set={(mailOut) => set({ mailOut })}
                  error={fieldError(save.error, 'mailOut')}
                  kept={practice.mailOut?.hasPassword}
                />
                <Test
                  label="Send me a test"
                  server={draft.mailOut ?? noServer}
                  kept={kept.mailOut ?? noServer}
                  call={(body) => take(api.POST('/api/practice/mail-test', { body }))}
                />
                <ServerFields
                  title="Answers are read from the mailbox at"
                  server={draft.mailIn ?? noServer}
                  set={(mailIn) => set({ mailIn })}
                  error={fieldError(save.error, 'mailIn')}
                  kept={practice.mailIn?.hasPassword}
                />
                <Test
                  label="Read it now"
                  server={draft.mailIn ?? noServer}
                  kept={kept.mailIn ?? noServer}
                  call={(body) => take(api.POST('/api/practice/mailbox-test', { body }))}
                />
              </div>
            </>
          )}

          <Stretch title="Keeping" />
          <div className="flex flex-wrap gap-x-10 gap-y-3 px-7 py-3">
            <Field label="Forget lines of the journal after so many months" hint="0 keeps them for good">
              {(id, by) => (
                <input
                  id={id}
                  aria-describedby={by}
                  type="number"
                  min={0}
                  className="w-28"
                  value={draft.keepJournalMonths ?? 0}
                  onChange={(e) => set({ keepJournalMonths: Number(e.target.value) })}
                />
              )}
            </Field>
            <Field
              label="Forget events after so many months"
              hint="0 keeps them for good; touches, messages and the consent ledger are always kept"
            >
              {(id, by) => (
                <input
                  id={id}
                  aria-describedby={by}
                  type="number"
                  min={0}
                  className="w-28"
                  value={draft.keepEventsMonths}
                  onChange={(e) => set({ keepEventsMonths: Number(e.target.value) })}
                />
              )}
            </Field>
          </div>
        </fieldset>
        <div className="row">
          <Trouble error={save.error} />
          {mayChange ? (
            <Button type="submit" look="main" disabled={save.isPending}>
              Keep these settings
            </Button>
          ) : (
            <span className="text-small text-soft">A principal changes these.</span>
          )}
        </div>
      </form>
    </DayPage>
  );
}

function PaceRules({ draft, set, error }: { draft: Draft; set: (change: Partial<Draft>) => void; error?: string }) {
  const change = (at: number, rule: Partial<Draft['pace'][number]>) =>
    set({ pace: draft.pace.map((p, i) => (i === at ? { ...p, ...rule } : p)) });
  return (
    <div className="mb-3">
      <span className="mb-0.5 block text-small text-soft">How often one person may get commercial messages</span>
      {draft.pace.map((rule, i) => (
        <p key={i} className="m-0 py-1">
          at most{' '}
          <input
            aria-label={`Rule ${i + 1}: how many`}
            type="number"
            min={1}
            className="w-16"
            value={rule.max}
            onChange={(e) => change(i, { max: Number(e.target.value) })}
          />{' '}
          in{' '}
          <input
            aria-label={`Rule ${i + 1}: days`}
            type="number"
            min={1}
            className="w-16"
            value={rule.days}
            onChange={(e) => change(i, { days: Number(e.target.value) })}
          />{' '}
          days, by {rule.channels.join(' and ')}{' '}
          <Button look="danger" className="ml-2" onClick={() => set({ pace: draft.pace.filter((_, at) => at !== i) })}>
            take out
          </Button>
        </p>
      ))}
      <Button onClick={() => set({ pace: [...draft.pace, { max: 1, days: 1, channels: ['email', 'text'] }] })}>add a rule</Button>
      {error && (
        <div role="alert" className="text-small text-ember">
          {error}
        </div>
      )}
    </div>
  );
}

function ServerFields({
  title,
  server,
  set,
  error,
  kept,
}: {
  title: string;
  server: Server;
  set: (server: Server) => void;
  error?: string;
  kept?: boolean;
}) {
  return (
    <Field label={title} error={error} hint="without a host the installation's own way is used">
      {(id, by) => (
        <span className="flex flex-wrap gap-2">
          <input
            id={id}
            aria-describedby={by}
            placeholder="host"
            className="w-56"
            value={server.host}
            onChange={(e) => set({ ...server, host: e.target.value })}
          />
          <input
            aria-label={`${title}: port`}
            type="number"
            className="w-20"
            value={server.port}
            onChange={(e) => set({ ...server, port: Number(e.target.value) })}
          />
          <select aria-label={`${title}: security`} value={server.security} onChange={(e) => set({ ...server, security: e.target.value })}>
            <option value="starttls">STARTTLS</option>
            <option value="tls">TLS</option>
            <option value="none">none</option>
          </select>
          <input
            aria-label={`${title}: name`}
            placeholder="name to sign in with"
            autoComplete="off"
            value={server.user}
            onChange={(e) => set({ ...server, user: e.target.value })}
          />
          <input
            aria-label={`${title}: password`}
            type="password"
            autoComplete="new-password"
            placeholder={kept ? 'kept as it is' : 'password'}
            value={server.password ?? ''}
            onChange={(e) => set({ ...server, password: e.target.value || null })}
          />
        </span>
      )}
    </Field>
  );
}

/** Tries what stands on the page, and says so where that is not kept yet. What is changed afterwards has not been tried. */
function Test({
  label,
  server,
  kept,
  call,
}: {
  label: string;
  server: Server;
  kept: Server;
  call: (server: Server) => Promise<Schemas['TestAnswer']>;
}) {
  const test = useMutation({ mutationFn: call });
  const tried = test.data && JSON.stringify(test.variables) === JSON.stringify(server);
  const saved = JSON.stringify(server) === JSON.stringify(kept);
  return (
    <p className="mt-0 mb-5 text-small">
      <Button onClick={() => test.mutate(server)} disabled={test.isPending}>
        {label}
      </Button>{' '}
      {tried && test.data && (
        <span role="status" className={test.data.worked ? 'text-leaf' : 'text-ember'}>
          {test.data.worked ? 'It worked' : 'It did not work'}: {test.data.words}
          {!saved && ' These settings are not kept yet.'}
        </span>
      )}
      <Trouble error={test.error} />
    </p>
  );
}

function Margin() {
  const feed = useMutation({ mutationFn: (renew: boolean) => take(api.POST('/api/calendar-feed', { params: { query: { renew } } })) });
  return (
    <>
      <h3>Your calendar</h3>
      <p className="mt-1">
        Your calls, tasks and appointments for the calendar you use. The address is secret: whoever has it can read them.
      </p>
      {feed.data ? (
        <>
          <p className="mt-2 break-all font-serif text-ink">{feed.data.address}</p>
          <Button look="danger" onClick={() => feed.mutate(true)}>
            make a new address, the old one stops working
          </Button>
        </>
      ) : (
        <Button onClick={() => feed.mutate(false)}>show the address</Button>
      )}
      <Trouble error={feed.error} />
      <h3 className="mt-5">What changes when</h3>
      <p className="mt-1">Settings count for everything that is judged from now on. What has gone stays as it was.</p>
    </>
  );
}

/** Of a date that is no longer offered, who uses it; what people have there stays, and programs go on by it. */
function DateTakenOut({ name }: { name: string }) {
  const uses = useQuery({
    queryKey: ['date-uses', name],
    queryFn: () => take(api.GET('/api/practice/dates/uses', { params: { query: { name } } })),
  });
  if (!uses.data) return null;
  const { people, programs } = uses.data;
  return (
    <p role="status" className="-mt-1 mb-3 max-w-md text-small text-straw">
      “{name}” is no longer offered
      {people === 0 && programs.length === 0
        ? '; nobody uses it.'
        : `. ${count(people, 'person has', 'people have')} it${programs.length > 0 ? `, and ${programs.map((p) => `“${p}”`).join(', ')} ${programs.length === 1 ? 'counts' : 'count'} by it` : ''}: that stays as it is.`}
    </p>
  );
}
