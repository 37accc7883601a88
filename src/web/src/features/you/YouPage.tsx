import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'react-router';
import { toast } from 'sonner';
import { api, type Schemas, take } from '../../api/client';
import { useSession } from '../../app/session';
import { Button, Field, fieldError, Loading, Trouble } from '../../ui/bits';
import { DayPage, PageHead, Stretch } from '../../ui/DayPage';
import { dayName, machineMoment } from '../../ui/when';
import { codeWord } from '../../words/codes';
import { phrase } from '../../words/phrase';
import { asThePractice, TongueField } from '../../words/TongueField';
import { PasswordField } from '../session/PasswordField';
import { canPasskeys, makePasskey } from '../session/passkeys';

type Me = Schemas['MeDto'];

/** One's own sign-in: name, password, second factor, passkeys, and where one is signed in. */
export default function YouPage() {
  const me = useQuery({ queryKey: ['me'], queryFn: () => take(api.GET('/api/me')) });
  const session = useSession().data;
  const unfinished = session?.unfinished;
  return (
    <DayPage marginTitle={phrase('What is asked for')} margin={<Margin />}>
      <PageHead
        title={phrase('You')}
        aside={
          !unfinished &&
          session?.may.includes('work') && (
            <>
              <Link to="/you/mail">{phrase('Your mail account')}</Link> <Link to="/signing">{phrase('How you sign')}</Link>
            </>
          )
        }
      />
      {unfinished && (
        <p className="mx-7 my-3 border-l-[3px] border-straw bg-straw-pale px-3 py-2" role="status">
          {phrase('Your practice asks everybody for a second factor or a passkey. Set one up here; then everything else is open.')}
        </p>
      )}
      <div className="px-7">
        <Trouble error={me.error} />
      </div>
      {me.data ? (
        <>
          <Name me={me.data} />
          <Language me={me.data} />
          <Password me={me.data} />
          <Factor me={me.data} />
          <Passkeys me={me.data} />
          <Sessions me={me.data} />
        </>
      ) : (
        !me.error && <Loading />
      )}
    </DayPage>
  );
}

function Margin() {
  return (
    <>
      <h3>{phrase('What is asked for')}</h3>
      <p>{phrase('A long password is enough, and never has to be changed because time has passed. None of the commonest is taken.')}</p>
      <p className="mt-3">
        {phrase(
          'A second factor is six digits that an application on your telephone works out anew every half minute. Whoever knows your password alone cannot sign in.',
        )}
      </p>
      <p className="mt-3">{phrase('A passkey stands for both: your device asks for your finger, your face or its own number.')}</p>
      <p className="mt-3">{phrase('When somebody signs in from a device you had not used before, you are told by mail.')}</p>
    </>
  );
}

/** What changes one's sign-in gives the page a new guard; both are read anew. */
function useAnew() {
  const queries = useQueryClient();
  return () => Promise.all([queries.invalidateQueries({ queryKey: ['session'] }), queries.invalidateQueries({ queryKey: ['me'] })]);
}

function Name({ me }: { me: Me }) {
  const anew = useAnew();
  const [name, setName] = useState(me.name);
  const save = useMutation({
    mutationFn: () => take(api.PUT('/api/me/name', { body: { name } })),
    onSuccess: async () => {
      await anew();
      toast(phrase('So you are called from now on.'));
    },
  });
  return (
    <>
      <Stretch title={phrase('Who you are')} note={`${me.email} · ${codeWord(me.role)}`} />
      <form
        className="max-w-[440px] px-7 py-3"
        onSubmit={(e) => {
          e.preventDefault();
          save.mutate();
        }}
      >
        <Field label={phrase('Name')} error={fieldError(save.error, 'name')} hint={phrase('as it stands under letters')}>
          {(id, by) => (
            <input
              id={id}
              aria-describedby={by}
              autoComplete="name"
              required
              className="w-full"
              value={name}
              onChange={(e) => setName(e.target.value)}
            />
          )}
        </Field>
        {!fieldError(save.error, 'name') && <Trouble error={save.error} />}
        {name !== me.name && (
          <Button type="submit" look="main" disabled={save.isPending}>
            {phrase('Be called so')}
          </Button>
        )}
      </form>
    </>
  );
}

