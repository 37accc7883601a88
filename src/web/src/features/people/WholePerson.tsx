import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import { toast } from 'sonner';
import { api, type Schemas, take } from '../../api/client';
import { useMay, useNow } from '../../app/session';
import { Button, Field, fieldError, Trouble } from '../../ui/bits';
import { said } from '../../ui/undo';
import { day, phone } from '../../ui/when';
import { phrase } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';
import { undoMerge } from './acts';

/** The person as a whole: merging them with another, handing their data out, erasing them. */
export function WholePerson({ personId, name }: { personId: string; name: string }) {
  const [what, setWhat] = useState<'merge' | 'erase'>();
  const mayMerge = useMay('merge-people');
  const mayExport = useMay('export-people');
  const mayErase = useMay('erase-people');
  if (!mayMerge && !mayExport && !mayErase) return null;
  return (
    <section aria-label={phrase('The person as a whole')}>
      <h3>{phrase('As a whole')}</h3>
      <p className="mt-1 mb-3 flex flex-wrap gap-x-4">
        {mayMerge && (
          <Button aria-expanded={what === 'merge'} onClick={() => setWhat(what === 'merge' ? undefined : 'merge')}>
            {phrase('merge with …')}
          </Button>
        )}
        {mayExport && (
          <a className="text-small no-underline hover:underline" href={`/api/people/${personId}/export`} download>
            {phrase('all their data')}
          </a>
        )}
        {mayErase && (
          <Button look="danger" aria-expanded={what === 'erase'} onClick={() => setWhat(what === 'erase' ? undefined : 'erase')}>
            {phrase('erase …')}
          </Button>
        )}
      </p>
      {what === 'merge' && <Merge personId={personId} name={name} close={() => setWhat(undefined)} />}
      {what === 'erase' && <Erase personId={personId} name={name} />}
    </section>
  );
}

