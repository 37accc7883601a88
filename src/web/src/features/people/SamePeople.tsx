import { useInfiniteQuery, useMutation, useQueryClient } from '@tanstack/react-query';
import { useEffect, useRef, useState } from 'react';
import { Link } from 'react-router';
import { api, type Schemas, take } from '../../api/client';
import { useMay, useNow } from '../../app/session';
import { Button, Empty, Loading, Trouble } from '../../ui/bits';
import { DayPage, PageHead } from '../../ui/DayPage';
import { useKeys } from '../../ui/keys';
import { said } from '../../ui/undo';
import { nearDay, phone } from '../../ui/when';
import { phrase } from '../../words/phrase';
import { undoMerge } from './acts';

type Pair = Schemas['LikePairDto'];
type Decision = 'one' | 'household' | 'different';
const keyOf = (p: Pair) => `${p.one.id} ${p.other.id}`;

/** Pairs that look like one person, or like one household: looked at one after the other, each decided for good. */
export default function SamePeople() {
  const queries = useQueryClient();
  const mayMerge = useMay('merge-people');
  const [decided, setDecided] = useState<Set<string>>(new Set());
  const [at, setAt] = useState(0);
  const pairs = useInfiniteQuery({
    queryKey: ['same-people'],
    initialPageParam: undefined as string | undefined,
    queryFn: ({ pageParam }) => take(api.GET('/api/same-people', { params: { query: { after: pageParam } } })),
    getNextPageParam: (page) => page.next ?? undefined,
  });
  const rows = (pairs.data?.pages.flatMap((p) => p.rows) ?? []).filter((p) => !decided.has(keyOf(p)));
  const on = Math.min(at, rows.length - 1);
  const list = useRef<HTMLUListElement>(null);

  const decide = useMutation({
    meta: {
      says: ({ pair, as }: { pair: Pair; as: Decision }) =>
        phrase('{one} and {other}: {words}', { one: pair.one.name, other: pair.other.name, words: words[as] }),
    },
    mutationFn: async ({ pair, as }: { pair: Pair; as: Decision }) => {
      const [one, other] = [pair.one.id, pair.other.id];
      if (as === 'one') {
        const { merge } = await take(api.POST('/api/people/{id}/merge', { params: { path: { id: one } }, body: { other, take: null } }));
        return () => undoMerge(merge, queries);
      }
      if (as === 'household') {
        await take(api.POST('/api/people/{id}/household', { params: { path: { id: one } }, body: { other } }));
        return () => take(api.DELETE('/api/people/{id}/household', { params: { path: { id: other } } }));
      }
      await take(api.POST('/api/same-people/different', { body: { one, other } }));
      return () => take(api.DELETE('/api/same-people/different/{one}/{other}', { params: { path: { one, other } } }));
    },
    onSuccess: (back, { pair, as }) => {
      setDecided((before) => new Set(before).add(keyOf(pair)));
      said(phrase('{one} and {other}: {words}.', { one: pair.one.name, other: pair.other.name, words: words[as] }), async () => {
        await back();
        setDecided((before) => {
          const rest = new Set(before);
          rest.delete(keyOf(pair));
          return rest;
        });
      });
    },
  });
  const run = (as: Decision, pair = rows[on]) => {
    if (pair && !decide.isPending && (as !== 'one' || mayMerge)) decide.mutate({ pair, as });
  };
  const move = (to: number) => setAt(Math.max(0, Math.min(to, rows.length - 1)));
  useKeys({
    o: () => run('one'),
    h: () => run('household'),
    n: () => run('different'),
    j: () => move(on + 1),
    k: () => move(on - 1),
  });
  useEffect(() => {
    list.current?.children[on]?.scrollIntoView({ block: 'nearest' });
    if (rows.length < 10 && pairs.hasNextPage && !pairs.isFetchingNextPage) pairs.fetchNextPage();
  }, [on, rows.length, pairs]);

  return (
    <DayPage
      marginTitle={phrase('How to decide')}
      margin={
        <>
          <h3>{phrase('How to decide')}</h3>
          <p>
            {phrase(
              'Nobody is made one by guess. What stands here is a guess: look at both, and say what they are. What is said is remembered, and can be taken back.',
            )}
          </p>
          <dl className="kv">
            {mayMerge && (
              <>
                <dt>
                  <kbd>O</kbd>
                </dt>
                <dd>{phrase('one person: both histories become one; whatever they differ in, the likelier is taken')}</dd>
              </>
            )}
            <dt>
              <kbd>H</kbd>
            </dt>
            <dd>{phrase('one household, two people')}</dd>
            <dt>
              <kbd>N</kbd>
            </dt>
            <dd>{phrase('no, different: never asked again')}</dd>
            <dt>
              <kbd>J</kbd> <kbd>K</kbd>
            </dt>
            <dd>{phrase('the next, the one before')}</dd>
          </dl>
          {!mayMerge && <p className="text-soft">{phrase('Making one person of two is for principals and advisers.')}</p>}
        </>
      }
    >
      <PageHead title={phrase('These may be the same')} aside={<Link to="/people">{phrase('All people')}</Link>} />
      <div className="px-7">
        <Trouble error={pairs.error ?? decide.error} />
      </div>
      {pairs.isPending ? (
        <Loading />
      ) : rows.length === 0 && !pairs.hasNextPage ? (
        <Empty>{phrase('Nobody here looks like somebody else any more. Whoever comes in by a list is looked at the same way.')}</Empty>
      ) : (
        <ul ref={list} className="m-0 list-none p-0" aria-label={phrase('Pairs')}>
          {rows.map((p, i) => (
            <li key={keyOf(p)} className={`row ${i === on ? 'on' : ''}`} aria-current={i === on} onMouseDown={() => setAt(i)}>
              <span className="gutter">{p.household ? phrase('a household?') : phrase('one person?')}</span>
              <div className="grid grid-cols-2 gap-x-6 max-[699px]:grid-cols-1">
                <Side person={p.one} beside={p.other} />
                <Side person={p.other} beside={p.one} />
              </div>
              <p className="mt-1 mb-0 flex flex-wrap items-baseline gap-x-5 text-small text-soft">
                <span className="min-w-0 flex-1">{p.because}</span>
                {mayMerge && (
                  <Button
                    aria-label={phrase('{one} and {other} are one person', { one: p.one.name, other: p.other.name })}
                    onClick={() => run('one', p)}
                  >
                    {phrase('one person')}
                  </Button>
                )}
                <Button
                  aria-label={phrase('{one} and {other} are one household', { one: p.one.name, other: p.other.name })}
                  onClick={() => run('household', p)}
                >
                  {phrase('one household')}
                </Button>
                <Button
                  look="plain"
                  aria-label={phrase('{one} and {other} are different', { one: p.one.name, other: p.other.name })}
                  onClick={() => run('different', p)}
                >
                  {phrase('no, different')}
                </Button>
              </p>
            </li>
          ))}
        </ul>
      )}
    </DayPage>
  );
}

