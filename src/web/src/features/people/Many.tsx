import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import { Link } from 'react-router';
import { api, type Schemas, take } from '../../api/client';
import { useMemberName, useSession } from '../../app/session';
import { Button, Field, fieldError, ProgressBar, Trouble } from '../../ui/bits';
import { count } from '../../ui/when';
import { AsFile } from './AsFile';
import { type ActBody, type ActKind, actOn, doAct, previewAct, undoAct } from './acts';

/** Who is picked: people by name, or everybody who fits the filters. */
export type Picked = { people: Pick<ActBody, 'ids' | 'matching'>; count: number };

/** What is offered here; a tag is taken off on a person's page. */
type Offered = Exclude<ActKind, 'untag'>;

const kinds: { kind: Offered; label: string; word: string }[] = [
  { kind: 'tag', label: 'Put on a tag', word: 'Put on' },
  { kind: 'stage', label: 'Change the stage', word: 'Move' },
  { kind: 'join', label: 'Keep on a list', word: 'Keep' },
  { kind: 'leave', label: 'Take off a list', word: 'Take off' },
  { kind: 'owner', label: 'Give to a member to look after', word: 'Give' },
  { kind: 'start', label: 'Start a program', word: 'Start' },
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
          <h3>With those picked</h3>
          <p className="mt-1">
            Pick people by the boxes at the left, then put a tag on them, move their stage, keep them on a list, give them to a member, or
            start a program for them here. Before anything is done you see for how many, and who is left out.
          </p>
          {fitting && fitting.count > 0 && <AsFile people={fitting.people} who="Everybody who fits" />}
        </>
      ) : (
        <>
          <h2>{count(picked.count, 'person', 'people')}</h2>
          <Button look="plain" className="mb-4" onClick={clear}>
            pick nobody
          </Button>
          {nobody && <p className="mb-3">That is so for all of them already.</p>}
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
          {!asked && <AsFile people={picked.people} who={picked.count === 1 ? 'This person' : 'These people'} />}
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
                <option value="">choose</option>
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
      ? (programs.data?.find((p) => p.id === what)?.name ?? 'the program')
      : kind === 'owner'
        ? memberName(what)
        : (what.split('/').at(-1) ?? what);
  const verb = {
    tag: `Put “${name}” on`,
    stage: `Move to ${name}:`,
    join: `Keep on “${what}”:`,
    leave: `Take off “${what}”:`,
    owner: `Give to ${name}:`,
    start: `Start “${name}” for`,
  }[kind];
  const act = useMutation({
    meta: { says: () => `${verb} ${count(picked.count, 'person', 'people')}` },
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
          <p role="status">Looking what it would do for {count(picked.count, 'person', 'people')} …</p>
        )}
        <Button look="plain" onClick={leave}>
          leave it
        </Button>
      </>
    );
  }

  // A start is new to whomever the engine would start it for; the rest would be refused.
  const own = kind === 'start' ? (p.starts.find((s) => s.program === name)?.count ?? 0) : p.people - p.unchanged;
  const others = p.starts.filter((s) => kind !== 'start' || s.program !== name);
  return (
    <section aria-label="What it would do">
      <h3>What it would do</h3>
      <ul className="m-0 mt-1 mb-3 list-none p-0">
        {kind === 'start' && (
          <li className="py-0.5">
            “{name}” starts for {count(own, 'person', 'people')}
            {p.startLimit && own > p.startLimit ? `, ${p.startLimit} a day; the rest wait their turn` : ''}.
          </li>
        )}
        {p.unchanged > 0 && (
          <li className="py-0.5 text-soft">
            {count(p.unchanged, 'person', 'people')} {p.unchanged === 1 ? 'is' : 'are'} left as {p.unchanged === 1 ? 'it is' : 'they are'}:
            it is so already.
          </li>
        )}
        {others.map((s) => (
          <li key={s.program} className="py-0.5">
            It starts “{s.program}” for {count(s.count, 'person', 'people')}.
          </li>
        ))}
        {p.stops.map((s) => (
          <li key={s.program} className="py-0.5 text-straw">
            It stops “{s.program}” for {count(s.count, 'person', 'people')}; that stays so when it is taken back.
          </li>
        ))}
        {p.refused.map((r) => (
          <li key={r.program + r.reason} className="py-0.5 text-straw">
            {kind === 'start' ? 'Not' : `Not “${r.program}”`} for {count(r.count, 'person', 'people')}: {r.reason} (
            {r.first.map((f, i) => (
              <span key={f.id}>
                {i > 0 && ', '}
                <Link to={`/people/${f.id}`}>{f.name}</Link>
              </span>
            ))}
            {r.count > r.first.length && ` and ${r.count - r.first.length} more`})
          </li>
        ))}
      </ul>
      <div className="flex flex-wrap items-center gap-x-4 gap-y-2">
        <Button look="main" disabled={own === 0 || act.isPending} onClick={() => act.mutate()} autoFocus>
          {own === 0 ? 'Nobody is left for it' : `${verb} ${count(own, 'person', 'people')}`}
        </Button>
        <Button look="plain" onClick={leave}>
          leave it
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
  const undo = useMutation({ meta: { says: () => 'an undo for all' }, mutationFn: () => undoAct(id, queries) });
  const a = act.data;
  if (!a) return null;
  const word = {
    tag: `“${a.what}” put on`,
    stage: `Moved to ${a.what.split('/').at(-1)}`,
    join: `Kept on “${a.what}”`,
    leave: `Taken off “${a.what}”`,
    owner: `Given to ${a.what}`,
    start: `“${a.what}” asked to start`,
  }[a.kind];
  return (
    <section aria-label="What was done" className="mb-5 border-l-[3px] border-leaf bg-leaf-pale px-3 py-2">
      <p className="m-0" aria-live="polite">
        {undo.data ??
          `${word}: ${count(a.people, 'person', 'people')}. ${
            a.done < a.people
              ? `${a.done} of them are through.`
              : a.started > 0
                ? `${count(a.started, 'run', 'runs')} started.`
                : 'All are through.'
          }`}
      </p>
      {a.done < a.people && !a.undone && (
        <ProgressBar className="my-2" share={Math.round((100 * a.done) / Math.max(1, a.people))} label="How many are through" />
      )}
      {!a.undone && (
        <Button look="danger" className="mr-4" disabled={undo.isPending} onClick={() => undo.mutate()}>
          Undo for all {a.people === 1 ? '' : a.people}
        </Button>
      )}
      <Button look="plain" onClick={close}>
        close
      </Button>
      <Trouble error={undo.error} />
    </section>
  );
}
