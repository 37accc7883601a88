import { useMutation, useQueryClient } from '@tanstack/react-query';

/**
 * A change to one person; the page is asked for anew.
 * @param says what the change is in a few words, for the line that tells what waits while the connection is gone
 */
export function usePersonChange<T>(id: string, says: (value: T) => string, change: (value: T) => Promise<unknown>) {
  const queries = useQueryClient();
  return useMutation({
    meta: { says },
    mutationFn: change,
    onSuccess: () => {
      // What the engine makes of it a moment later is told by the stream of changes.
      queries.invalidateQueries({ queryKey: ['person', id] });
      queries.invalidateQueries({ queryKey: ['thread', id] });
      queries.invalidateQueries({ queryKey: ['session'] });
    },
  });
}
