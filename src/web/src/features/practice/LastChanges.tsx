import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { api, type Schemas, take } from '../../api/client';
import { Button, Trouble } from '../../ui/bits';
import { said } from '../../ui/undo';
import { moment } from '../../ui/when';
import { phrase } from '../../words/phrase';

type Change = Schemas['SettingsChangeDto'];

/** Settings were changed or taken back: whatever shows something of them is asked for again, which may be anything. */
export function useSettingsSaid() {
  const queries = useQueryClient();
  return () => queries.invalidateQueries();
}

/** The last changes of the settings, each taken back by itself. */
export function LastChanges({ zone }: { zone: string }) {
  const queries = useQueryClient();
  const changes = useQuery({ queryKey: ['settings-changes'], queryFn: () => take(api.GET('/api/practice/changes')) });
  const changed = useSettingsSaid();
  const undo = useMutation({
    mutationFn: (id: number) => take(api.POST('/api/practice/changes/{id}/undo', { params: { path: { id } } })),
    onSuccess: (answer) => {
      queries.setQueryData(['settings-changes'], answer);
      changed();
      said(phrase('It is as it was before.'));
    },
  });
  return (
    <>
      <h3>{phrase('The last changes')}</h3>
      <Trouble error={changes.error ?? undo.error} />
      {changes.data?.length === 0 && (
        <p className="mt-1">{phrase('Nothing has been changed yet. Of what is changed, the last ten stand here and can be taken back.')}</p>
      )}
      <ol className="m-0 mt-1 list-none p-0">
        {changes.data?.map((c) => (
          <li key={c.id} className="border-t border-dotted border-rule py-2 first:border-0">
            <p className={`m-0 font-serif break-words ${c.takenBack ? 'text-soft line-through' : 'text-ink'}`}>{c.words}</p>
            <p className="m-0 flex flex-wrap items-baseline gap-x-3">
              <span>
                {c.by || 'Germinal'}, {moment(c.at, zone)}
                {c.takesBack && phrase(', taking back')}
              </span>
              <End change={c} undo={() => undo.mutate(c.id)} busy={undo.isPending} />
            </p>
          </li>
        ))}
      </ol>
    </>
  );
}

function End({ change: c, undo, busy }: { change: Change; undo: () => void; busy: boolean }) {
  if (c.takenBack) return <span>{phrase('taken back')}</span>;
  if (c.inTheWay) return <span className="w-full">{c.inTheWay}</span>;
  return (
    <Button className="min-h-6" disabled={busy} onClick={undo} aria-label={phrase('Take back: {words}', { words: c.words })}>
      {phrase('take back')}
    </Button>
  );
}
