import { useMemberName, useSession } from '../../app/session';
import type { Names } from './ruleLanguage';

/** What members and the practice's own fields are called, for rules that are read out. */
export function useNames(): Names {
  const member = useMemberName();
  return { member, own: useSession().data?.ownFields ?? [] };
}
