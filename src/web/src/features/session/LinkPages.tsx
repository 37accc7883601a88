import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { type ReactNode, useState } from 'react';
import { Link, useNavigate, useSearchParams } from 'react-router';
import { toast } from 'sonner';
import { api, type Schemas, take } from '../../api/client';
import { type Session, useSession } from '../../app/session';
import { Button, Field, fieldError, Loading, Trouble } from '../../ui/bits';
import { forgetAll } from '../../ui/kept';
import { phrase } from '../../words/phrase';
import { FirstPage } from './FirstPage';
import { PasswordField } from './PasswordField';

/** Looks whose link it is before anything is asked. */
function Linked({
  kind,
  title,
  lead,
  children,
}: {
  kind: string;
  title: string;
  lead: string;
  children: (link: Schemas['MemberLinkDto'], key: string) => ReactNode;
}) {
  const key = useSearchParams()[0].get('key') ?? '';
  const link = useQuery({
    queryKey: ['link', kind, key],
    retry: false,
    queryFn: () => take(api.POST('/api/session/link', { body: { key, kind } })),
  });
  return (
    <FirstPage title={title} lead={lead}>
      <div className="mt-10 max-w-[340px]">
        {link.isPending && <Loading what={phrase('Opening the link')} />}
        {link.error && (
          <>
            <Trouble error={link.error} />
            <Link className="text-small" to="/sign-in">
              {phrase('Sign in')}
            </Link>
          </>
        )}
        {link.data && children(link.data, key)}
      </div>
    </FirstPage>
  );
}

/** An invited member says what they are called and chooses a password. */
export function JoinPage() {
  return (
    <Linked kind="invitation" title={phrase('Join')} lead={phrase('Say what you are called, and choose a password. Then you are in.')}>
      {(link, key) => <JoinForm link={link} linkKey={key} />}
    </Linked>
  );
}

function JoinForm({ link, linkKey }: { link: Schemas['MemberLinkDto']; linkKey: string }) {
  const queries = useQueryClient();
  const go = useNavigate();
  const [name, setName] = useState(link.name);
  const [password, setPassword] = useState('');
  const here = useSession().data?.member;
  const join = useMutation({
    mutationFn: async () => {
      if (here) {
        await take(api.DELETE('/api/session'));
        forgetAll();
        // The guard of whoever is not signed in is another.
        await queries.refetchQueries({ queryKey: ['session'] });
      }
      return take(api.POST('/api/session/join', { body: { key: linkKey, name, password } }));
    },
    onSuccess: async () => {
      await queries.resetQueries();
      // Whoever comes first to a practice that was made for them begins it.
      const session = queries.getQueryData<Session>(['session']);
      go(session?.begins && session.members.length === 1 ? '/beginning' : '/', { replace: true });
    },
  });
  const own = fieldError(join.error, 'name') ?? fieldError(join.error, 'password');
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault();
        join.mutate();
      }}
    >
      {here && (
        <p className="mb-4 border-l-[3px] border-straw bg-straw-pale px-3 py-2 text-small">
          {phrase('{here} is signed in here, and is signed out when you join.', { here: here.name })}
        </p>
      )}
      <p className="mb-4">{phrase('{practice} · you will sign in with {email}', { practice: link.practice, email: link.email })}</p>
      <Field label={phrase('Your name')} error={fieldError(join.error, 'name')} hint={phrase('as it stands under letters')}>
        {(id, by) => (
          <input
            id={id}
            aria-describedby={by}
            autoComplete="name"
            autoFocus
            required
            className="w-full"
            value={name}
            onChange={(e) => setName(e.target.value)}
          />
        )}
      </Field>
      <PasswordField value={password} set={setPassword} error={fieldError(join.error, 'password')} />
      {!own && <Trouble error={join.error} />}
      <Button type="submit" look="main" disabled={join.isPending}>
        {phrase('Join')}
      </Button>
    </form>
  );
}

/** A password that was forgotten is chosen anew. */
export function NewPasswordPage() {
  return (
    <Linked
      kind="forgotten"
      title={phrase('A new password')}
      lead={phrase('Choose one. Wherever you were signed in, you are not any more.')}
    >
      {(link, key) => <NewPasswordForm link={link} linkKey={key} />}
    </Linked>
  );
}

function NewPasswordForm({ link, linkKey }: { link: Schemas['MemberLinkDto']; linkKey: string }) {
  const go = useNavigate();
  const [password, setPassword] = useState('');
  const choose = useMutation({
    mutationFn: () => take(api.POST('/api/session/password', { body: { key: linkKey, password } })),
    onSuccess: () => {
      toast(phrase('It is your password now. Sign in with it.'));
      go('/sign-in', { replace: true });
    },
  });
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault();
        choose.mutate();
      }}
    >
      {/* Programs that keep passwords want to know whose it is. */}
      <input type="email" autoComplete="username" readOnly className="sr-only" tabIndex={-1} aria-hidden value={link.email} />
      <PasswordField
        label={phrase('New password of {email}', { email: link.email })}
        value={password}
        set={setPassword}
        error={fieldError(choose.error, 'password')}
      />
      {!fieldError(choose.error, 'password') && <Trouble error={choose.error} />}
      <Button type="submit" look="main" disabled={choose.isPending}>
        {phrase('Choose it')}
      </Button>
    </form>
  );
}
