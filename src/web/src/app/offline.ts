import { type DehydratedState, dehydrate, hydrate, onlineManager, type QueryClient } from '@tanstack/react-query';
import { type Schemas, setGuard } from '../api/client';
import { keep, keptUnder } from '../ui/kept';

/** What the day sheet needs when it is opened without a network, by the first word of its key. */
const needed: ReadonlySet<unknown> = new Set(['session', 'clock', 'today', 'morning']);

/** What was kept longer ago is not shown any more: it would be another day's sheet (milliseconds). */
const longest = 20 * 60 * 60 * 1000;

/** It is written down no more often than this (milliseconds). */
const breath = 500;

/** While nobody answers, it is asked so often whether somebody does again (milliseconds). */
const beforeAsking = 3_000;

const name = 'offline';

type Kept = { at: number; state: DehydratedState };

/**
 * Keeps the day sheet, and what was done on it and waits for the network, on this machine: opened without a network it stands there as it was, and what
 * waits goes when the network is back. Whoever signs out leaves nothing.
 */
export function keepForOffline(queries: QueryClient) {
  // It is told of changes only; a page may open without a network.
  onlineManager.setOnline(navigator.onLine);
  window.addEventListener('germinal:no-answer', askUntilAnswered);
  const kept = keptUnder<Kept>(name);
  if (kept && Date.now() - kept.at < longest) {
    hydrate(queries, kept.state);
    const session = queries.getQueryData<Schemas['SessionDto']>(['session']);
    if (session) setGuard(session);
  }
  let waiting: ReturnType<typeof setTimeout> | undefined;
  const write = () => {
    waiting = undefined;
    const signedIn = queries.getQueryData<Schemas['SessionDto']>(['session'])?.member;
    keep(name, signedIn ? { at: Date.now(), state: whatIsNeeded(queries) } : undefined);
  };
  const soon = () => {
    waiting ??= setTimeout(write, breath);
  };
  queries.getQueryCache().subscribe((event) => {
    if (needed.has(event.query.queryKey[0])) soon();
  });
  queries.getMutationCache().subscribe(soon);
  // What was done in the last moment before the page was left.
  window.addEventListener('pagehide', () => waiting && write());
  if (onlineManager.isOnline()) void queries.resumePausedMutations();
}

/**
 * The sheet, and the changes that wait; what a change is called is known by its key. One that is under way when the page goes may not have arrived: it is
 * sent again, and counts once.
 */
function whatIsNeeded(queries: QueryClient): DehydratedState {
  const state = dehydrate(queries, {
    shouldDehydrateQuery: (query) => query.state.status === 'success' && needed.has(query.queryKey[0]),
    shouldDehydrateMutation: (mutation) => mutation.state.status === 'pending' && mutation.options.mutationKey !== undefined,
  });
  return {
    ...state,
    mutations: state.mutations.map(({ meta: _, ...mutation }) => ({ ...mutation, state: { ...mutation.state, isPaused: true } })),
  };
}

let asking = false;

/** A browser may think it has a network that leads nowhere: what waits waits until the server answers anything at all. */
async function askUntilAnswered() {
  if (asking) return;
  asking = true;
  onlineManager.setOnline(false);
  do await new Promise((resolve) => setTimeout(resolve, beforeAsking));
  while (
    !(await fetch('/api/clock').then(
      () => true,
      () => false,
    ))
  );
  asking = false;
  onlineManager.setOnline(true);
}