/** The language one works in; the practice's where one says nothing. */
function Language({ me }: { me: Me }) {
  const anew = useAnew();
  const [tongue, setTongue] = useState(me.tongue);
  const save = useMutation({
    mutationFn: () => take(api.PUT('/api/me/tongue', { body: { tongue } })),
    onSuccess: anew,
  });
  return (
    <>
      <Stretch title={phrase('Your language')} note={phrase('of these pages, and of what is mailed to you')} />
      <form
        className="max-w-[440px] px-7 py-3"
        onSubmit={(e) => {
          e.preventDefault();
          save.mutate();
        }}
      >
        <TongueField
          label={phrase('Language')}
          none={asThePractice()}
          value={tongue}
          set={setTongue}
          error={fieldError(save.error, 'tongue')}
        />
        {!fieldError(save.error, 'tongue') && <Trouble error={save.error} />}
        {/* By key one goes through the languages: the page is not loaded anew at each. */}
        {tongue !== me.tongue && (
          <Button type="submit" look="main" disabled={save.isPending}>
            {phrase('Read on in it')}
          </Button>
        )}
      </form>
    </>
  );
}

/** Asks for one's password, to show that it is oneself. */
function Confirm({
  words,
  busy,
  error,
  take: confirm,
}: {
  words: string;
  busy: boolean;
  error: unknown;
  take: (password: string) => void;
}) {
  const [password, setPassword] = useState('');
  return (
    <form
      className="mt-2 max-w-[340px]"
      onSubmit={(e) => {
        e.preventDefault();
        confirm(password);
      }}
    >
      <Field label={phrase('Your password')}>
        {(id) => (
          <input
            id={id}
            type="password"
            autoComplete="current-password"
            autoFocus
            required
            className="w-full"
            value={password}
            onChange={(e) => setPassword(e.target.value)}
          />
        )}
      </Field>
      <Trouble error={error} />
      <Button type="submit" look="main" disabled={busy}>
        {words}
      </Button>
    </form>
  );
}

function Password({ me }: { me: Me }) {
  const anew = useAnew();
  const [open, setOpen] = useState(false);
  const [old, setOld] = useState('');
  const [next, setNext] = useState('');
  const change = useMutation({
    mutationFn: () => take(api.PUT('/api/me/password', { body: { old, new: next } })),
    onSuccess: async () => {
      await anew();
      setOpen(false);
      setOld('');
      setNext('');
      toast(phrase('It is changed. Wherever else you were signed in, you are not any more.'));
    },
  });
  return (
    <>
      <Stretch title={phrase('Password')} />
      {open ? (
        <form
          className="max-w-[440px] px-7 py-3"
          onSubmit={(e) => {
            e.preventDefault();
            change.mutate();
          }}
        >
          <input type="email" autoComplete="username" readOnly className="sr-only" tabIndex={-1} aria-hidden value={me.email} />
          <Field label={phrase('The one you have')}>
            {(id) => (
              <input
                id={id}
                type="password"
                autoComplete="current-password"
                autoFocus
                required
                className="w-full"
                value={old}
                onChange={(e) => setOld(e.target.value)}
              />
            )}
          </Field>
          <PasswordField label={phrase('The new one')} value={next} set={setNext} error={fieldError(change.error, 'new')} />
          {!fieldError(change.error, 'new') && <Trouble error={change.error} />}
          <div className="flex items-center gap-5">
            <Button type="submit" look="main" disabled={change.isPending}>
              {phrase('Change it')}
            </Button>
            <Button look="plain" className="min-h-6" onClick={() => setOpen(false)}>
              {phrase('Leave it')}
            </Button>
          </div>
        </form>
      ) : (
        <p className="row">
          <Button className="min-h-6" onClick={() => setOpen(true)}>
            {phrase('Change it')}
          </Button>
        </p>
      )}
    </>
  );
}

