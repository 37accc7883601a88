import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { api, take } from '../../api/client';
import { Button, Trouble } from '../../ui/bits';
import { said } from '../../ui/undo';
import { phrase } from '../../words/phrase';
import { takeTaskOut } from './acts';

/** Makes the tasks of a set for somebody, each on its working day from today. */
export function MakeSet({ person }: { person?: { id: string; name: string } }) {
  const queries = useQueryClient();
  const sets = useQuery({ queryKey: ['tasks', 'sets'], queryFn: () => take(api.GET('/api/tasks')) }).data?.sets ?? [];
  const make = useMutation({
    meta: { says: (set: string) => phrase('the tasks of “{set}”', { set }) },
    mutationFn: (set: string) => take(api.POST('/api/tasks/set', { body: { set, from: '', person: person?.id ?? null, member: null } })),
    onSuccess: ({ ids }, set) => {
      const again = () => queries.invalidateQueries();
      again();
      said(
        phrase('{ids, plural, one {# task} other {# tasks}} of “{set}”{person}', {
          ids: ids.length,
          set,
          person: person ? phrase(' for {person}', { person: person.name }) : '',
        }),
        async () => {
          for (const id of ids) await takeTaskOut(id);
          again();
        },
      );
    },
  });
  if (sets.length === 0) return null;
  return (
    <p className="mb-3 flex flex-wrap gap-x-4 gap-y-1 text-small">
      <span className="text-soft">{phrase('make together:')}</span>
      {sets.map((s) => (
        <Button key={s.name} disabled={make.isPending} onClick={() => make.mutate(s.name)}>
          {s.name} ({s.tasks.length})
        </Button>
      ))}
      <Trouble error={make.error} />
    </p>
  );
}
