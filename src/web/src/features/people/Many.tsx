import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import { Link } from 'react-router';
import { api, type Schemas, take } from '../../api/client';
import { useMemberName, useSession } from '../../app/session';
import { Button, Field, fieldError, ProgressBar, Trouble } from '../../ui/bits';
import { phrase } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';
import { AsFile } from './AsFile';
import { type ActBody, type ActKind, actOn, doAct, previewAct, undoAct } from './acts';

/** Who is picked: people by name, or everybody who fits the filters. */
export type Picked = { people: Pick<ActBody, 'ids' | 'matching'>; count: number };

/** What is offered here; a tag is taken off on a person's page. */
type Offered = Exclude<ActKind, 'untag'>;

const kinds: { kind: Offered; label: string; word: string }[] = [
  { kind: 'tag', label: phrase('Put on a tag'), word: phrase('Put on') },
  { kind: 'stage', label: phrase('Change the stage'), word: phrase('Move') },
  { kind: 'join', label: phrase('Keep on a list'), word: phrase('Keep') },
  { kind: 'leave', label: phrase('Take off a list'), word: phrase('Take off') },
  { kind: 'owner', label: phrase('Give to a member to look after'), word: phrase('Give') },
  { kind: 'start', label: phrase('Start a program'), word: phrase('Start') },
];

/** What can be done to those who are picked: chosen, looked at, done, and taken back as a whole. */
export function Many({ picked, fitting, clear }: { picked: Picked; fitting?: Picked; clear: () => void }) {
  const [asked, setAsked] = useState<{ kind: Offered; what: string }>();
  const [act, setAct] = useState<string>();
  const [nobody, setNobody] = useState(false);
  // Other people picked, another question.
  const who = JSON.stringify(picked.people);
  useEffect(() => {
    setAsked(undefined);
    setNobody(false);
  }, [who]);
  return (
    <>
      {act && <Progress id={act} close={() => setAct(undefined)} />}
      {picked.count === 0 ? (
        <>
          <h3>{phrase('With those picked')}</h3>
          <p className="mt-1">
            {phrase(
              'Pick people by the boxes at the left, then put a tag on them, move their stage, keep them on a list, give them to a member, or start a program for them here. Before anything is done you see for how many, and who is left out.',
            )}
          </p>
          {fitting && fitting.count > 0 && <AsFile people={fitting.people} who={phrase('Everybody who fits')} />}
        </>
      ) : (
        <>
          <h2>{phrase('{count, plural, one {# person} other {# people}}', { count: picked.count })}</h2>
          <Button look="plain" className="mb-4" onClick={clear}>
            {phrase('pick nobody')}
          </Button>
          {nobody && <p className="mb-3">{phrase('That is so for all of them already.')}</p>}
          {asked ? (
            <Preview
              picked={picked}
              {...asked}
              leave={() => setAsked(undefined)}
              done={({ act: id }) => {
                setAsked(undefined);
                setNobody(!id);
                if (id) {
                  setAct(id);
                  clear();
                }
              }}
            />
          ) : (
            <Choose ask={(kind, what) => setAsked({ kind, what })} />
          )}
          {!asked && <AsFile people={picked.people} who={picked.count === 1 ? phrase('This person') : phrase('These people')} />}
        </>
      )}
    </>
  );
}

