import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Link, useParams } from 'react-router';
import { toast } from 'sonner';
import { ApiError, api, type Schemas, take } from '../../api/client';
import { AnotherPerson } from '../../ui/AnotherPerson';
import { Button, Empty, Field, Loading, Trouble } from '../../ui/bits';
import { DayPage, PageHead, Stretch, useTitle } from '../../ui/DayPage';
import { useKeys } from '../../ui/keys';
import { Letter } from '../../ui/Letter';
import { NotShown } from '../../ui/NotShown';
import { StepMark } from '../../ui/TouchLine';
import { moment } from '../../ui/when';
import { phrase, quoted, together } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';

type Move = Schemas['WalkMoveDto'];
type Line = Schemas['WalkLine'];

/** What one can do as the reader, and how it is said of them. */
const acts: Record<string, { ask: string; did: string }> = {
  open: { ask: phrase('open it'), did: phrase('opened it') },
  follow: { ask: phrase('follow'), did: phrase('followed') },
  answer: { ask: phrase('answer'), did: phrase('answered') },
  bounce: { ask: phrase('it comes back'), did: phrase('it came back') },
  'opt-out': { ask: phrase('want no more'), did: phrase('wanted no more') },
  done: { ask: phrase('it is done'), did: phrase('it was done') },
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
  useTitle(name ? phrase('{name}, walked through', { name }) : phrase('A walk'));
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
    return <NotShown title={phrase('A walk')} error={program.error ?? walk.error} to={`/programs/${id}`} all={phrase('the program')} />;
  }
  if (!program.data || !walk.data) return <Loading />;
  const at = lines[shown - 1];
  return (
    <DayPage
      marginTitle={phrase('At this moment')}
      margin={
        <>
          <h3>
            <Sentence
              m="With {person} {span}"
              v={{
                person: walk.data.person.name,
                span: <AnotherPerson another={another} />,
              }}
            />
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
      <PageHead title={phrase('{name}, walked through', { name })} aside={<Link to={`/programs/${id}`}>{phrase('the program')}</Link>} />
      <p className="px-7 pb-3 font-serif">
        <Sentence
          m="It starts {from}, on their own clock.{assumed} Nothing is sent and nothing is kept."
          v={{
            from: moment(walk.data.from, walk.data.zone),
            assumed: walk.data.assumed && phrase(' With {assumed}, as they have none.', { assumed: walk.data.assumed }),
          }}
        />
      </p>
      {walk.data.notStarting && (
        <Empty>{phrase('It does not start for them now: {notStarting}.', { notStarting: walk.data.notStarting })}</Empty>
      )}
      <ol className="m-0 list-none p-0" aria-label={phrase('The walk')} aria-live="polite">
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
              {phrase('Go on')} <kbd>N</kbd>
            </Button>
            <Button onClick={() => setShown(lines.length)}>{phrase('to the end')}</Button>
          </>
        ) : (
          lines.length > 0 && (
            <p className="font-serif">
              {phrase('That is the end of it.{changed}', {
                changed:
                  walk.data.changed.length > 0
                    ? phrase(' Now {changed}.', {
                        changed: together(walk.data.changed, (first, second) => phrase('{first}, and {second}', { first, second })),
                      })
                    : phrase(' Nothing about them is otherwise than before.'),
              })}
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
            {phrase('from the beginning')}
          </Button>
        )}
      </div>
      {kept.data && kept.data.length > 0 && <Kept id={id} kept={kept.data} again={() => kept.refetch()} />}
    </DayPage>
  );
}

