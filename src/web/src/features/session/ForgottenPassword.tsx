import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'react-router';
import { api, take } from '../../api/client';
import { Button, Field, fieldError, Trouble } from '../../ui/bits';
import { phrase } from '../../words/phrase';
import { FirstPage } from './FirstPage';

/** Asking for a link by which a new password is chosen. */
export function ForgottenPassword() {
  const [email, setEmail] = useState('');
  const ask = useMutation({ mutationFn: () => take(api.POST('/api/session/forgotten', { body: { email } })) });
  return (
    <FirstPage
      title={phrase('A new password')}
      lead={phrase('A link to choose one is mailed to the address you sign in with. It works once, for half an hour.')}
    >
      {ask.isSuccess ? (
        <div className="mt-10 max-w-[46ch]" role="status">
          <p>
            {phrase(
              'If somebody here signs in with {email}, the link is on its way. If it does not come, look among what your mail program puts aside.',
              { email },
            )}
          </p>
          <p className="mt-3 text-small">
            <Link to="/sign-in">{phrase('Sign in')}</Link>
          </p>
        </div>
      ) : (
        <form
          className="mt-10 max-w-[340px]"
          onSubmit={(e) => {
            e.preventDefault();
            ask.mutate();
          }}
        >
          <Field label={phrase('Email address')} error={fieldError(ask.error, 'email')}>
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
          {!fieldError(ask.error, 'email') && <Trouble error={ask.error} />}
          <div className="flex items-center gap-5">
            <Button type="submit" look="main" disabled={ask.isPending}>
              {phrase('Mail me a link')}
            </Button>
            <Link className="inline-flex min-h-6 items-center text-small" to="/sign-in">
              {phrase('Back to signing in')}
            </Link>
          </div>
        </form>
      )}
    </FirstPage>
  );
}
