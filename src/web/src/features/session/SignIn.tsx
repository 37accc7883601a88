import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Link, useLocation, useNavigate } from 'react-router';
import { api, take } from '../../api/client';
import { useSession } from '../../app/session';
import { Button, Field, fieldError, Trouble } from '../../ui/bits';
import { phrase } from '../../words/phrase';
import { FirstPage } from './FirstPage';
import { canPasskeys, usePasskey } from './passkeys';

/** Signing in: by address and password, a code where a second factor is set up, or by a passkey. */
export function SignIn() {
  const queries = useQueryClient();
  const go = useNavigate();
  const session = useSession().data;
  const from = (useLocation().state as { from?: string } | null)?.from ?? '/';
  const [email, setEmail] = useState('');
  const [password, setPassword] = useState('');
  const [code, setCode] = useState<string>();
  const inside = async () => {
    await queries.resetQueries();
    go(from, { replace: true });
  };
  const signIn = useMutation({
    mutationFn: () => take(api.POST('/api/session', { body: { email, password } })),
    onSuccess: (next) => (next?.needs === 'code' ? setCode('') : inside()),
  });
  const second = useMutation({ mutationFn: () => take(api.POST('/api/session/code', { body: { code: code ?? '' } })), onSuccess: inside });
  const passkey = useMutation({
    mutationFn: async () => {
      const { options } = await take(api.POST('/api/session/passkey/ask'));
      await take(api.POST('/api/session/passkey', { body: { credential: await usePasskey(options) } }));
    },
    onSuccess: inside,
  });
  const own = fieldError(signIn.error, 'email') ?? fieldError(signIn.error, 'password');

  return (
    <FirstPage
      lead={phrase('Keeps you in touch with everyone you know, for years, without anyone being forgotten or pestered.')}
      margin={
        session?.isDemo && (
          <>
            <h2 className="!font-sans !text-small">{phrase('Demo practice')}</h2>
            <p className="mt-1">
              {phrase(
                'The sign-ins were printed where Germinal was started. Everything in the demo is invented; letters go to a stand-in and reach nobody.',
              )}
            </p>
          </>
        )
      }
    >
      {code === undefined ? (
        <form
          className="mt-10 max-w-[340px]"
          onSubmit={(e) => {
            e.preventDefault();
            signIn.mutate();
          }}
        >
          <Field label={phrase('Email address')} error={fieldError(signIn.error, 'email')}>
            {(id, by) => (
              <input
                id={id}
                aria-describedby={by}
                type="email"
                autoComplete="username"
                autoFocus
                required
                className="w-full"
                value={email}
                onChange={(e) => setEmail(e.target.value)}
              />
            )}
          </Field>
          <Field label={phrase('Password')} error={fieldError(signIn.error, 'password')}>
            {(id, by) => (
              <input
                id={id}
                aria-describedby={by}
                type="password"
                autoComplete="current-password"
                required
                className="w-full"
                value={password}
                onChange={(e) => setPassword(e.target.value)}
              />
            )}
          </Field>
          {!own && <Trouble error={signIn.error ?? passkey.error} />}
          <div className="flex flex-wrap items-center gap-x-5 gap-y-2">
            <Button type="submit" look="main" disabled={signIn.isPending}>
              {phrase('Sign in')}
            </Button>
            {canPasskeys() && (
              <Button className="min-h-6" disabled={passkey.isPending} onClick={() => passkey.mutate()}>
                {phrase('With a passkey')}
              </Button>
            )}
            <Link className="inline-flex min-h-6 items-center text-small" to="/forgotten">
              {phrase('Forgotten the password')}
            </Link>
          </div>
        </form>
      ) : (
        <form
          className="mt-10 max-w-[340px]"
          onSubmit={(e) => {
            e.preventDefault();
            second.mutate();
          }}
        >
          <Field
            label={phrase('Code')}
            error={fieldError(second.error, 'code')}
            hint={phrase('The six digits your telephone shows, or a recovery code.')}
          >
            {(id, by) => (
              <input
                id={id}
                aria-describedby={by}
                autoComplete="one-time-code"
                autoFocus
                required
                className="w-full"
                value={code}
                onChange={(e) => setCode(e.target.value)}
              />
            )}
          </Field>
          {!fieldError(second.error, 'code') && <Trouble error={second.error} />}
          <div className="flex items-center gap-5">
            <Button type="submit" look="main" disabled={second.isPending}>
              {phrase('Go on')}
            </Button>
            <Button look="plain" className="min-h-6" onClick={() => setCode(undefined)}>
              {phrase('Begin again')}
            </Button>
          </div>
        </form>
      )}
    </FirstPage>
  );
}
