import { useQuery } from '@tanstack/react-query';
import { api, type Schemas, setGuard, take } from '../api/client';

export type Session = Schemas['SessionDto'];

/** What may be done; the server has the same table (and refuses what the page should not have offered). */
export type Right =
  | 'own-sign-in'
  | 'work'
  | 'write-programs'
  | 'bring-people-in'
  | 'switch-programs'
  | 'approve-programs'
  | 'show-forms'
  | 'bring-consent-in'
  | 'yes-over-no'
  | 'overrule-consent'
  | 'merge-people'
  | 'export-people'
  | 'erase-people'
  | 'see-journal'
  | 'see-numbers'
  | 'keep-members'
  | 'take-whole'
  | 'keep-other-programs'
  | 'change-settings'
  | 'see-servers'
  | 'keep-installation';

/** Whether the member signed in may do this: what they may not is not offered. False until the server has said so. */
export function useMay(right: Right): boolean {
  return useSession().data?.may.includes(right) ?? false;
}

/** Who is signed in, what the practice offers to choose from, and the guard for writing calls. */
export function useSession() {
  return useQuery({
    queryKey: ['session'],
    staleTime: 60_000,
    queryFn: async () => {
      const session = await take(api.GET('/api/session'));
      setGuard(session);
      return session;
    },
  });
}

/** The name of a member by their id; an id that nobody has is given back. */
export function useMemberName(): (id: string) => string {
  const members = useSession().data?.members;
  return (id) => members?.find((m) => m.id === id)?.name ?? id;
}

/** The practice clock. A real one is read now and then; one that is moved tells by the stream of changes. */
export function useClock() {
  return useQuery({
    queryKey: ['clock'],
    queryFn: () => take(api.GET('/api/clock')),
    refetchInterval: (query) => (query.state.data?.real ? 30_000 : false),
  });
}

/** The practice's zone and moment for showing dates; sensible before the clock has answered. */
export function useNow() {
  const clock = useClock();
  return { now: clock.data?.now ?? new Date().toISOString(), zone: clock.data?.zone ?? 'UTC' };
}
