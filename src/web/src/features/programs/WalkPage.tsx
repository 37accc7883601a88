import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Link, useParams } from 'react-router';
import { toast } from 'sonner';
import { ApiError, api, type Schemas, take } from '../../api/client';
import { Button, Empty, Field, Loading, Trouble } from '../../ui/bits';
import { DayPage, PageHead, Stretch, useTitle } from '../../ui/DayPage';
import { useKeys } from '../../ui/keys';
import { Letter } from '../../ui/Letter';
import { NotShown } from '../../ui/NotShown';
import { StepMark } from '../../ui/TouchLine';
import { moment } from '../../ui/when';

type Move = Schemas['WalkMoveDto'];
type Line = Schemas['WalkLine'];

/** What one can do as the reader, and how it is said of them. */
const acts: Record<string, { ask: string; did: string }> = {
  open: { ask: 'open it', did: 'opened it' },
  follow: { ask: 'follow', did: 'followed' },
  answer: { ask: 'answer', did: 'answered' },
  bounce: { ask: 'it comes back', did: 'it came back' },
  'opt-out': { ask: 'want no more', did: 'wanted no more' },
  done: { ask: 'it is done', did: 'it was done' },
};

/**
 * A program lived through with one person, moment by moment, on a clock of its own; at each letter one can play the reader. Nothing is
 * saved, but the walk itself can be kept as a test.
 */
export default function WalkPage() {
  const { id = '' } = useParams();
  const queries = useQueryClient();
  const [person, setPerson] = useState<string>();
  const [moves, setMoves] = useState<Move[]>([]);
  /** How many moments have been shown. */
  const [shown, setShown] = useState(1);
  const program = useQuery({ queryKey: ['program', id], queryFn: () => take(api.GET('/api/programs/{id}', { params: { path: { id } } })) });
  const name = (program.data?.draft as { name?: string } | undefined)?.name ?? '';
  useTitle(name ? `${name}, walked through` : 'A walk');
  const walk = useQuery({
    queryKey: ['walk', id, program.data?.draftNumber, person, moves],
    queryFn: () => take(api.POST('/api/programs/{id}/walk', { params: { path: { id } }, body: { person: person ?? null, moves } })),
    placeholderData: (before) => before,
    enabled: program.data !== undefined,
  });
  const kept = useQuery({
    queryKey: ['program', id, 'walks', program.data?.draftNumber],
    queryFn: () => take(api.GET('/api/programs/{id}/walks', { params: { path: { id } } })),
    enabled: program.data !== undefined,
  });
  const lines = walk.data?.lines ?? [];
  const goOn = () => setShown(Math.min(shown + 1, Math.max(1, lines.length)));
  useKeys({ n: goOn, '[': () => another(-1), ']': () => another(1) });

  async function another(move: number) {
    const from = person ?? walk.data?.person.id;
    const next = await take(api.GET('/api/programs/{id}/preview', { params: { path: { id }, query: { person: from, move } } }));
    setPerson(next.person.id);
    setMoves([]);
    setShown(1);
  }
  /** What is done at a moment; what was done at later ones is forgotten. */
  function play(line: Line, act: string, word?: string) {
    const seen = new Set(lines.slice(0, shown).map((l) => l.stepId));
    setMoves([...moves.filter((m) => seen.has(m.stepId)), { stepId: line.stepId, act, word: word ?? null, hours: 1 }]);
  }
  if (program.error ?? walk.error) {
    return <NotShown title="A walk" error={program.error ?? walk.error} to={`/programs/${id}`} all="the program" />;
  }
  if (!program.data || !walk.data) return <Loading />;
  const at = lines[shown - 1];
  return (
    <DayPage
      marginTitle="At this moment"
      margin={
        <>
          <h3>
            With {walk.data.person.name}{' '}
            <span className="font-sans text-small font-normal">
              <Button onClick={() => another(-1)} aria-label="The person before">
                <kbd>[</kbd>
              </Button>{' '}
              <Button onClick={() => another(1)} aria-label="The next person">
                <kbd>]</kbd>
              </Button>
            </span>
          </h3>
          {at && <Moment key={`${at.stepId}/${at.at}`} program={id} person={walk.data.person.id} line={at} play={play} />}
          {lines.length > 0 && (
            <Keep
              id={id}
              person={walk.data.person.id}
              moves={moves}
              done={() => {
                kept.refetch();
                queries.invalidateQueries({ queryKey: ['program', id, 'walks'] });
              }}
            />
          )}
        </>
      }
    >
      <PageHead title={`${name}, walked through`} aside={<Link to={`/programs/${id}`}>the program</Link>} />
      <p className="px-7 pb-3 font-serif">
        It starts {moment(walk.data.from, walk.data.zone)}, on their own clock.
        {walk.data.assumed && ` With ${walk.data.assumed}, as they have none.`} Nothing is sent and nothing is kept.
      </p>
      {walk.data.notStarting && <Empty>It does not start for them now: {walk.data.notStarting}.</Empty>}
      <ol className="m-0 list-none p-0" aria-label="The walk" aria-live="polite">
        {lines.slice(0, shown).map((line, i) => (
          <WalkedLine
            key={`${line.stepId}/${line.at}`}
            line={line}
            zone={walk.data.zone}
            now={i === shown - 1}
            played={walk.data.played.filter((p) => p.move.stepId === line.stepId)}
            takeBack={(move) => setMoves(moves.filter((m) => m !== move && JSON.stringify(m) !== JSON.stringify(move)))}
          />
        ))}
      </ol>
      <div className="flex flex-wrap items-baseline gap-5 px-7 py-4">
        {shown < lines.length ? (
          <>
            <Button look="main" onClick={goOn}>
              Go on <kbd>N</kbd>
            </Button>
            <Button onClick={() => setShown(lines.length)}>to the end</Button>
          </>
        ) : (
          lines.length > 0 && (
            <p className="font-serif">
              That is the end of it.
              {walk.data.changed.length > 0 ? ` Now ${walk.data.changed.join(', and ')}.` : ' Nothing about them is otherwise than before.'}
            </p>
          )
        )}
        {(shown > 1 || moves.length > 0) && (
          <Button
            look="plain"
            onClick={() => {
              setMoves([]);
              setShown(1);
            }}
          >
            from the beginning
          </Button>
        )}
      </div>
      {kept.data && kept.data.length > 0 && <Kept id={id} kept={kept.data} again={() => kept.refetch()} />}
    </DayPage>
  );
}

