import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { lazy, Suspense, useRef, useState } from 'react';
import { Link, useNavigate } from 'react-router';
import { api, type Schemas, take } from '../../api/client';
import { Button, Loading, Trouble } from '../../ui/bits';
import { DayPage, useTitle } from '../../ui/DayPage';
import { Menu, MenuItem } from '../../ui/Menu';
import { said } from '../../ui/undo';
import { useSaving } from '../../ui/useSaving';
import { phrase } from '../../words/phrase';
import { TextCount } from '../programs/TextCount';
import { AboutBroadcast } from './AboutBroadcast';
import { BeforeSending } from './BeforeSending';
import { type Broadcast, type Plan, type Way, type WayKind, wayNames } from './plan';
import { SentencesOf } from './SentencesOf';

const LetterEditor = lazy(() => import('../letters/LetterEditor'));

/** A broadcast while it is written: four sentences, and what it says by each way. It is saved as it is written. */
export function BroadcastWriting({ broadcast }: { broadcast: Broadcast }) {
  const queries = useQueryClient();
  const go = useNavigate();
  const [name, setName] = useState(broadcast.name);
  const [plan, setPlan] = useState<Plan>(broadcast.plan);
  // What is sent next, whatever has been drawn by then.
  const latest = useRef({ name, plan, edition: broadcast.edition });
  useTitle(name || phrase('A broadcast'));
  const { saved, error, written, save } = useSaving(async () => {
    const answer = await take(
      api.PUT('/api/broadcasts/{id}', {
        params: { path: { id: broadcast.id } },
        body: { edition: latest.current.edition, name: latest.current.name, plan: latest.current.plan },
      }),
    );
    latest.current.edition = answer.edition;
    await queries.cancelQueries({ queryKey: ['broadcast', broadcast.id] });
    queries.setQueryData(['broadcast', broadcast.id], answer);
    queries.invalidateQueries({ queryKey: ['broadcasts'] });
  });
  const set = (part: Partial<Plan>) => {
    latest.current.plan = { ...latest.current.plan, ...part };
    setPlan(latest.current.plan);
    written();
  };
  const setWay = (kind: string, part: Partial<Way>) =>
    set({ ways: latest.current.plan.ways.map((w) => (w.kind === kind ? { ...w, ...part } : w)) });
  const remove = useMutation({
    mutationFn: () => take(api.DELETE('/api/broadcasts/{id}', { params: { path: { id: broadcast.id } } })),
    onSuccess: () => {
      queries.invalidateQueries({ queryKey: ['broadcasts'] });
      go('/programs/broadcasts');
      said(phrase('“{name}” is thrown away.', { name }), async () => {
        const again = await take(api.POST('/api/broadcasts', { body: { name, plan: latest.current.plan } }));
        go(`/programs/broadcasts/${again.id}`);
      });
    },
  });
  const found = (pointer: string) => broadcast.findings.filter((f) => f.pointer.startsWith(pointer));
  return (
    <DayPage
      marginTitle={phrase('Before it goes')}
      margin={<BeforeSending broadcast={broadcast} plan={plan} set={set} saved={saved === 'saved'} save={save} />}
    >
      <div className="px-[34px] pt-5 pb-10 max-[699px]:px-4">
        <h1 className="sr-only">{name || phrase('A broadcast')}</h1>
        <input
          aria-label={phrase('Name of the broadcast')}
          placeholder={phrase('What you call it')}
          maxLength={200}
          className="w-full !border-0 !bg-transparent !p-0 font-serif !text-[32px] font-medium tracking-tight"
          value={name}
          onChange={(e) => {
            setName(e.target.value);
            latest.current.name = e.target.value;
            written();
          }}
        />
        <p className="mb-3 text-small text-soft" role="status">
          <Link to="/programs/broadcasts">{phrase('Broadcasts')}</Link> ·{' '}
          {saved === 'saved'
            ? phrase('a draft, saved; nothing goes before you send it')
            : saved === 'saving'
              ? phrase('saving …')
              : phrase('not saved yet')}
        </p>
        <Trouble error={error} />
        <SentencesOf plan={plan} set={set} broadcast={broadcast} />
        <AboutBroadcast plan={plan} set={set} broadcast={broadcast} />
        {plan.ways.map((way, n) => (
          <section key={way.kind} className="mt-6" aria-label={phrase('The {wayNames}', { wayNames: wayNames[way.kind] ?? way.kind })}>
            <h2 className="mb-1 flex flex-wrap items-baseline gap-4">
              {n === 0 ? phrase('What it says') : phrase('Else, by {wayNames}', { wayNames: wayNames[way.kind] })}
              {way.kind === 'email' && <TakeLetter take={(part) => setWay('email', part)} />}
              {n > 0 && (
                <Button
                  look="danger"
                  className="font-sans font-normal"
                  onClick={() => set({ ways: plan.ways.filter((w) => w.kind !== way.kind) })}
                >
                  {phrase('leave it out')}
                </Button>
              )}
            </h2>
            <WayEditor way={way} set={(part) => setWay(way.kind, part)} findings={found(`/ways/${n}`)} />
          </section>
        ))}
        <p className="mt-6">
          <Button look="danger" disabled={remove.isPending} onClick={() => remove.mutate()}>
            {phrase('Throw it away')}
          </Button>
        </p>
        <Trouble error={remove.error} />
      </div>
    </DayPage>
  );
}