function Merge({ personId, name, close }: { personId: string; name: string; close: () => void }) {
  const queries = useQueryClient();
  const { now, zone } = useNow();
  const [search, setSearch] = useState(name);
  const [other, setOther] = useState<string>();
  // What the member chose otherwise than proposed, by field.
  const [chosen, setChosen] = useState<Record<string, boolean>>({});
  const found = useQuery({
    queryKey: ['merge-search', search],
    enabled: search.trim().length > 1,
    queryFn: () => take(api.GET('/api/people', { params: { query: { search, most: 8 } } })),
  });
  const preview = useQuery({
    queryKey: ['merge-preview', personId, other],
    enabled: Boolean(other),
    queryFn: () => take(api.GET('/api/people/{id}/merge/{other}', { params: { path: { id: personId, other: other ?? '' } } })),
  });
  const takes = (c: Schemas['MergeChoice']) => chosen[c.key] ?? c.takesOther;
  const merge = useMutation({
    meta: { says: () => phrase('{merged} and {name} made one person', { merged: preview.data?.merged ?? phrase('somebody'), name }) },
    mutationFn: () =>
      take(
        api.POST('/api/people/{id}/merge', {
          params: { path: { id: personId } },
          body: { other: other ?? '', take: preview.data?.choices.filter(takes).map((c) => c.key) ?? null },
        }),
      ),
    onSuccess: ({ merge: id }: Schemas['MergedDto']) => {
      close();
      queries.invalidateQueries();
      said(phrase('{merged} and {name} are one person now.', { merged: preview.data?.merged, name }), () => undoMerge(id, queries));
    },
  });
  // Once one is picked the others are out of the way; picked again, they are back.
  const others = (found.data?.rows ?? []).filter((p) => p.id !== personId && (!other || p.id === other));
  const p = preview.data;
  return (
    <div className="mb-4">
      <input
        aria-label={phrase('The other, by name, address or number')}
        className="w-full"
        autoFocus
        value={search}
        onChange={(e) => setSearch(e.target.value)}
      />
      <ul className="m-0 list-none p-0">
        {others.map((o) => (
          <li key={o.id} className="border-t border-dotted border-rule py-1">
            <button
              type="button"
              aria-pressed={other === o.id}
              className={`block w-full text-left ${other === o.id ? 'font-semibold' : ''}`}
              onClick={() => {
                setOther(other === o.id ? undefined : o.id);
                setChosen({});
              }}
            >
              {o.name}
              <span className="block font-normal text-soft">
                {[
                  o.email,
                  o.mobile && phone(o.mobile),
                  o.stage?.split('/')[1],
                  o.owner && phrase('owner {owner}', { owner: o.owner }),
                  o.added && phrase('here since {added}', { added: day(o.added, zone, now) }),
                ]
                  .filter(Boolean)
                  .join(' · ')}
              </span>
            </button>
          </li>
        ))}
        {found.data && others.length === 0 && <li className="py-1 text-soft">{phrase('nobody else like that')}</li>}
      </ul>
      {other && p && (
        <>
          {p.choices.length > 0 && (
            <fieldset className="m-0 mt-3 border-0 p-0">
              <legend className="font-semibold text-ink">{phrase('What stays')}</legend>
              {p.choices.map((c) => (
                <div key={c.key} role="radiogroup" aria-label={c.label} className="border-t border-dotted border-rule py-1">
                  <span className="text-soft">
                    {c.label} · {takes(c) === c.takesOther ? c.why : phrase('as you chose')}
                  </span>
                  {[false, true].map((fromOther) => (
                    <label key={String(fromOther)} className="block text-ink">
                      <input
                        type="radio"
                        className="mr-2"
                        name={`${personId}-${c.key}`}
                        checked={takes(c) === fromOther}
                        onChange={() => setChosen({ ...chosen, [c.key]: fromOther })}
                      />
                      <span className="break-words">{(fromOther ? c.other : c.kept) ?? phrase('none')}</span>
                      <span className="text-soft"> · {fromOther ? phrase('the other') : phrase('this page')}</span>
                    </label>
                  ))}
                </div>
              ))}
            </fieldset>
          )}
          <p className="mt-2">
            <Sentence
              m="This page is kept. {moves} of the other move over; tags and lists are put together.{stops} Where one of them said no, a no it stays. It can be taken back from the thread until something has happened to them."
              v={{
                moves:
                  Object.entries(p.moves)
                    .filter(([, n]) => n > 0)
                    .map(([what, n]) => `${n} ${what}`)
                    .join(', ') || phrase('Nothing'),
                stops: p.stops.length > 0 && phrase(' Both are in {stops}; the other’s stops there.', { stops: p.stops.join(', ') }),
              }}
            />
          </p>
          {p.warnings.map((w) => (
            <p key={w} className="text-straw">
              {w}
            </p>
          ))}
          <Button look="main" className="mt-2" disabled={merge.isPending} onClick={() => merge.mutate()}>
            {phrase('Make one of the two')}
          </Button>
        </>
      )}
      <Trouble error={merge.error ?? preview.error} />
    </div>
  );
}

function Erase({ personId, name }: { personId: string; name: string }) {
  const go = useNavigate();
  const queries = useQueryClient();
  const [typed, setTyped] = useState('');
  const erase = useMutation({
    meta: { says: () => phrase('{name} erased', { name }) },
    mutationFn: () => take(api.POST('/api/people/{id}/erase', { params: { path: { id: personId } }, body: { name: typed } })),
    onSuccess: () => {
      queries.invalidateQueries({ queryKey: ['people'] });
      toast(phrase('{name} was erased. Only what keeps us from writing to them again is left.', { name }));
      go('/people');
    },
  });
  return (
    <form
      className="mb-4"
      onSubmit={(e) => {
        e.preventDefault();
        erase.mutate();
      }}
    >
      <Field
        label={phrase('Everything about {name} goes, and cannot come back. Write their name to erase them.', { name })}
        error={fieldError(erase.error, 'name')}
      >
        {(id, by) => (
          <input id={id} aria-describedby={by} autoFocus className="w-full" value={typed} onChange={(e) => setTyped(e.target.value)} />
        )}
      </Field>
      <Button type="submit" look="danger" disabled={!typed.trim()}>
        {phrase('Erase')}
      </Button>
    </form>
  );
}