function Factor({ me }: { me: Me }) {
  const anew = useAnew();
  const [asking, setAsking] = useState<'end' | 'codes'>();
  const [code, setCode] = useState('');
  const [codes, setCodes] = useState<readonly string[]>();
  const begin = useMutation({ mutationFn: () => take(api.POST('/api/me/factor')) });
  const finish = useMutation({
    mutationFn: () => take(api.PUT('/api/me/factor', { body: { code } })),
    onSuccess: async (answer) => {
      setCodes(answer.codes);
      setCode('');
      begin.reset();
      await anew();
    },
  });
  const end = useMutation({
    mutationFn: (password: string) => take(api.POST('/api/me/factor/end', { body: { password } })),
    onSuccess: async () => {
      setAsking(undefined);
      setCodes(undefined);
      await anew();
      toast(phrase('No second factor is asked for any more.'));
    },
  });
  const more = useMutation({
    mutationFn: (password: string) => take(api.POST('/api/me/factor/recovery', { body: { password } })),
    onSuccess: async (answer) => {
      setAsking(undefined);
      setCodes(answer.codes);
      await anew();
    },
  });
  return (
    <>
      <Stretch
        title={phrase('Second factor')}
        note={
          me.factorSince
            ? phrase('since {factorSince} · {recoveryLeft, plural, one {# recovery code} other {# recovery codes}} left', {
                factorSince: dayName(me.factorSince.slice(0, 10)),
                recoveryLeft: me.recoveryLeft,
              })
            : phrase('none‹factor›')
        }
      />
      {codes && <RecoveryCodes codes={codes} close={() => setCodes(undefined)} />}
      {me.factorSince ? (
        <div className="row">
          <div className="flex gap-5">
            <Button className="min-h-6" onClick={() => setAsking('codes')}>
              {phrase('New recovery codes')}
            </Button>
            <Button look="danger" className="min-h-6" onClick={() => setAsking('end')}>
              {phrase('Ask for none any more')}
            </Button>
          </div>
          {asking === 'end' && <Confirm words={phrase('Ask for none any more')} busy={end.isPending} error={end.error} take={end.mutate} />}
          {asking === 'codes' && <Confirm words={phrase('Make new ones')} busy={more.isPending} error={more.error} take={more.mutate} />}
        </div>
      ) : begin.data ? (
        <form
          className="grid grid-cols-[200px_minmax(0,1fr)] gap-6 px-7 py-3 max-[699px]:grid-cols-1"
          onSubmit={(e) => {
            e.preventDefault();
            finish.mutate();
          }}
        >
          <img
            alt={phrase('The secret, to be read by the telephone')}
            className="w-[200px] bg-white p-2"
            src={`data:image/svg+xml;utf8,${encodeURIComponent(begin.data.picture)}`}
          />
          <div>
            <p className="m-0">
              {phrase('Read this with an application for codes on your telephone, or type the secret:')}{' '}
              <code className="break-all">{begin.data.secret.match(/.{1,4}/g)?.join(' ')}</code>
            </p>
            <div className="mt-3 max-w-[240px]">
              <Field label={phrase('The code it shows now')} error={fieldError(finish.error, 'code')}>
                {(id, by) => (
                  <input
                    id={id}
                    aria-describedby={by}
                    inputMode="numeric"
                    autoComplete="one-time-code"
                    autoFocus
                    required
                    className="w-full"
                    value={code}
                    onChange={(e) => setCode(e.target.value)}
                  />
                )}
              </Field>
            </div>
            {!fieldError(finish.error, 'code') && <Trouble error={finish.error} />}
            <Button type="submit" look="main" disabled={finish.isPending}>
              {phrase('Ask for it from now on')}
            </Button>
          </div>
        </form>
      ) : (
        <p className="row">
          <Button className="min-h-6" disabled={begin.isPending} onClick={() => begin.mutate()}>
            {phrase('Set one up')}
          </Button>
          <Trouble error={begin.error} />
        </p>
      )}
    </>
  );
}

function RecoveryCodes({ codes, close }: { codes: readonly string[]; close: () => void }) {
  return (
    <div className="mx-7 my-3 border-l-[3px] border-leaf bg-leaf-pale px-3 py-2" role="status">
      <p className="m-0">
        {phrase('These are shown this once. Each lets you in one time without your telephone; write them down where nobody else looks.')}
      </p>
      <ul className="my-2 grid list-none grid-cols-2 gap-x-6 p-0 max-[699px]:grid-cols-1">
        {codes.map((c) => (
          <li key={c}>
            <code>{c}</code>
          </li>
        ))}
      </ul>
      <Button className="min-h-6" onClick={close}>
        {phrase('They are written down')}
      </Button>
    </div>
  );
}

