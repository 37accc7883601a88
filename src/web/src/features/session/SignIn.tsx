import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { useLocation, useNavigate } from 'react-router';
import { api, take } from '../../api/client';
import { Button, Field, fieldError, Trouble } from '../../ui/bits';
import { TouchLine } from '../../ui/TouchLine';

const line = [0, 7, 10, 17, 24, 31, 38, 45, 54, 66, 77, 88].map((day) => ({
  day,
  kind: day === 7 || day === 45 ? 'call' : 'email',
  state: day < 10 ? ('past' as const) : ('coming' as const),
}));

/** The first page of the day book. */
export function SignIn() {
  const queries = useQueryClient();
  const go = useNavigate();
  const from = (useLocation().state as { from?: string } | null)?.from ?? '/';
  const [email, setEmail] = useState('');
  const [password, setPassword] = useState('');
  const signIn = useMutation({
    mutationFn: () => take(api.POST('/api/session', { body: { email, password } })),
    onSuccess: async () => {
      await queries.resetQueries();
      go(from, { replace: true });
    },
  });
  const own = fieldError(signIn.error, 'email') ?? fieldError(signIn.error, 'password');

  return (
    <div className="grid min-h-screen grid-cols-[112px_minmax(0,1fr)_344px] max-[1099px]:grid-cols-[minmax(0,1fr)]">
      <div className="max-[1099px]:hidden" />
      <main className="border-x border-rule bg-sheet px-[8%] pt-[16vh]">
        <h1 className="!text-[44px]">Germinal</h1>
        <p className="mt-3 max-w-[46ch] font-serif text-lead text-soft">
          Keeps you in touch with everyone you know, for years, without anyone being forgotten or pestered.
        </p>
        <div className="mt-8 max-w-[720px]">
          <TouchLine marks={line} now={9} />
        </div>
        <form
          className="mt-10 max-w-[340px]"
          onSubmit={(e) => {
            e.preventDefault();
            signIn.mutate();
          }}
        >
          <Field label="Email address" error={fieldError(signIn.error, 'email')}>
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
          <Field label="Password" error={fieldError(signIn.error, 'password')}>
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
          {!own && <Trouble error={signIn.error} />}
          <Button type="submit" look="main" disabled={signIn.isPending}>
            Sign in
          </Button>
        </form>
      </main>
      <aside className="p-6 pt-[16vh] text-small text-soft max-[1099px]:hidden">
        <h2 className="!font-sans !text-small">Demo practice</h2>
        <p className="mt-1">
          The sign-ins were printed where Germinal was started. Everything in the demo is invented; letters go to a stand-in and reach
          nobody.
        </p>
      </aside>
    </div>
  );
}
