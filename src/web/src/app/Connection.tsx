import { onlineManager, useMutationState } from '@tanstack/react-query';
import { useSyncExternalStore } from 'react';
import { phrase } from '../words/phrase';

declare module '@tanstack/react-query' {
  interface Register {
    /** `says`: what a change is in a few words, from what it was called with. */
    mutationMeta: { says?: (variables: never) => string };
  }
}

/** One line while the connection is gone: that it is, and what waits to go by itself when it is back. */
export function Connection() {
  const online = useSyncExternalStore(
    (told) => onlineManager.subscribe(told),
    () => onlineManager.isOnline(),
  );
  const waiting = useMutationState({
    filters: { status: 'pending', predicate: (m) => m.state.isPaused },
    select: (m) => m.options.meta?.says?.(m.state.variables as never) ?? phrase('a change'),
  });
  if (online) return null;
  return (
    <p role="status" className="m-0 border-b border-straw bg-straw-pale px-7 py-2 text-small text-ink max-[699px]:px-4">
      <b className="font-semibold">{phrase('The connection is gone.')}</b>{' '}
      {waiting.length === 0
        ? phrase('What you write is kept on this machine, and goes when it is back.')
        : phrase(
            '{waiting, plural, one {# thing waits and goes by itself} other {# things wait and go by themselves}} when it is back: {waiting2}.',
            { waiting: waiting.length, waiting2: waiting.join(' · ') },
          )}
    </p>
  );
}
