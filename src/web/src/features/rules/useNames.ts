import { useQuery } from '@tanstack/react-query';
import { api, take } from '../../api/client';
import { useMemberName, useSession } from '../../app/session';
import type { Names } from './ruleLanguage';

/** What members, states and the practice's own fields are called, for rules that are read out. */
export function useNames(): Names {
  const member = useMemberName();
  const states = useQuery({
    queryKey: ['states'],
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: () => take(api.GET('/api/rules/states')),
  }).data;
  return {
    member,
    own: useSession().data?.ownFields ?? [],
    state: (code) => states?.find((s) => s.value === code.toUpperCase())?.words ?? code,
  };
}
