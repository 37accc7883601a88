import type { QueryClient } from '@tanstack/react-query';
import { ApiError, api, type Schemas, take } from '../../api/client';
import { dayName } from '../../ui/when';
import { phrase } from '../../words/phrase';
import { type Mark, markTouch, moveTouch } from '../people/acts';
import { finishTask, moveTask } from '../tasks/acts';
import { nameOf } from './callEndings';
import { type Next, nextBody } from './NextStep';

type Call = Schemas['CallDto'];

/** A call, note or task as it ended. */
export type Ended = { call: Call; outcome: string; remark: string; next: Next };

/** A call, note or task that goes to another day. */
export type MovedCall = { call: Call; to: string };

/** A message to be held, released or dropped, with the words that name it. */
export type Marked = { touchId: string; personId: string; name: string; what: string };

const path = (id: string) => ({ params: { path: { id } } });

/** What can be done on the day sheet without a network: each by its key, so that it goes after a reload too. Each can be sent twice and counts once. */
export const sheetActs = {
  done: {
    mutationKey: ['today', 'done'],
    meta: { says: ({ call, outcome }: Ended) => `${nameOf(call)}: ${outcome}` },
    mutationFn: ({ call, outcome, remark, next }: Ended) => {
      const body = { outcome, remark: remark || null, next: nextBody(next) };
      return call.ownTask ? finishTask(call.touchId, body) : take(api.POST('/api/touches/{id}/done', { ...path(call.touchId), body }));
    },
  },
  move: {
    mutationKey: ['today', 'move'],
    meta: { says: ({ call, to }: MovedCall) => phrase('{call} to {to}', { call: nameOf(call), to: dayName(to) }) },
    mutationFn: ({ call, to }: MovedCall) => moveCall(call, to),
  },
  mark: {
    mutationKey: ['today', 'mark'],
    meta: { says: ({ row, how }: { row: Marked; how: Mark }) => phrase('{what} to {row}: {how}', { what: row.what, row: row.name, how }) },
    mutationFn: ({ row, how }: { row: Marked; how: Mark }) => markTouch(row.touchId, row.personId, how),
  },
  seen: {
    mutationKey: ['today', 'seen'],
    meta: { says: () => phrase('one that was seen to') },
    mutationFn: (id: string) => take(api.POST('/api/today/waiting/{id}/seen', path(id))),
  },
} as const;

/** Moves a call, note or task to another day; a touch of a program with null back to its own. */
export async function moveCall(call: Call, to: string | null): Promise<{ before?: string | null }> {
  if (!call.ownTask) return moveTouch(call.touchId, call.person?.id ?? '', to);
  return moveTask(call.touchId, to ?? '');
}

/** A line that drops in the middle: nobody knows whether it arrived, and it is sent again once somebody answers. */
const again = (_: number, error: Error) => error instanceof ApiError && error.status === 0;

/** Says how what waited over a reload is sent, and that the sheet is read again then. */
export function knowSheetActs(queries: QueryClient) {
  for (const act of Object.values(sheetActs))
    queries.setMutationDefaults(act.mutationKey, {
      ...(act as object),
      retry: again,
      onSettled: () => queries.invalidateQueries({ queryKey: ['today'] }),
    });
}
