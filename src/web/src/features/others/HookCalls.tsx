import { useInfiniteQuery, useMutation, useQueryClient } from '@tanstack/react-query';
import { api, type Schemas, take } from '../../api/client';
import { Button, Loading, Trouble } from '../../ui/bits';
import { said } from '../../ui/undo';
import { machineMoment } from '../../ui/when';
import { phrase } from '../../words/phrase';

type Call = Schemas['HookCallDto'];

/** What an address was told, the newest first, with what it answered; each told again by itself. */
export function HookCalls({ hook, close }: { hook: string; close: () => void }) {
  const queries = useQueryClient();
  const calls = useInfiniteQuery({
    queryKey: ['hook-calls', hook],
    initialPageParam: undefined as number | undefined,
    queryFn: ({ pageParam }) => take(api.GET('/api/hooks/{id}/calls', { params: { path: { id: hook }, query: { before: pageParam } } })),
    getNextPageParam: (last) => last.before ?? undefined,
  });
  const again = useMutation({
    mutationFn: (id: number) => take(api.POST('/api/hooks/calls/{id}/again', { params: { path: { id } } })),
    onSuccess: () => {
      queries.invalidateQueries({ queryKey: ['hook-calls', hook] });
      said(phrase('It is told again within seconds.'));
    },
  });
  const all = calls.data?.pages.flatMap((p) => p.calls) ?? [];
  return (
    <>
      <h3>{phrase('What it was told')}</h3>
      <p className="m-0">
        <Button className="min-h-6" onClick={close}>
          {phrase('how it works')}
        </Button>
      </p>
      <Trouble error={calls.error ?? again.error} />
      {calls.isPending && <Loading />}
      {calls.data && all.length === 0 && <p>{phrase('Nothing yet. What happens from now on is told within seconds.')}</p>}
      {all.map((c) => (
        <section key={c.id} aria-label={c.messageId} className="border-t border-dotted border-rule py-2">
          <p className="m-0 text-ink">
            {c.kind}, {machineMoment(c.at)}
          </p>
          <p className={`m-0 break-words ${c.takenAt ? '' : 'text-straw'}`}>{state(c)}</p>
          <details>
            <summary className="min-h-6 text-leaf">{phrase('what is told')}</summary>
            <pre className="m-0 whitespace-pre-wrap break-all text-small">{c.body}</pre>
          </details>
          <Button
            className="min-h-6"
            disabled={again.isPending}
            aria-label={phrase('Tell {messageId} again', { messageId: c.messageId })}
            onClick={() => again.mutate(c.id)}
          >
            {phrase('tell it again')}
          </Button>
        </section>
      ))}
      {calls.hasNextPage && (
        <Button className="min-h-6" disabled={calls.isFetchingNextPage} onClick={() => calls.fetchNextPage()}>
          {phrase('earlier ones')}
        </Button>
      )}
    </>
  );
}

function state(c: Call) {
  const answer = c.lastAnswer && `: ${c.lastAnswer}`;
  if (c.takenAt) return phrase('taken {takenAt}{answer}', { takenAt: machineMoment(c.takenAt), answer });
  if (!c.nextAt) return phrase('never taken, told {attempts, number} times{answer}', { attempts: c.attempts, answer });
  return c.attempts === 0
    ? phrase('is told within seconds')
    : phrase('not taken yet, told again {nextAt}{answer}', { nextAt: machineMoment(c.nextAt), answer });
}