const outcomes: Record<string, string> = {
  sent: phrase('sent'),
  open: phrase('put on the day sheet'),
  done: phrase('done'),
  skipped: phrase('left out'),
  cancelled: phrase('not sent any more'),
  blocked: phrase('held up'),
  changed: phrase('changed'),
  forked: phrase('decided'),
  split: phrase('decided'),
  handedover: phrase('goes on'),
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
        <b className="text-ink">{phrase('Day {day, number}', { day: line.day })}</b>
      </span>
      <p className="flex items-baseline gap-2 text-small text-soft">
        <StepMark kind={line.kind} color={trouble ? 'var(--ember)' : 'var(--ink)'} /> {moment(line.at, zone)} ·{' '}
        <span className={trouble ? 'text-ember' : ''}>
          {line.outcome ? (outcomes[line.outcome] ?? line.outcome) : phrase('still to come')}
        </span>
        {line.reason && <span className={trouble ? 'text-ember' : ''}>: {line.reason}</span>}
      </p>
      {line.program && <p className="text-small text-soft">{phrase('of “{program}”', { program: line.program })}</p>}
      {line.subject && <p className="font-serif text-lead font-semibold">{line.subject}</p>}
      {line.html ? (
        <div className="max-w-[65ch]">
          <Letter html={line.html} title={line.subject ?? phrase('What the {kind} says', { kind: line.kind })} />
        </div>
      ) : (
        !line.subject && <p className="font-serif">{sayKind(line)}</p>
      )}
      {played.map((p) => (
        <p key={JSON.stringify(p.move)} className="text-small">
          <b className="font-semibold">
            <Sentence m="They {did}{word}" v={{ did: acts[p.move.act]?.did, word: p.move.word ? ` ${quoted(p.move.word)}` : '' }} />
          </b>
          {p.at ? `, ${moment(p.at, zone)}` : phrase(', which never came about')}{' '}
          <Button look="plain" onClick={() => takeBack(p.move)}>
            {phrase('take it back')}
          </Button>
        </p>
      ))}
    </li>
  );
}

const sayKind = (line: Line) =>
  line.kind === 'fork'
    ? phrase('The question is answered: {reason}.', { reason: line.reason ?? '' })
    : line.kind === 'hand-over'
      ? phrase('They go on with another program.')
      : line.kind === 'end'
        ? phrase('It ends here.')
        : phrase('Something about them is changed.');

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
    onSuccess: () => toast(phrase('It is on its way to you, marked as a trial.')),
  });
  return (
    <>
      {came && (line.kind === 'email' || line.kind === 'text') && (
        <>
          <h3 className="mt-2">{phrase('They …')}</h3>
          <p className="flex flex-wrap gap-x-5">
            {(line.kind === 'email' ? ['open', 'answer', 'bounce', 'opt-out'] : ['answer', 'bounce', 'opt-out']).map((act) => (
              <Button key={act} className="min-h-6" onClick={() => play(line, act)}>
                {acts[act]?.ask}
              </Button>
            ))}
            {[...new Set(line.links)].map((link) => (
              <Button key={link} className="min-h-6 !whitespace-normal text-left" onClick={() => play(line, 'follow', link)}>
                {phrase('follow “{link}”', { link })}
              </Button>
            ))}
          </p>
          <p className="text-small text-soft">{phrase('Or go on: they do nothing.')}</p>
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
          <Field label={phrase('How it ends')}>
            {(id) => <input id={id} maxLength={80} className="w-full" value={outcome} onChange={(e) => setOutcome(e.target.value)} />}
          </Field>
          <Button type="submit">{phrase('It is done so')}</Button>
        </form>
      )}
      <h3 className="mt-3">{phrase('Why')}</h3>
      {line.why.length === 0 && <p>{phrase('It follows from the one before.')}</p>}
      {line.why.map((w) => (
        <p key={w}>{w}</p>
      ))}
      {line.kind === 'email' && (
        <p className="mt-3">
          <Button onClick={() => trial.mutate()} disabled={trial.isPending}>
            {phrase('Send me this one')}
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
      toast(phrase('The walk is kept; it is walked again at every change.'));
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
      <Field
        label={phrase('Keep this walk as')}
        error={problem?.fields.name?.[0]}
        hint={phrase('What happens on it now must happen after every change.')}
      >
        {(field, by) => (
          <input
            id={field}
            aria-describedby={by}
            maxLength={200}
            placeholder={phrase('opens the first, answers the call')}
            className="w-full"
            value={name}
            onChange={(e) => setName(e.target.value)}
          />
        )}
      </Field>
      <Button type="submit" disabled={!name.trim() || keep.isPending}>
        {phrase('Keep it')}
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
      <Stretch title={phrase('Kept walks')} note={phrase('walked again each time the program changes')} />
      <ul className="m-0 list-none p-0" aria-label={phrase('Kept walks')}>
        {kept.map((k) => (
          <li key={k.id} className="row">
            <span className={`gutter ${k.differences.length > 0 ? '!text-ember' : '!text-leaf'}`}>
              {k.differences.length > 0 ? phrase('otherwise') : phrase('as it was')}
            </span>
            <b className="font-semibold">{k.name}</b>{' '}
            <span className="text-small text-soft">
              {phrase('with {person}, kept by {by}', { person: k.person?.name ?? phrase('somebody'), by: k.by })}
            </span>{' '}
            <Button look="danger" onClick={() => forget.mutate(k.id)}>
              {phrase('throw it away')}
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
