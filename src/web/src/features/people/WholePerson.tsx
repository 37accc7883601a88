import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import { toast } from 'sonner';
import { api, type Schemas, take } from '../../api/client';
import { useMay } from '../../app/session';
import { Button, Field, fieldError, Trouble } from '../../ui/bits';

/** The person as a whole: merging them with another, handing their data out, erasing them. */
export function WholePerson({ personId, name }: { personId: string; name: string }) {
  const [what, setWhat] = useState<'merge' | 'erase'>();
  const mayMerge = useMay('merge-people');
  const mayExport = useMay('export-people');
  const mayErase = useMay('erase-people');
  if (!mayMerge && !mayExport && !mayErase) return null;
  return (
    <section aria-label="The person as a whole">
      <h3>As a whole</h3>
      <p className="mt-1 mb-3 flex flex-wrap gap-x-4">
        {mayMerge && (
          <Button aria-expanded={what === 'merge'} onClick={() => setWhat(what === 'merge' ? undefined : 'merge')}>
            merge with …
          </Button>
        )}
        {mayExport && (
          <a className="text-small no-underline hover:underline" href={`/api/people/${personId}/export`} download>
            all their data
          </a>
        )}
        {mayErase && (
          <Button look="danger" aria-expanded={what === 'erase'} onClick={() => setWhat(what === 'erase' ? undefined : 'erase')}>
            erase …
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
  const [search, setSearch] = useState(name.split(' ').at(-1) ?? '');
  const [other, setOther] = useState<string>();
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
  const refresh = () => queries.invalidateQueries();
  const merge = useMutation({
    mutationFn: () => take(api.POST('/api/people/{id}/merge', { params: { path: { id: personId } }, body: { other: other ?? '' } })),
    onSuccess: ({ merge: id }: Schemas['MergedDto']) => {
      close();
      refresh();
      toast(`${preview.data?.merged} and ${name} are one person now.`, {
        action: {
          label: 'Undo',
          onClick: () =>
            take(api.POST('/api/merges/{id}/undo', { params: { path: { id } } }))
              .then(refresh)
              .catch((e: Error) => toast.error(e.message)),
        },
      });
    },
  });
  const others = (found.data?.rows ?? []).filter((p) => p.id !== personId);
  return (
    <div className="mb-4">
      <input
        aria-label="The other, by name or address"
        className="w-full"
        autoFocus
        value={search}
        onChange={(e) => setSearch(e.target.value)}
      />
      <ul className="m-0 list-none p-0">
        {others.map((p) => (
          <li key={p.id} className="border-t border-dotted border-rule py-1">
            <button
              type="button"
              aria-pressed={other === p.id}
              className={other === p.id ? 'font-semibold' : ''}
              onClick={() => setOther(p.id)}
            >
              {p.name} <span className="text-soft">{p.email}</span>
            </button>
          </li>
        ))}
        {found.data && others.length === 0 && <li className="py-1 text-soft">nobody else like that</li>}
      </ul>
      {preview.data && (
        <>
          <p className="mt-2">
            {preview.data.kept} is kept.{' '}
            {Object.entries(preview.data.moves)
              .filter(([, n]) => n > 0)
              .map(([what, n]) => `${n} ${what}`)
              .join(', ') || 'Nothing'}{' '}
            of {preview.data.merged} move over
            {preview.data.fills.length > 0
              ? `; ${preview.data.fills.join(', ')} ${preview.data.fills.length === 1 ? 'is' : 'are'} filled in`
              : ''}
            .{preview.data.stops.length > 0 && ` Both are in ${preview.data.stops.join(', ')}; the other run stops.`} The stricter consent
            counts.
          </p>
          {preview.data.warnings.map((w) => (
            <p key={w} className="text-straw">
              {w}
            </p>
          ))}
          <Button look="main" className="mt-2" disabled={merge.isPending} onClick={() => merge.mutate()}>
            Merge
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
    mutationFn: () => take(api.POST('/api/people/{id}/erase', { params: { path: { id: personId } }, body: { name: typed } })),
    onSuccess: () => {
      queries.invalidateQueries({ queryKey: ['people'] });
      toast(`${name} was erased. Only what keeps us from writing to them again is left.`);
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
        label={`Everything about ${name} goes, and cannot come back. Write their name to erase them.`}
        error={fieldError(erase.error, 'name')}
      >
        {(id, by) => (
          <input id={id} aria-describedby={by} autoFocus className="w-full" value={typed} onChange={(e) => setTyped(e.target.value)} />
        )}
      </Field>
      <Button type="submit" look="danger" disabled={!typed.trim()}>
        Erase
      </Button>
    </form>
  );
}
