import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { useNavigate, useSearchParams } from 'react-router';
import { api, take } from '../../api/client';
import { Button, Field, fieldError, Trouble } from '../../ui/bits';
import { phrase } from '../../words/phrase';
import { FirstPage } from '../session/FirstPage';
import { PasswordField } from '../session/PasswordField';

/** Whoever has set up the machine becomes a keeper of the installation. */
export function KeepPage() {
  const queries = useQueryClient();
  const go = useNavigate();
  const key = useSearchParams()[0].get('key') ?? '';
  const [name, setName] = useState('');
  const [email, setEmail] = useState('');
  const [password, setPassword] = useState('');
  const keep = useMutation({
    mutationFn: () => take(api.POST('/api/session/keep', { body: { key, name, email, password } })),
    onSuccess: async () => {
      await queries.resetQueries();
      go('/', { replace: true });
    },
  });
  return (
    <FirstPage
      title={phrase('Keep this installation')}
      lead={phrase(
        'Keepers make practices and stop them, and see how large they are and how the installation fares. They see nothing of anybody’s people.',
      )}
    >
      <form
        className="mt-8 max-w-[340px]"
        onSubmit={(e) => {
          e.preventDefault();
          keep.mutate();
        }}
      >
        <Field label={phrase('Your name')} error={fieldError(keep.error, 'name')}>
          {(id, by) => (
            <input
              id={id}
              aria-describedby={by}
              required
              autoFocus
              autoComplete="name"
              className="w-full"
              value={name}
              onChange={(e) => setName(e.target.value)}
            />
          )}
        </Field>
        <Field
          label={phrase('Email address')}
          error={fieldError(keep.error, 'email')}
          hint={phrase('you sign in with it; it is another one than a member of a practice has')}
        >
          {(id, by) => (
            <input
              id={id}
              aria-describedby={by}
              type="email"
              required
              autoComplete="username"
              className="w-full"
              value={email}
              onChange={(e) => setEmail(e.target.value)}
            />
          )}
        </Field>
        <PasswordField value={password} set={setPassword} error={fieldError(keep.error, 'password')} />
        {!['name', 'email', 'password'].some((f) => fieldError(keep.error, f)) && <Trouble error={keep.error} />}
        <Button type="submit" look="main" disabled={keep.isPending}>
          {phrase('Become a keeper')}
        </Button>
      </form>
    </FirstPage>
  );
}
