import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { api, type Schemas, take } from '../../api/client';
import { Button, Field, fieldError, Trouble } from '../../ui/bits';
import { Stretch } from '../../ui/DayPage';
import { useKept } from '../../ui/kept';
import { securities } from '../../ui/securities';
import { phrase } from '../../words/phrase';

type Own = Schemas['OwnMailAccountDto'];
type Server = { host: string; port: string; security: string };

const none: Server = { host: '', port: '', security: 'tls' };
const kept = (s: Schemas['AccountServerDto'] | undefined): Server =>
  s?.host ? { host: s.host, port: String(s.port), security: s.security } : none;

/** An account is said, tried with a letter to oneself, and kept only where that works. */
export function SetUp({ own, done }: { own: Own; done: () => void }) {
  const queries = useQueryClient();
  // What is typed outlives the way to the provider and back, all but passwords.
  const [said, setSaid, written] = useKept('mail-account', {
    address: own.account?.address ?? own.suggested,
    going: kept(own.account?.out),
    coming: kept(own.account?.in),
    user: own.account?.out.user ?? '',
    byProvider: Boolean(own.account?.issuer),
    issuer: own.account?.issuer ?? '',
    clientId: own.account?.clientId ?? '',
    scope: '',
  });
  const put = (part: Partial<typeof said>) => setSaid((before) => ({ ...before, ...part }));
  const { address, going, coming, user, byProvider, issuer, clientId, scope } = said;
  const [password, setPassword] = useState('');
  const [clientSecret, setClientSecret] = useState('');
  const body = (s: Server, word: string | null) =>
    s.host.trim() ? { host: s.host, port: Number(s.port), security: s.security, user: user || address, password: word } : null;
  const find = useMutation({
    mutationFn: () => take(api.POST('/api/me/mail/find', { body: { address } })),
    onSuccess: ({ servers }) => {
      const found = servers.find((s) => s.answers);
      if (found) put({ going: { host: found.host, port: String(found.port), security: found.security } });
    },
  });
  const keep = useMutation({
    mutationFn: () => take(api.PUT('/api/me/mail', { body: { address, out: body(going, password), in: body(coming, password) } })),
    onSuccess: async (answer) => {
      if (!answer.worked) return;
      written();
      await queries.invalidateQueries({ queryKey: ['own-mail'] });
      done();
    },
  });
  const way = useMutation({
    mutationFn: () =>
      take(
        api.POST('/api/me/mail/provider', {
          body: { address, out: body(going, null), in: body(coming, null), issuer, clientId, clientSecret, scope },
        }),
      ),
    onSuccess: ({ address: there }) => window.location.assign(there),
  });
  const error = byProvider ? way.error : keep.error;
  const own2 = ['address', 'out', 'in', 'issuer', 'clientId'].some((f) => fieldError(error, f));
  const text = (label: string, field: string, value: string, set: (v: string) => void, more: object, hint?: string) => (
    <Field label={label} error={fieldError(error, field)} hint={hint}>
      {(id, by) => <input id={id} aria-describedby={by} className="w-72" value={value} onChange={(e) => set(e.target.value)} {...more} />}
    </Field>
  );
  return (
    <>
      <Stretch title={phrase('Set it up')} note={phrase('nothing is kept that was not seen to work')} />
      <form
        className="px-7 py-3"
        onSubmit={(e) => {
          e.preventDefault();
          if (byProvider) way.mutate();
          else keep.mutate();
        }}
      >
        {text(
          phrase('Your address'),
          'address',
          address,
          (address) => put({ address }),
          { type: 'email', required: true },
          phrase('your letters come from it'),
        )}
        <p className="mt-0 mb-3">
          <Button look="plain" className="min-h-6" disabled={find.isPending} onClick={() => find.mutate()}>
            {phrase('Look for its server')}
          </Button>
          <span role="status" className="ml-3 text-small text-soft">
            {find.isPending && phrase('Looking …')}
            {find.data &&
              (find.data.servers.some((s) => s.answers)
                ? phrase('{host} answers', { host: find.data.servers.find((s) => s.answers)?.host })
                : phrase('None was found; your provider says what it is called.'))}
          </span>
        </p>
        <Trouble error={find.error} />
        <ServerFields
          title={phrase('Mail goes out by')}
          name={phrase('outgoing')}
          server={going}
          set={(going) => put({ going })}
          usual="465"
          error={fieldError(error, 'out')}
        />
        <ServerFields
          title={phrase('Mailboxes are at')}
          name={phrase('mailboxes')}
          server={coming}
          set={(coming) => put({ coming })}
          usual="993"
          hint={phrase('so that what goes out is among your sent mail, and answers can come in; empty for neither')}
          error={fieldError(error, 'in')}
        />
        <fieldset className="m-0 mb-3 border-0 p-0">
          <legend className="text-small text-soft">{phrase('How it lets you in')}</legend>
          <label className="mr-6 inline-flex min-h-6 items-baseline gap-2">
            <input type="radio" name="how" checked={!byProvider} onChange={() => put({ byProvider: false })} /> {phrase('with a password')}
          </label>
          <label className="inline-flex min-h-6 items-baseline gap-2">
            <input type="radio" name="how" checked={byProvider} onChange={() => put({ byProvider: true })} />{' '}
            {phrase('the provider asks me (OAuth 2)')}
          </label>
        </fieldset>
        {text(
          phrase('Name to sign in with'),
          'user',
          user,
          (user) => put({ user }),
          { placeholder: address, autoComplete: 'off' },
          phrase('empty: the address'),
        )}
        {byProvider ? (
          <>
            {text(
              phrase('The provider’s address'),
              'issuer',
              issuer,
              (issuer) => put({ issuer }),
              { type: 'url', required: true },
              phrase('as it calls itself, beginning with https://'),
            )}
            <div className="flex flex-wrap gap-x-6">
              {text(
                phrase('Client id'),
                'clientId',
                clientId,
                (clientId) => put({ clientId }),
                { required: true, autoComplete: 'off' },
                phrase('what it knows this installation as'),
              )}
              {text(
                phrase('Client secret'),
                'clientSecret',
                clientSecret,
                setClientSecret,
                { type: 'password', autoComplete: 'off' },
                phrase('empty where it gave none'),
              )}
            </div>
            {text(
              phrase('What its mail servers ask for'),
              'scope',
              scope,
              (scope) => put({ scope }),
              {},
              phrase('a scope, as the provider writes it; often empty'),
            )}
            <p className="max-w-[64ch] text-small text-soft">
              {phrase('Whoever keeps this installation registers it with the provider once, with this address to lead back to:')}{' '}
              <code className="[overflow-wrap:anywhere]">{own.back}</code>
            </p>
          </>
        ) : (
          text(
            phrase('Password'),
            'password',
            password,
            setPassword,
            { type: 'password', autoComplete: 'off', required: !own.account },
            phrase('many providers have one of its own for mail programs'),
          )
        )}
        {!own2 && <Trouble error={error} />}
        {keep.data && !keep.data.worked && (
          <p role="alert" className="my-3 max-w-[64ch] border-l-[3px] border-ember bg-ember-pale px-3 py-2">
            {phrase('It does not work yet. The server says: {words}', { words: keep.data.words })}
          </p>
        )}
        <Button type="submit" look="main" disabled={keep.isPending || way.isPending}>
          {byProvider ? phrase('Go to the provider') : keep.isPending ? phrase('Trying …') : phrase('Try it, and keep it')}
        </Button>
      </form>
    </>
  );
}

