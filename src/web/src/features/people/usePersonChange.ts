import { useMutation, useQueryClient } from '@tanstack/react-query';

/** A change to one person; the page is asked for anew when the engine has taken it in. */
export function usePersonChange<T>(id: string, change: (value: T) => Promise<unknown>) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: change,
    onSuccess: () => {
      for (const wait of [0, 600]) {
        setTimeout(() => {
          queries.invalidateQueries({ queryKey: ['person', id] });
          queries.invalidateQueries({ queryKey: ['thread', id] });
        }, wait);
      }
      queries.invalidateQueries({ queryKey: ['session'] });
    },
  });
}
