import { useQueryClient } from '@tanstack/react-query';
import { useNavigate } from 'react-router';
import { api, take } from '../api/client';
import { forgetAll } from '../ui/kept';

/** Signs out; nothing of anybody stays on the machine. */
export function useSignOut() {
  const queries = useQueryClient();
  const go = useNavigate();
  return async () => {
    await take(api.DELETE('/api/session'));
    forgetAll();
    queries.clear();
    go('/sign-in');
  };
}
