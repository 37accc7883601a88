import { useMutation, useQueryClient } from '@tanstack/react-query';

/** A change to one person; the page is asked for anew. */
export function usePersonChange<T>(id: string, change: (value: T) => Promise<unknown>) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: change,
    onSuccess: () => {
      // What the engine makes of it a moment later is told by the stream of changes.
      queries.invalidateQueries({ queryKey: ['person', id] });
      queries.invalidateQueries({ queryKey: ['thread', id] });
      queries.invalidateQueries({ queryKey: ['session'] });
    },
  });
}