/** One way as it is written. */
function WayEditor({ way, set, findings }: { way: Way; set: (part: Partial<Way>) => void; findings: Schemas['BroadcastFinding'][] }) {
  // The editor takes its words once; those of another letter are another editor.
  const problems = findings.map((f) => ({ ...f, pointer: f.pointer.endsWith('/subject') ? '/subject' : '/body' }));
  if (way.kind === 'email') {
    return (
      <Suspense fallback={<Loading what={phrase('Opening the email')} />}>
        <LetterEditor key={way.letter} subject={way.subject} body={way.body} problems={problems} change={set} />
      </Suspense>
    );
  }
  return (
    <>
      <textarea
        aria-label={way.kind === 'text' ? phrase('Words of the text') : phrase('Words of the card')}
        rows={way.kind === 'text' ? 3 : 6}
        className="w-full font-serif"
        value={way.body}
        onChange={(e) => set({ body: e.target.value })}
      />
      {way.kind === 'text' && way.body && <TextCount text={way.body} />}
      {findings.map((f) => (
        <p key={f.pointer + f.message} className={`text-small ${f.isWarning ? 'text-straw' : 'text-ember'}`}>
          {f.message}
        </p>
      ))}
    </>
  );
}

/** The words of a letter of the practice taken over; they are the broadcast's own from then on. */
function TakeLetter({ take: taken }: { take: (part: Partial<Way>) => void }) {
  const letters = useQuery({ queryKey: ['letters'], queryFn: () => take(api.GET('/api/letters')) });
  const [trouble, setTrouble] = useState<unknown>();
  if (!letters.data?.length) return null;
  return (
    <>
      <Menu trigger={phrase('take the words of a letter')} className="font-sans text-small text-leaf">
        {letters.data.map((l) => (
          <MenuItem
            key={l.id}
            choose={async () => {
              try {
                const letter = await take(api.GET('/api/letters/{id}', { params: { path: { id: l.id } } }));
                taken({ subject: letter.subject, body: letter.body, letter: letter.name });
              } catch (e) {
                setTrouble(e);
              }
            }}
          >
            {l.name}
          </MenuItem>
        ))}
      </Menu>
      <Trouble error={trouble} />
    </>
  );
}

/** The ways that are not among a broadcast's yet. */
export const waysLeft = (plan: Plan): WayKind[] => (['email', 'text', 'note'] as const).filter((k) => !plan.ways.some((w) => w.kind === k));