function Choose({ ask }: { ask: (kind: Offered, what: string) => void }) {
  const session = useSession().data;
  const programs = useQuery({ queryKey: ['programs'], queryFn: () => take(api.GET('/api/programs')) });
  const lists = useQuery({ queryKey: ['lists'], queryFn: () => take(api.GET('/api/lists')) });
  const [what, setWhat] = useState<Partial<Record<Offered, string>>>({});
  // What may be new is written; what has to be there is chosen.
  const known: Partial<Record<Offered, string[]>> = { tag: session?.tags ?? [], join: lists.data?.map((l) => l.name) ?? [] };
  const options: Partial<Record<Offered, [string, string][]>> = {
    stage: session?.stages.map((s) => [s, s.split('/')[1] ?? s]) ?? [],
    leave: lists.data?.filter((l) => l.people > 0).map((l) => [l.name, l.name]) ?? [],
    owner: session?.members.map((m) => [m.id, m.name]) ?? [],
    start: programs.data?.filter((p) => p.status === 'on').map((p) => [p.id, p.name]) ?? [],
  };
  return kinds.map(({ kind, label, word }) => (
    <form
      key={kind}
      onSubmit={(e) => {
        e.preventDefault();
        ask(kind, what[kind]?.trim() ?? '');
      }}
    >
      <Field label={label}>
        {(id, by) => (
          <span className="flex gap-2 text-ink">
            {known[kind] ? (
              <>
                <input
                  id={id}
                  aria-describedby={by}
                  list={`known-${kind}`}
                  maxLength={kind === 'tag' ? 60 : 80}
                  value={what[kind] ?? ''}
                  onChange={(e) => setWhat({ ...what, [kind]: e.target.value })}
                  className="min-w-0 flex-1"
                />
                <datalist id={`known-${kind}`}>
                  {known[kind].map((t) => (
                    <option key={t} value={t} />
                  ))}
                </datalist>
              </>
            ) : (
              <select
                id={id}
                aria-describedby={by}
                value={what[kind] ?? ''}
                onChange={(e) => setWhat({ ...what, [kind]: e.target.value })}
                className="min-w-0 flex-1"
              >
                <option value="">{phrase('choose')}</option>
                {options[kind]?.map(([v, name]) => (
                  <option key={v} value={v}>
                    {name}
                  </option>
                ))}
              </select>
            )}
            <Button type="submit" disabled={!what[kind]?.trim()}>
              {word} …
            </Button>
          </span>
        )}
      </Field>
    </form>
  ));
}

/** What it would do, for how many, and who is refused; then the one word that does it. */
export function Preview({
  picked,
  kind,
  what,
  leave,
  done,
}: {
  picked: Picked;
  kind: Offered;
  what: string;
  leave: () => void;
  done: (answer: Schemas['Done']) => void;
}) {
  const queries = useQueryClient();
  const body = actOn(picked.people, kind, what);
  const preview = useQuery({ queryKey: ['act-preview', kind, body], queryFn: () => previewAct(kind, body), staleTime: 0, retry: false });
  const programs = useQuery({ queryKey: ['programs'], queryFn: () => take(api.GET('/api/programs')) });
  const memberName = useMemberName();
  const name =
    kind === 'start'
      ? (programs.data?.find((p) => p.id === what)?.name ?? phrase('the program'))
      : kind === 'owner'
        ? memberName(what)
        : (what.split('/').at(-1) ?? what);
  const verb = {
    tag: phrase('Put “{name}” on', { name }),
    stage: phrase('Move to {name}:', { name }),
    join: phrase('Keep on “{what}”:', { what }),
    leave: phrase('Take off “{what}”:', { what }),
    owner: phrase('Give to {name}:', { name }),
    start: phrase('Start “{name}” for', { name }),
  }[kind];
  const act = useMutation({
    meta: { says: () => phrase('{verb} {count, plural, one {# person} other {# people}}', { verb, count: picked.count }) },
    mutationFn: () => doAct(kind, body),
    onSuccess: (answer) => {
      queries.invalidateQueries({ queryKey: ['people'] });
      if (kind === 'tag') queries.invalidateQueries({ queryKey: ['session'] });
      if (kind === 'join' || kind === 'leave') queries.invalidateQueries({ queryKey: ['lists'] });
      done(answer);
    },
  });
  const p = preview.data;
  if (!p) {
    return (
      <>
        {preview.error ? (
          <Trouble
            error={
              fieldError(preview.error, kind === 'start' ? 'program' : kind === 'join' || kind === 'leave' ? 'list' : kind) ?? preview.error
            }
          />
        ) : (
          <p role="status">
            {phrase('Looking what it would do for {count, plural, one {# person} other {# people}} …', { count: picked.count })}
          </p>
        )}
        <Button look="plain" onClick={leave}>
          {phrase('leave it')}
        </Button>
      </>
    );
  }

  // A start is new to whomever the engine would start it for; the rest would be refused.
  const own = kind === 'start' ? (p.starts.find((s) => s.program === name)?.count ?? 0) : p.people - p.unchanged;
  const others = p.starts.filter((s) => kind !== 'start' || s.program !== name);
  return (
    <section aria-label={phrase('What it would do')}>
      <h3>{phrase('What it would do')}</h3>
      <ul className="m-0 mt-1 mb-3 list-none p-0">
        {kind === 'start' && (
          <li className="py-0.5">
            {phrase('“{name}” starts for {own, plural, one {# person} other {# people}}{startLimit}.', {
              name,
              own,
              startLimit:
                p.startLimit && own > p.startLimit
                  ? phrase(', {startLimit, number} a day; the rest wait their turn', { startLimit: p.startLimit })
                  : '',
            })}
          </li>
        )}
        {p.unchanged > 0 && (
          <li className="py-0.5 text-soft">
            {phrase(
              '{unchanged, plural, one {# person} other {# people}} {unchanged, plural, one {is} other {are}} left as {unchanged, plural, one {it is} other {they are}}: it is so already.',
              { unchanged: p.unchanged },
            )}
          </li>
        )}
        {others.map((s) => (
          <li key={s.program} className="py-0.5">
            {phrase('It starts “{program}” for {count, plural, one {# person} other {# people}}.', { program: s.program, count: s.count })}
          </li>
        ))}
        {p.stops.map((s) => (
          <li key={s.program} className="py-0.5 text-straw">
            {phrase('It stops “{program}” for {count, plural, one {# person} other {# people}}; that stays so when it is taken back.', {
              program: s.program,
              count: s.count,
            })}
          </li>
        ))}
        {p.refused.map((r) => (
          <li key={r.program + r.reason} className="py-0.5 text-straw">
            <Sentence
              m="{kind} for {count, plural, one {# person} other {# people}}: {reason} ({first}{count2})"
              v={{
                kind: kind === 'start' ? phrase('Not') : phrase('Not “{program}”', { program: r.program }),
                count: r.count,
                reason: r.reason,
                first: r.first.map((f, i) => (
                  <span key={f.id}>
                    {i > 0 && ', '}
                    <Link to={`/people/${f.id}`}>{f.name}</Link>
                  </span>
                )),
                count2: r.count > r.first.length && phrase(' and {count, number} more', { count: r.count - r.first.length }),
              }}
            />
          </li>
        ))}
      </ul>
      <div className="flex flex-wrap items-center gap-x-4 gap-y-2">
        <Button look="main" disabled={own === 0 || act.isPending} onClick={() => act.mutate()} autoFocus>
          {own === 0 ? phrase('Nobody is left for it') : phrase('{verb} {own, plural, one {# person} other {# people}}', { verb, own })}
        </Button>
        <Button look="plain" onClick={leave}>
          {phrase('leave it')}
        </Button>
      </div>
      <Trouble error={act.error} />
    </section>
  );
}

