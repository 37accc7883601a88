import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import { Link } from 'react-router';
import { toast } from 'sonner';
import { api, type Schemas, take } from '../../api/client';
import { Button, Field, fieldError, Loading, Trouble } from '../../ui/bits';
import { DayPage, PageHead, Stretch } from '../../ui/DayPage';
import { keep } from '../../ui/kept';
import { machineMoment } from '../../ui/when';
import { phrase } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';
import { SetUp } from './SetUp';

type Account = Schemas['MailAccountDto'];

/** One's own mail account: what one signs goes out by it, and what is answered there comes in. */
export default function MailAccountPage() {
  // What came of the way to a provider is told once; asked for again it would be gone.
  const own = useQuery({ queryKey: ['own-mail'], queryFn: () => take(api.GET('/api/me/mail')), staleTime: Number.POSITIVE_INFINITY });
  const [anew, setAnew] = useState(false);
  const account = own.data?.account;
  // Back from the provider with what was wanted: what was typed for it is done with.
  const isKept = Boolean(own.data?.said && account);
  useEffect(() => {
    if (isKept) keep('mail-account', undefined);
  }, [isKept]);
  return (
    <DayPage marginTitle={phrase('What comes in')} margin={<Margin />}>
      <PageHead title={phrase('Your mail account')} aside={<Link to="/you">{phrase('You')}</Link>} />
      <div className="px-7">
        <Trouble error={own.error} />
      </div>
      {own.data?.said && (
        <p className={`mx-7 my-3 border-l-[3px] px-3 py-2 ${account ? 'border-leaf' : 'border-straw bg-straw-pale'}`} role="status">
          {own.data.said}
        </p>
      )}
      {own.data ? (
        <>
          {account && <Kept account={account} change={() => setAnew(!anew)} />}
          {account && <Rules account={account} />}
          {(!account || anew) && <SetUp key={account?.workedAt} own={own.data} done={() => setAnew(false)} />}
        </>
      ) : (
        !own.error && <Loading />
      )}
    </DayPage>
  );
}

function Margin() {
  return (
    <>
      <h3>{phrase('What goes out by it')}</h3>
      <p>
        {phrase(
          'The letters you sign, and what you write to people by hand. They are among your sent mail as if you had sent them from your own mail program. What the practice itself signs goes by the practice’s server.',
        )}
      </p>
      <h3 className="mt-5">{phrase('What comes in')}</h3>
      <p>
        {phrase(
          'Where you want it: what people write to you, and what you write to them from your own mail program. Only of people who are in the practice, words only, and from the day you switch it on. Of everything else only sender, readers and subject are looked at, and nothing is kept. Nothing in your mailbox is changed.',
        )}
      </p>
    </>
  );
}

const serverWords = (s: { host: string; port: number }) => phrase('{host}, port {port, number}', { host: s.host, port: s.port });

function Kept({ account: a, change }: { account: Account; change: () => void }) {
  const queries = useQueryClient();
  const end = useMutation({
    mutationFn: () => take(api.DELETE('/api/me/mail')),
    onSuccess: async () => {
      await queries.invalidateQueries({ queryKey: ['own-mail'] });
      toast(phrase('Your letters go out by the practice’s server again.'));
    },
  });
  return (
    <>
      <Stretch title={a.address} note={phrase('seen to work {workedAt}', { workedAt: machineMoment(a.workedAt) })} />
      <div className="px-7 py-3">
        {a.trouble && (
          <p role="alert" className="mb-3 max-w-[64ch] border-l-[3px] border-ember bg-ember-pale px-3 py-2">
            {a.trouble}
          </p>
        )}
        <p className="m-0 max-w-[64ch] font-serif">
          <Sentence
            m="What you sign goes out by {out}{issuer}. {host}{waiting}"
            v={{
              out: serverWords(a.out),
              issuer: a.issuer ? phrase(', with what {issuer} lets this installation do', { issuer: a.issuer }) : '',
              host: a.in.host
                ? phrase('It is placed among your sent mail at {in}.', { in: serverWords(a.in) })
                : phrase('Nothing is placed among your sent mail, because no mailbox is named.'),
              waiting:
                a.waiting > 0 &&
                phrase(' {waiting, plural, one {# letter waits} other {# letters wait}} to be placed.', { waiting: a.waiting }),
            }}
          />
        </p>
        <Trouble error={end.error} />
        <p className="mt-3 mb-0 flex flex-wrap gap-x-4">
          <Button look="plain" className="min-h-6" onClick={change}>
            {phrase('Set it up anew')}
          </Button>
          <Button look="plain" className="min-h-6" disabled={end.isPending} onClick={() => end.mutate()}>
            {phrase('Put it away')}
          </Button>
        </p>
      </div>
    </>
  );
}

/** What comes in, what never does, and how much goes out in a day. */
function Rules({ account: a }: { account: Account }) {
  const queries = useQueryClient();
  const [perDay, setPerDay] = useState(a.perDay === null ? '' : String(a.perDay));
  const [takesIn, setTakesIn] = useState(a.takesIn);
  const [privates, setPrivates] = useState(a.private.join('\n'));
  const saving = useMutation({
    meta: { says: () => phrase('your mail account') },
    mutationFn: () =>
      take(
        api.PUT('/api/me/mail/rules', {
          body: { perDay: perDay ? Number(perDay) : null, takesIn, private: privates.split('\n').filter((p) => p.trim()) },
        }),
      ),
    onSuccess: async () => {
      await queries.invalidateQueries({ queryKey: ['own-mail'] });
      toast(phrase('Kept.'));
    },
  });
  return (
    <>
      <Stretch title={phrase('What comes in, and how much goes out')} />
      <form
        className="px-7 py-3"
        onSubmit={(e) => {
          e.preventDefault();
          saving.mutate();
        }}
      >
        {a.in.host && (
          <>
            <label className="mb-3 flex min-h-6 items-baseline gap-2">
              <input type="checkbox" checked={takesIn} onChange={(e) => setTakesIn(e.target.checked)} />
              {phrase('What people write to me, and what I write to them from my own mail program, comes into their threads')}
            </label>
            <Field
              label={phrase('Except')}
              error={fieldError(saving.error, 'private')}
              hint={phrase('a line each: an address, a domain like @example.com, or a word of a subject')}
            >
              {(id, by) => (
                <textarea
                  id={id}
                  aria-describedby={by}
                  rows={3}
                  className="w-full max-w-[30rem]"
                  value={privates}
                  onChange={(e) => setPrivates(e.target.value)}
                />
              )}
            </Field>
          </>
        )}
        <Field
          label={phrase('Letters a day')}
          error={fieldError(saving.error, 'perDay')}
          hint={phrase('as many as your provider allows; the rest go on the next day. Empty: as many as there are')}
        >
          {(id, by) => (
            <input
              id={id}
              aria-describedby={by}
              type="number"
              min={1}
              max={100000}
              className="w-28"
              value={perDay}
              onChange={(e) => setPerDay(e.target.value)}
            />
          )}
        </Field>
        {!fieldError(saving.error, 'private') && !fieldError(saving.error, 'perDay') && <Trouble error={saving.error} />}
        <Button type="submit" disabled={saving.isPending}>
          {phrase('Keep')}
        </Button>
      </form>
    </>
  );
}