const words: Record<Decision, string> = {
  one: phrase('one person now'),
  household: phrase('one household'),
  different: phrase('different, and not asked about again'),
};

/** One of the two; what both have alike is soft, what tells them apart is not. */
function Side({ person: p, beside }: { person: Schemas['LikeDto']; beside: Schemas['LikeDto'] }) {
  const { now, zone } = useNow();
  const line = (value: string | null | undefined, other: string | null | undefined, shown = value) =>
    value && <span className={`block ${value === other ? 'text-soft' : 'text-ink'}`}>{shown}</span>;
  return (
    <div className="min-w-0">
      <Link to={`/people/${p.id}`} className="font-semibold text-ink no-underline hover:underline">
        {p.name}
      </Link>
      <div className="text-small break-words">
        {line(p.email, beside.email)}
        {line(p.mobile, beside.mobile, p.mobile && phone(p.mobile))}
        {line(p.otherPhone, beside.otherPhone, p.otherPhone && phone(p.otherPhone))}
        {line(p.address, beside.address, p.address?.replace(/\n/g, ', '))}
        {line(p.stage, beside.stage, p.stage?.split('/')[1])}
        <span className="block text-soft">{phrase('here since {added}', { added: nearDay(p.added, zone, now) })}</span>
      </div>
    </div>
  );
}