const outcomes: Record<string, string> = {
  sent: 'sent',
  open: 'put on the day sheet',
  done: 'done',
  skipped: 'left out',
  cancelled: 'not sent any more',
  blocked: 'held up',
  changed: 'changed',
  forked: 'decided',
  split: 'decided',
  handedover: 'goes on',
};

function WalkedLine({
  line,
  zone,
  now,
  played,
  takeBack,
}: {
  line: Line;
  zone: string;
  now: boolean;
  played: Schemas['PlayedMove'][];
  takeBack: (move: Move) => void;
}) {
  const trouble = line.outcome === 'skipped' || line.outcome === 'blocked' || line.outcome === 'cancelled';
  return (
    <li className={`row ${now ? 'on' : ''}`}>
      <span className="gutter">
        <b className="text-ink">Day {line.day}</b>
      </span>
      <p className="flex items-baseline gap-2 text-small text-soft">
        <StepMark kind={line.kind} color={trouble ? 'var(--ember)' : 'var(--ink)'} /> {moment(line.at, zone)} ·{' '}
        <span className={trouble ? 'text-ember' : ''}>{line.outcome ? (outcomes[line.outcome] ?? line.outcome) : 'still to come'}</span>
        {line.reason && <span className={trouble ? 'text-ember' : ''}>: {line.reason}</span>}
      </p>
      {line.program && <p className="text-small text-soft">of “{line.program}”</p>}
      {line.subject && <p className="font-serif text-lead font-semibold">{line.subject}</p>}
      {line.html ? (
        <div className="max-w-[65ch]">
          <Letter html={line.html} title={line.subject ?? `What the ${line.kind} says`} />
        </div>
      ) : (
        !line.subject && <p className="font-serif">{sayKind(line)}</p>
      )}
      {played.map((p) => (
        <p key={JSON.stringify(p.move)} className="text-small">
          <b className="font-semibold">
            They {acts[p.move.act]?.did}
            {p.move.word ? ` “${p.move.word}”` : ''}
          </b>
          {p.at ? `, ${moment(p.at, zone)}` : ', which never came about'}{' '}
          <Button look="plain" onClick={() => takeBack(p.move)}>
            take it back
          </Button>
        </p>
      ))}
    </li>
  );
}

const sayKind = (line: Line) =>
  line.kind === 'fork'
    ? `The question is answered: ${line.reason ?? ''}.`
    : line.kind === 'hand-over'
      ? 'They go on with another program.'
      : line.kind === 'end'
        ? 'It ends here.'
        : 'Something about them is changed.';

