import { type QueryClient, useQueryClient } from '@tanstack/react-query';
import { useEffect } from 'react';

/**
 * What a change of a table means for the page: the first words of the keys of queries that show something of it. The
 * server tells names of tables, never what is in them; whoever looks asks for it again.
 */
export const shownBy: Record<string, readonly string[]> = {
  absences: ['giving', 'today', 'almanac'],
  appointments: ['dealings', 'thread', 'today', 'almanac', 'pipeline'],
  broadcasts: ['broadcasts', 'broadcast', 'broadcast-numbers'],
  clock: ['clock', 'today', 'almanac', 'pipeline'],
  consent: ['consent', 'person', 'thread', 'touch', 'today', 'almanac'],
  events: ['person', 'thread', 'today', 'act', 'almanac', 'proof', 'touch'],
  figure_tables: ['figures', 'figure', 'letters', 'program'],
  api_keys: ['keys'],
  hook_calls: ['hooks', 'hook-calls'],
  hooks: ['hooks'],
  households: ['circle', 'person'],
  kept_files: ['files', 'program', 'letters'],
  landings: ['landing', 'landings'],
  letters: ['letters', 'letter', 'program', 'landing'],
  imports: ['import', 'imports'],
  forms: ['forms', 'form', 'session'],
  inquiries: ['dealings', 'thread', 'today', 'inquiries', 'inquiry'],
  lists: ['people', 'lists'],
  meeting_pages: ['meetings'],
  messages: ['thread', 'today', 'touch', 'mail', 'texts', 'broadcast-numbers', 'beginning'],
  notices: ['today'],
  offers: ['offers', 'letters', 'program'],
  film_views: ['films', 'thread'],
  films: ['films'],
  idea_feeds: ['ideas'],
  ideas: ['ideas'],
  opportunities: ['dealings', 'thread', 'people', 'pipeline'],
  own_calendars: ['own-calendars'],
  own_mails: ['inquiry', 'thread', 'today'],
  people: ['people', 'lists', 'consent', 'person', 'today', 'dealings', 'circle', 'picked', 'almanac', 'pipeline', 'beginning'],
  posts: ['posts', 'today', 'almanac'],
  programs: ['programs', 'program', 'session', 'today', 'almanac'],
  providers: ['today'],
  received: ['thread', 'today', 'mail', 'texts'],
  refusals: ['today', 'person', 'thread'],
  relations: ['circle', 'person'],
  runs: ['act', 'person', 'thread', 'people', 'program', 'programs', 'older-runs', 'almanac'],
  settings_changes: ['practice', 'settings-changes', 'session', 'giving', 'outcomes', 'stages'],
  segments: ['segments', 'segment', 'people', 'rule-values', 'session'],
  submissions: ['submissions', 'form', 'forms', 'inquiry'],
  tags: ['person', 'people', 'session', 'tags'],
  tasks: ['dealings', 'thread', 'today', 'almanac', 'tasks'],
  touches: ['today', 'thread', 'touch', 'people', 'program', 'almanac', 'proof'],
};

/** However fast changes come, a query is asked again no more often than this (milliseconds). */
const breath = 400;

/** After an answer that was no stream, it is asked for again so much later (milliseconds). */
const beforeAgain = 5_000;

/** Hands what was told to the queries that show it. The tables are collected for a breath first. */
export function teller(queries: QueryClient) {
  let tables = new Set<string>();
  let waiting: ReturnType<typeof setTimeout> | undefined;
  return (told: readonly string[]) => {
    for (const table of told) tables.add(table);
    if (tables.size === 0 || waiting) return;
    waiting = setTimeout(() => {
      const all = [...tables];
      tables = new Set();
      waiting = undefined;
      if (all.some((t) => !(t in shownBy))) {
        queries.invalidateQueries();
        return;
      }
      const keys = new Set(all.flatMap((t) => shownBy[t] ?? []));
      queries.invalidateQueries({ predicate: (q) => keys.has(String(q.queryKey[0])) });
    }, breath);
  };
}

/**
 * Listens to the one stream of changes. A browser allows few connections to a server, so one tab holds the stream for all
 * of them and passes on what it hears; when it is closed, another takes over.
 */
export function useChanges() {
  const queries = useQueryClient();
  useEffect(() => {
    const tell = teller(queries);
    const others = new BroadcastChannel('germinal-changes');
    others.onmessage = (event: MessageEvent<string[]>) => tell(event.data);
    const over = new AbortController();
    const hold = () =>
      new Promise<void>((done) => {
        let connected = false;
        let source: EventSource;
        let again: ReturnType<typeof setTimeout> | undefined;
        const open = () => {
          source = new EventSource('/api/changes');
          source.onmessage = (event) => {
            const told = JSON.parse(event.data) as string[];
            tell(told);
            if (told.length > 0) others.postMessage(told);
          };
          source.onopen = () => {
            // It was away for a moment: whatever happened then was not heard.
            if (connected) {
              tell(['everything']);
              others.postMessage(['everything']);
            }
            connected = true;
          };
          source.onerror = () => {
            // A line that broke is opened again by the browser; an answer that is no stream (signed out, a proxy's error) is not.
            if (source.readyState !== EventSource.CLOSED) return;
            queries.invalidateQueries({ queryKey: ['session'] });
            again = setTimeout(open, beforeAgain);
          };
        };
        open();
        over.signal.addEventListener('abort', () => {
          clearTimeout(again);
          source.close();
          done();
        });
      });
    // Without locks (a page that is not served safely) every tab listens for itself.
    if ('locks' in navigator) navigator.locks.request('germinal-changes', { signal: over.signal }, hold).catch(() => {});
    else hold();
    return () => {
      over.abort();
      others.close();
    };
  }, [queries]);
}
