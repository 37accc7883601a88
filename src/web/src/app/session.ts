import { useQuery } from '@tanstack/react-query';
import { api, type Schemas, setGuard, take } from '../api/client';

export type Session = Schemas['SessionDto'];

/** Who is signed in, what the practice offers to choose from, and the guard for writing calls. */
export function useSession() {
  return useQuery({
    queryKey: ['session'],
    staleTime: 60_000,
    queryFn: async () => {
      const session = await take(api.GET('/api/session'));
      setGuard(session.guard);
      return session;
    },
  });
}

/** The practice clock; while it moves, asked for more often. */
export function useClock() {
  return useQuery({
    queryKey: ['clock'],
    queryFn: () => take(api.GET('/api/clock')),
    refetchInterval: (query) => (query.state.data?.real ? 30_000 : query.state.data?.moveTo ? 400 : false),
  });
}

/** The practice's zone and moment for showing dates; sensible before the clock has answered. */
export function useNow() {
  const clock = useClock();
  return { now: clock.data?.now ?? new Date().toISOString(), zone: clock.data?.zone ?? 'UTC' };
}