function Passkeys({ me }: { me: Me }) {
  const anew = useAnew();
  const [name, setName] = useState('');
  const [password, setPassword] = useState('');
  const add = useMutation({
    mutationFn: async () => {
      const { options } = await take(api.POST('/api/me/passkeys/ask', { body: { password } }));
      await take(api.POST('/api/me/passkeys', { body: { credential: await makePasskey(options), name } }));
    },
    onSuccess: async () => {
      setName('');
      setPassword('');
      await anew();
    },
  });
  const remove = useMutation({
    mutationFn: (id: string) => take(api.DELETE('/api/me/passkeys/{id}', { params: { path: { id } } })),
    onSuccess: anew,
  });
  return (
    <>
      <Stretch title={phrase('Passkeys')} note={me.passkeys.length === 0 ? phrase('none') : undefined} />
      {me.passkeys.map((p) => (
        <div key={p.id} className="row flex items-baseline gap-4">
          <span className="flex-1">
            {p.name} <span className="text-soft">{phrase('since {madeAt}', { madeAt: dayName(p.madeAt.slice(0, 10)) })}</span>
          </span>
          <Button
            look="danger"
            className="min-h-6"
            aria-label={phrase('Take “{name}” away', { name: p.name })}
            disabled={remove.isPending}
            onClick={() => remove.mutate(p.id)}
          >
            {phrase('take away')}
          </Button>
        </div>
      ))}
      {canPasskeys() ? (
        <form
          className="row flex flex-wrap items-end gap-4"
          onSubmit={(e) => {
            e.preventDefault();
            add.mutate();
          }}
        >
          <label className="text-small text-soft">
            {phrase('What to call it')}
            <input className="mt-0.5 block w-56" required maxLength={60} value={name} onChange={(e) => setName(e.target.value)} />
          </label>
          <label className="text-small text-soft">
            {phrase('Your password, to show that it is you')}
            <input
              className="mt-0.5 block w-56"
              type="password"
              autoComplete="current-password"
              required
              value={password}
              onChange={(e) => setPassword(e.target.value)}
            />
          </label>
          <Button type="submit" className="min-h-6" disabled={add.isPending}>
            {phrase('Add a passkey of this device')}
          </Button>
        </form>
      ) : (
        <p className="row text-soft">
          {phrase('This browser, or this address, knows no passkeys; they need HTTPS and a name, not a number.')}
        </p>
      )}
      <div className="px-7">
        <Trouble error={add.error ?? remove.error} />
      </div>
    </>
  );
}

function Sessions({ me }: { me: Me }) {
  const anew = useAnew();
  const end = useMutation({
    mutationFn: (id: string) => take(api.DELETE('/api/me/sessions/{id}', { params: { path: { id } } })),
    onSuccess: anew,
  });
  const all = useMutation({ mutationFn: () => take(api.DELETE('/api/me/sessions')), onSuccess: anew });
  return (
    <>
      <Stretch title={phrase('Where you are signed in')} />
      {me.sessions.map((s) => (
        <div key={s.id} className="row flex items-baseline gap-4">
          <span className="flex-1">
            {s.device}{' '}
            <span className="text-soft">
              {phrase('· {address} · since {since}, used {seenAt}', {
                address: s.address || phrase('no address'),
                since: machineMoment(s.since),
                seenAt: machineMoment(s.seenAt),
              })}
            </span>
            {s.isThis && <b className="font-semibold">{phrase(' · here')}</b>}
          </span>
          {!s.isThis && (
            <Button
              look="danger"
              className="min-h-6"
              aria-label={phrase('End the session on {device}', { device: s.device })}
              disabled={end.isPending}
              onClick={() => end.mutate(s.id)}
            >
              {phrase('end it')}
            </Button>
          )}
        </div>
      ))}
      {me.sessions.length > 1 && (
        <p className="row">
          <Button look="danger" className="min-h-6" disabled={all.isPending} onClick={() => all.mutate()}>
            {phrase('End all but this one')}
          </Button>
        </p>
      )}
      <div className="px-7">
        <Trouble error={end.error ?? all.error} />
      </div>
    </>
  );
}