/** How far an act is, and the way back. */
export function Progress({ id, close }: { id: string; close: () => void }) {
  const queries = useQueryClient();
  const act = useQuery({ queryKey: ['act', id], queryFn: () => take(api.GET('/api/acts/{id}', { params: { path: { id } } })) });
  const undo = useMutation({ meta: { says: () => phrase('an undo for all') }, mutationFn: () => undoAct(id, queries) });
  const a = act.data;
  if (!a) return null;
  const word = {
    tag: phrase('“{what}” put on', { what: a.what }),
    stage: phrase('Moved to {split}', { split: a.what.split('/').at(-1) }),
    join: phrase('Kept on “{what}”', { what: a.what }),
    leave: phrase('Taken off “{what}”', { what: a.what }),
    owner: phrase('Given to {what}', { what: a.what }),
    start: phrase('“{what}” asked to start', { what: a.what }),
  }[a.kind];
  return (
    <section aria-label={phrase('What was done')} className="mb-5 border-l-[3px] border-leaf bg-leaf-pale px-3 py-2">
      <p className="m-0" aria-live="polite">
        {undo.data ??
          phrase('{word}: {people, plural, one {# person} other {# people}}. {done}', {
            word,
            people: a.people,
            done:
              a.done < a.people
                ? phrase('{done, number} of them are through.', { done: a.done })
                : a.started > 0
                  ? phrase('{started, plural, one {# run} other {# runs}} started.', { started: a.started })
                  : phrase('All are through.'),
          })}
      </p>
      {a.done < a.people && !a.undone && (
        <ProgressBar className="my-2" share={Math.round((100 * a.done) / Math.max(1, a.people))} label={phrase('How many are through')} />
      )}
      {!a.undone && (
        <Button look="danger" className="mr-4" disabled={undo.isPending} onClick={() => undo.mutate()}>
          {phrase('Undo for all {people}', { people: a.people === 1 ? '' : a.people })}
        </Button>
      )}
      <Button look="plain" onClick={close}>
        {phrase('close')}
      </Button>
      <Trouble error={undo.error} />
    </section>
  );
}
