import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'react-router';
import { api, take } from '../../api/client';
import { useSession } from '../../app/session';
import { Button, Field, fieldError, Loading, Trouble } from '../../ui/bits';
import { DayPage, PageHead, Stretch } from '../../ui/DayPage';
import { size } from '../../ui/size';
import { machineMoment } from '../../ui/when';
import { phrase } from '../../words/phrase';

/** All the practice has: taken out, kept safe, and let go. */
export default function DataPage() {
  const whole = useQuery({ queryKey: ['whole'], queryFn: () => take(api.GET('/api/whole')) });
  return (
    <DayPage marginTitle={phrase('What is in it')} margin={<InIt />}>
      <PageHead title={phrase('All data')} aside={<Link to="/practice">{phrase('The practice')}</Link>} />
      <div className="px-7">
        <Trouble error={whole.error} />
      </div>
      {whole.data ? (
        <>
          <TakeOut />
          <Backups backups={whole.data.backups} />
          <LetGo endsAt={whole.data.endsAt} />
        </>
      ) : (
        !whole.error && <Loading />
      )}
    </DayPage>
  );
}

function InIt() {
  return (
    <>
      <h3>{phrase('What is in it')}</h3>
      <p>
        {phrase(
          'Everybody as a table (CSV) and as cards (vCard); the practice and its programs as JSON; every letter that went out, as mail; pictures, films and files as they are; and every table as CSV: what happened, what is planned, what was agreed to.',
        )}
      </p>
      <p className="mt-3">
        {phrase(
          'A new, empty installation takes it in where its first practice is begun, and is the same afterwards. Members choose new passwords; mail servers and calendars kept elsewhere are entered anew, because their passwords are nobody else’s.',
        )}
      </p>
    </>
  );
}

/** A field for one's own password, to show that it is oneself. */
function OwnPassword({ value, set, error }: { value: string; set: (v: string) => void; error?: string }) {
  return (
    <Field label={phrase('Your password, to show that it is you')} error={error}>
      {(id, by) => (
        <input
          id={id}
          aria-describedby={by}
          type="password"
          autoComplete="current-password"
          required
          className="w-64"
          value={value}
          onChange={(e) => set(e.target.value)}
        />
      )}
    </Field>
  );
}

function TakeOut() {
  const [password, setPassword] = useState('');
  const ask = useMutation({
    mutationFn: () => take(api.POST('/api/whole/archive', { body: { password } })),
    onSuccess: ({ address }) => {
      setPassword('');
      const link = document.createElement('a');
      link.href = address;
      link.download = '';
      link.click();
    },
  });
  return (
    <>
      <Stretch title={phrase('Take everything with you')} note={phrase('one file, in open forms')} />
      <form
        className="px-7 py-3"
        onSubmit={(e) => {
          e.preventDefault();
          ask.mutate();
        }}
      >
        <OwnPassword value={password} set={setPassword} />
        <Trouble error={ask.error} />
        {ask.isSuccess && (
          <p className="my-2 max-w-[60ch]" role="status">
            {phrase('It is being put together; your browser saves it when it is whole, in a minute or two for a large practice.')}
          </p>
        )}
        <Button type="submit" look="main" disabled={ask.isPending}>
          {phrase('Take it all out')}
        </Button>
      </form>
    </>
  );
}

function Backups({ backups }: { backups: { at: string; bytes: number }[] | null }) {
  return (
    <>
      <Stretch
        title={phrase('Backups')}
        note={backups?.length ? phrase('the newest {machineMoment}', { machineMoment: machineMoment(backups[0]?.at ?? '') }) : undefined}
      />
      {!backups ? (
        <p className="row text-straw">
          {phrase('This installation makes none. Whoever keeps it sets a folder for them (GERMINAL_BACKUPS); then one is made each night.')}
        </p>
      ) : backups.length === 0 ? (
        <p className="row text-soft">{phrase('None yet: one is made each night at ten past three.')}</p>
      ) : (
        backups.slice(0, 30).map((b) => (
          <p key={b.at} className="row m-0 flex gap-4">
            <span className="flex-1">{machineMoment(b.at)}</span>
            <span className="text-soft">{size(b.bytes)}</span>
          </p>
        ))
      )}
    </>
  );
}

function LetGo({ endsAt }: { endsAt: string | null }) {
  const queries = useQueryClient();
  const practice = useSession().data?.practice ?? '';
  const [name, setName] = useState('');
  const [password, setPassword] = useState('');
  const anew = () => {
    for (const key of ['whole', 'session']) queries.invalidateQueries({ queryKey: [key] });
  };
  const end = useMutation({
    mutationFn: () => take(api.POST('/api/whole/end', { body: { name, password } })),
    onSuccess: () => {
      setName('');
      setPassword('');
      anew();
    },
  });
  const keep = useMutation({ mutationFn: () => take(api.POST('/api/whole/keep')), onSuccess: anew });
  return (
    <>
      <Stretch title={phrase('Let the practice go')} />
      {endsAt ? (
        <div className="row">
          <p className="m-0 text-ember">
            {phrase('{practice} goes with all it has {endsAt}. Until then everything goes on as it is.', {
              practice,
              endsAt: machineMoment(endsAt),
            })}
          </p>
          <Trouble error={keep.error} />
          <Button className="mt-2 min-h-6" look="main" disabled={keep.isPending} onClick={() => keep.mutate()}>
            {phrase('Keep it after all')}
          </Button>
        </div>
      ) : (
        <form
          className="px-7 py-3"
          onSubmit={(e) => {
            e.preventDefault();
            end.mutate();
          }}
        >
          <p className="mt-0 mb-3 max-w-[64ch]">
            {phrase(
              'It stays for a week, in which everything goes on and any principal can keep it after all; each is told by mail. Then all of it goes from here, and nobody can bring it back but out of what you took with you.',
            )}
          </p>
          <div className="flex flex-wrap gap-x-6">
            <Field label={phrase('What the practice is called')} error={fieldError(end.error, 'name')}>
              {(id, by) => (
                <input id={id} aria-describedby={by} required className="w-64" value={name} onChange={(e) => setName(e.target.value)} />
              )}
            </Field>
            <OwnPassword value={password} set={setPassword} />
          </div>
          {!fieldError(end.error, 'name') && <Trouble error={end.error} />}
          <Button type="submit" look="danger" disabled={end.isPending}>
            {phrase('Let it go in a week')}
          </Button>
        </form>
      )}
    </>
  );
}