/** Why it happens, and what they do with it. */
function Moment({
  program,
  person,
  line,
  play,
}: {
  program: string;
  person: string;
  line: Line;
  play: (line: Line, act: string, word?: string) => void;
}) {
  const [outcome, setOutcome] = useState('spoke');
  const came = line.outcome === 'sent' || line.outcome === 'open' || line.outcome === 'done';
  const trial = useMutation({
    mutationFn: () =>
      take(api.POST('/api/programs/{id}/trial', { params: { path: { id: program } }, body: { stepId: line.stepId, person } })),
    onSuccess: () => toast('It is on its way to you, marked as a trial.'),
  });
  return (
    <>
      {came && (line.kind === 'email' || line.kind === 'text') && (
        <>
          <h3 className="mt-2">They …</h3>
          <p className="flex flex-wrap gap-x-5">
            {(line.kind === 'email' ? ['open', 'answer', 'bounce', 'opt-out'] : ['answer', 'bounce', 'opt-out']).map((act) => (
              <Button key={act} className="min-h-6" onClick={() => play(line, act)}>
                {acts[act]?.ask}
              </Button>
            ))}
            {[...new Set(line.links)].map((link) => (
              <Button key={link} className="min-h-6 !whitespace-normal text-left" onClick={() => play(line, 'follow', link)}>
                follow “{link}”
              </Button>
            ))}
          </p>
          <p className="text-small text-soft">Or go on: they do nothing.</p>
        </>
      )}
      {came && (line.kind === 'call' || line.kind === 'note' || line.kind === 'task' || line.kind === 'post') && (
        <form
          className="mt-2"
          onSubmit={(e) => {
            e.preventDefault();
            play(line, 'done', outcome.trim() || 'done');
          }}
        >
          <Field label="How it ends">
            {(id) => <input id={id} maxLength={80} className="w-full" value={outcome} onChange={(e) => setOutcome(e.target.value)} />}
          </Field>
          <Button type="submit">It is done so</Button>
        </form>
      )}
      <h3 className="mt-3">Why</h3>
      {line.why.length === 0 && <p>It follows from the one before.</p>}
      {line.why.map((w) => (
        <p key={w}>{w}</p>
      ))}
      {line.kind === 'email' && (
        <p className="mt-3">
          <Button onClick={() => trial.mutate()} disabled={trial.isPending}>
            Send me this one
          </Button>
          <Trouble error={trial.error} />
        </p>
      )}
    </>
  );
}

/** Keeps the walk as a test: what happens on it now must happen from now on. */
function Keep({ id, person, moves, done }: { id: string; person: string; moves: Move[]; done: () => void }) {
  const [name, setName] = useState('');
  const keep = useMutation({
    mutationFn: () => take(api.POST('/api/programs/{id}/walks', { params: { path: { id } }, body: { name, person, moves } })),
    onSuccess: () => {
      toast('The walk is kept; it is walked again at every change.');
      setName('');
      done();
    },
  });
  const problem = keep.error instanceof ApiError ? keep.error : undefined;
  return (
    <form
      className="mt-4 border-t border-rule pt-3"
      onSubmit={(e) => {
        e.preventDefault();
        keep.mutate();
      }}
    >
      <Field label="Keep this walk as" error={problem?.fields.name?.[0]} hint="What happens on it now must happen after every change.">
        {(field, by) => (
          <input
            id={field}
            aria-describedby={by}
            maxLength={200}
            placeholder="opens the first, answers the call"
            className="w-full"
            value={name}
            onChange={(e) => setName(e.target.value)}
          />
        )}
      </Field>
      <Button type="submit" disabled={!name.trim() || keep.isPending}>
        Keep it
      </Button>
    </form>
  );
}

/** The kept walks, each walked again in the program's present wording. */
function Kept({ id, kept, again }: { id: string; kept: Schemas['KeptWalkDto'][]; again: () => void }) {
  const forget = useMutation({
    mutationFn: (walk: string) => take(api.DELETE('/api/programs/{id}/walks/{walk}', { params: { path: { id, walk } } })),
    onSuccess: again,
  });
  return (
    <>
      <Stretch title="Kept walks" note="walked again each time the program changes" />
      <ul className="m-0 list-none p-0" aria-label="Kept walks">
        {kept.map((k) => (
          <li key={k.id} className="row">
            <span className={`gutter ${k.differences.length > 0 ? '!text-ember' : '!text-leaf'}`}>
              {k.differences.length > 0 ? 'otherwise' : 'as it was'}
            </span>
            <b className="font-semibold">{k.name}</b>{' '}
            <span className="text-small text-soft">
              with {k.person?.name ?? 'somebody'}, kept by {k.by}
            </span>{' '}
            <Button look="danger" onClick={() => forget.mutate(k.id)}>
              throw it away
            </Button>
            {k.differences.map((d) => (
              <span key={d} className="block text-small text-ember">
                {d}
              </span>
            ))}
          </li>
        ))}
      </ul>
      <Trouble error={forget.error} />
    </>
  );
}