function ServerFields({
  title,
  name,
  server,
  set,
  usual,
  hint,
  error,
}: {
  title: string;
  name: string;
  server: Server;
  set: (s: Server) => void;
  usual: string;
  hint?: string;
  error?: string;
}) {
  return (
    <div className="flex flex-wrap gap-x-4">
      <Field label={title} error={error}>
        {(id, by) => (
          <input
            id={id}
            aria-describedby={by}
            className="w-72"
            autoComplete="off"
            value={server.host}
            onChange={(e) => set({ ...server, host: e.target.value, port: server.port || usual })}
          />
        )}
      </Field>
      <Field label={phrase('Port for {name}', { name })}>
        {(id) => (
          <input
            id={id}
            type="number"
            min={1}
            max={65535}
            className="w-24"
            value={server.port}
            onChange={(e) => set({ ...server, port: e.target.value })}
          />
        )}
      </Field>
      <Field label={phrase('The line for {name}', { name })}>
        {(id) => (
          <select id={id} className="w-60" value={server.security} onChange={(e) => set({ ...server, security: e.target.value })}>
            {securities.map(([value, words]) => (
              <option key={value} value={value}>
                {words}
              </option>
            ))}
          </select>
        )}
      </Field>
      {hint && <p className="-mt-2 mb-3 basis-full text-small text-soft">{hint}</p>}
    </div>
  );
}
