import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';
import { api, type Schemas, take } from '../../api/client';
import { Button, Field, fieldError, Trouble } from '../../ui/bits';
import { securities } from '../../ui/securities';
import { phrase } from '../../words/phrase';

/** The server mail goes out by: looked for by the address where that can be, tried for real, and kept only where that worked. */
export function MailPart({
  mail,
  installationSends,
  done,
}: {
  mail?: Schemas['MailServerDto'];
  installationSends: boolean;
  done: () => void;
}) {
  const [address, setAddress] = useState('');
  const [server, setServer] = useState({
    host: mail?.host ?? '',
    port: mail?.port ?? 587,
    security: mail?.security ?? 'starttls',
    user: mail?.user ?? '',
  });
  const [password, setPassword] = useState('');
  const set = (part: Partial<typeof server>) => setServer({ ...server, ...part });
  const find = useMutation({
    mutationFn: () => take(api.POST('/api/beginning/mail/find', { body: { address } })),
    onSuccess: ({ servers }) => {
      const found = servers.find((s) => s.answers);
      setServer({
        ...server,
        user: server.user || address,
        ...(found && { host: found.host, port: found.port, security: found.security }),
      });
    },
  });
  const save = useMutation({
    mutationFn: (own: boolean) =>
      take(
        api.PUT('/api/beginning/mail', {
          body: own ? { ...server, password: password || null } : { host: '', port: 25, security: 'none', user: '', password: null },
        }),
      ),
    onSuccess: (answer) => answer.worked && done(),
  });
  const found = find.data?.servers.find((s) => s.answers);
  return (
    <div className="mt-2 max-w-[720px]">
      {installationSends && (
        <p className="m-0 mb-3">
          <Button className="min-h-6" disabled={save.isPending} onClick={() => save.mutate(false)}>
            {phrase('Try the server of this installation')}
          </Button>{' '}
          <span className="text-soft">{phrase('or name your own:')}</span>
        </p>
      )}
      <form
        className="flex flex-wrap items-end gap-4"
        onSubmit={(e) => {
          e.preventDefault();
          find.mutate();
        }}
      >
        <Field label={phrase('Your email address')} error={fieldError(find.error, 'address')}>
          {(id, by) => (
            <input
              id={id}
              aria-describedby={by}
              type="email"
              autoFocus
              required
              className="w-72"
              value={address}
              onChange={(e) => setAddress(e.target.value)}
            />
          )}
        </Field>
        <Button type="submit" className="mb-4 min-h-6" disabled={find.isPending}>
          {find.isPending ? phrase('Looking …') : phrase('Find its server')}
        </Button>
      </form>
      {find.data && (
        <div className="mb-3 text-small" role="status">
          {found ? (
            <p className="m-0">
              {phrase('{host} answers. That is a guess by your address: whoever gave it to you knows for sure.', { host: found.host })}
            </p>
          ) : (
            <p className="m-0">{phrase('None was found. Whoever gave you your address knows which server it is; write it here.')}</p>
          )}
          <ul className="m-0 list-none p-0 text-soft">
            {find.data.servers.map((s) => (
              <li key={`${s.host}:${s.port}`}>
                {phrase('{host}, port {port, number}: {words}', { host: s.host, port: s.port, words: s.words })}
              </li>
            ))}
          </ul>
        </div>
      )}
      <form
        onSubmit={(e) => {
          e.preventDefault();
          save.mutate(true);
        }}
      >
        <div className="flex flex-wrap gap-x-6">
          <Field label={phrase('Server')} error={fieldError(save.error, 'host')}>
            {(id, by) => (
              <input
                id={id}
                aria-describedby={by}
                required
                className="w-64"
                value={server.host}
                onChange={(e) => set({ host: e.target.value })}
              />
            )}
          </Field>
          <Field label={phrase('Port')}>
            {(id) => (
              <input
                id={id}
                type="number"
                min={1}
                max={65535}
                required
                className="w-24"
                value={server.port}
                onChange={(e) => set({ port: Number(e.target.value) })}
              />
            )}
          </Field>
          <Field label={phrase('The line is')}>
            {(id) => (
              <select id={id} value={server.security} onChange={(e) => set({ security: e.target.value })}>
                {securities.map(([key, words]) => (
                  <option key={key} value={key}>
                    {words}
                  </option>
                ))}
              </select>
            )}
          </Field>
          <Field label={phrase('Name to sign in with')} hint={phrase('empty where it asks for none')}>
            {(id, by) => (
              <input
                id={id}
                aria-describedby={by}
                autoComplete="off"
                className="w-64"
                value={server.user}
                onChange={(e) => set({ user: e.target.value })}
              />
            )}
          </Field>
          <Field label={phrase('Password')} hint={mail?.hasPassword ? phrase('empty: the one that is kept') : undefined}>
            {(id, by) => (
              <input
                id={id}
                aria-describedby={by}
                type="password"
                autoComplete="off"
                className="w-56"
                value={password}
                onChange={(e) => setPassword(e.target.value)}
              />
            )}
          </Field>
        </div>
        {save.data && !save.data.worked && (
          <Trouble error={phrase('It did not work, and nothing is kept. {words}', { words: save.data.words })} />
        )}
        {!fieldError(save.error, 'host') && <Trouble error={save.error} />}
        <Button type="submit" look="main" disabled={save.isPending}>
          {save.isPending ? phrase('Sending a trial …') : phrase('Send a trial to yourself, and keep it')}
        </Button>
      </form>
    </div>
  );
}
