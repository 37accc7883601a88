import { useInfiniteQuery, useQuery } from '@tanstack/react-query';
import { useEffect, useRef, useState } from 'react';
import { Link, useSearchParams } from 'react-router';
import { api, take } from '../../api/client';
import { useNow, useSession } from '../../app/session';
import { Button, Empty, Loading, Trouble } from '../../ui/bits';
import { DayPage, PageHead } from '../../ui/DayPage';
import { useKept } from '../../ui/kept';
import { sayOwn } from '../../ui/OwnFieldInput';
import { moment, nearDay } from '../../ui/when';
import { locale, phrase, within } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';
import { partsOf, type Rule } from '../rules/ruleLanguage';
import { SayRules } from '../rules/SayRules';
import { AddPerson } from './AddPerson';
import { Many } from './Many';

const columns = [
  { key: 'name', label: phrase('name') },
  { key: 'stage', label: phrase('stage') },
  { key: 'owner', label: phrase('owner') },
  { key: 'next', label: phrase('next touch') },
  { key: 'last', label: phrase('last touch') },
];

/** Everybody: searched as one types, sorted, and picked for doing something to many. */
export default function PeopleList() {
  const session = useSession().data;
  const { now, zone } = useNow();
  const [query, setQuery] = useSearchParams();
  const [typed, setTyped] = useState(query.get('search') ?? '');
  const [picked, setPicked] = useState<Set<string>>(new Set());
  // Everybody who fits, those too that are not on the page.
  const [everybody, setEverybody] = useState(false);
  const search = query.get('search') ?? '';
  const sort = query.get('sort') ?? 'name';
  const filters = {
    search: search || undefined,
    tag: query.get('tag') || undefined,
    stage: query.get('stage') || undefined,
    owner: query.get('owner') || undefined,
    list: query.get('list') || undefined,
    segment: query.get('segment') || undefined,
    who: query.get('who') || undefined,
  };
  const who = ruleIn(filters.who);
  // Fields of the practice's own that stand as columns, as this machine last showed them; one that is gone is passed over.
  const [shownFields, showFields] = useKept<string[]>('people-columns', []);
  const fields = session?.ownFields ?? [];
  const own = shownFields.flatMap((key) => fields.filter((f) => f.key === key));
  const segments = useQuery({ queryKey: ['segments'], queryFn: () => take(api.GET('/api/segments')) });
  const lists = useQuery({
    queryKey: ['rule-values', 'lists'],
    queryFn: () => take(api.GET('/api/rules/values', { params: { query: { field: 'lists' } } })),
  });

  function set(key: string, value: string) {
    setQuery(
      (q) => {
        if (value) q.set(key, value);
        else q.delete(key);
        return q;
      },
      { replace: true },
    );
  }

  // As one types, with a breath in between.
  useEffect(() => {
    const timer = setTimeout(() => typed !== search && set('search', typed), 150);
    return () => clearTimeout(timer);
  });

  const people = useInfiniteQuery({
    queryKey: ['people', filters, sort],
    initialPageParam: undefined as string | undefined,
    queryFn: ({ pageParam }) => take(api.GET('/api/people', { params: { query: { ...filters, sort, after: pageParam, most: 60 } } })),
    getNextPageParam: (page) => page.next ?? undefined,
    placeholderData: (before) => before,
  });
  const total = useQuery({
    queryKey: ['people', 'count', filters],
    queryFn: () => take(api.GET('/api/people/count', { params: { query: filters } })),
  });
  const rows = people.data?.pages.flatMap((p) => p.rows) ?? [];

  // The next page is fetched when the end of the list comes near.
  const end = useRef<HTMLDivElement>(null);
  useEffect(() => {
    const watcher = new IntersectionObserver(
      (seen) => seen[0]?.isIntersecting && people.hasNextPage && !people.isFetchingNextPage && people.fetchNextPage(),
      { rootMargin: '600px' },
    );
    if (end.current) watcher.observe(end.current);
    return () => watcher.disconnect();
  }, [people]);

  // What is filtered by, as a rule says it; words that are searched for are no rule.
  const segment = segments.data?.find((s) => s.id === filters.segment);
  const sentences: Rule[] = [
    ...(filters.stage ? [{ field: 'stage', op: 'is', value: filters.stage } as const] : []),
    ...(filters.owner ? [{ field: 'owner', op: 'is', value: filters.owner } as const] : []),
    ...(filters.tag ? [{ field: 'tags', op: 'has', value: filters.tag } as const] : []),
    ...(filters.list ? [{ field: 'lists', op: 'has', value: filters.list } as const] : []),
    ...partsOf(who),
    ...(segment && !segment.mine ? [{ field: 'segment', op: 'has', value: segment.name } as const] : []),
  ];
  const filtered = Object.values(filters).some(Boolean);
  const all = rows.length > 0 && rows.every((r) => picked.has(r.id));
  const fitting = total.data?.count ?? 0;
  const allThatFit = {
    people: {
      matching: {
        search: search || null,
        tag: filters.tag ?? null,
        stage: filters.stage ?? null,
        owner: filters.owner ?? null,
        list: filters.list ?? null,
        segment: filters.segment ?? null,
        who: filters.who ?? null,
      },
    },
    count: fitting,
  };
  function pick(who: Set<string>, andTheRest = false) {
    setPicked(who);
    setEverybody(andTheRest);
  }

  // Others fit now.
  const fits = JSON.stringify(filters);
  useEffect(() => setEverybody(false), [fits]);

  return (
    <DayPage
      marginTitle={phrase('With those picked')}
      margin={
        <Many
          picked={everybody ? allThatFit : { people: { ids: [...picked] }, count: picked.size }}
          fitting={allThatFit}
          clear={() => pick(new Set())}
        />
      }
    >
      <PageHead
        title={phrase('People')}
        aside={
          <span className="flex flex-wrap gap-x-5 gap-y-1">
            <span aria-live="polite">
              {total.data &&
                (fitting > 10_000 ? phrase('over 10,000') : phrase('{fitting, plural, one {# person} other {# people}}', { fitting }))}
            </span>
            <AddPerson />
            <Link to="/people/segments" className="no-underline hover:underline">
              {phrase('Segments')}
            </Link>
            <Link to="/people/lists" className="no-underline hover:underline">
              {phrase('Lists')}
            </Link>
            <Link to="/people/consent" className="no-underline hover:underline">
              {phrase('May we')}
            </Link>
            <Link to="/people/same" className="no-underline hover:underline">
              {phrase('May be the same')}
            </Link>
            <Link to="/people/bring-in" className="no-underline hover:underline">
              {phrase('Bring people in')}
            </Link>
          </span>
        }
      >
        <div className="mt-3 flex flex-wrap items-center gap-3 text-small">
          <input
            aria-label={phrase('Search by name, address or number')}
            placeholder={phrase('name, address or number')}
            className="w-64"
            value={typed}
            onChange={(e) => setTyped(e.target.value)}
          />
          <Choice
            label={phrase('Stage')}
            value={filters.stage ?? ''}
            set={(v) => set('stage', v)}
            options={session?.stages.map((s) => [s, s.split('/')[1] ?? s]) ?? []}
          />
          <Choice
            label={phrase('Owner')}
            value={filters.owner ?? ''}
            set={(v) => set('owner', v)}
            options={session?.members.map((m) => [m.id, m.name]) ?? []}
          />
          <Choice
            label={phrase('Tag')}
            value={filters.tag ?? ''}
            set={(v) => set('tag', v)}
            options={session?.tags.map((t) => [t, t]) ?? []}
          />
          {(lists.data?.length ?? 0) > 0 && (
            <Choice
              label={phrase('List')}
              value={filters.list ?? ''}
              set={(v) => set('list', v)}
              options={lists.data?.map((l) => [l.value, l.words]) ?? []}
            />
          )}
          {(segments.data?.length ?? 0) > 0 && (
            <Choice
              label={phrase('Segment')}
              value={filters.segment ?? ''}
              set={(v) => set('segment', v)}
              options={segments.data?.map((s) => [s.id, s.name]) ?? []}
            />
          )}
          {fields.length > own.length && (
            <select
              aria-label={phrase('Show a field of your own')}
              className="max-w-44 text-soft"
              value=""
              onChange={(e) => showFields([...shownFields, e.target.value])}
            >
              <option value="">{phrase('a column more')}</option>
              {fields
                .filter((f) => !own.includes(f))
                .map((f) => (
                  <option key={f.key} value={f.key}>
                    {f.name}
                  </option>
                ))}
            </select>
          )}
          <span>
            <Sentence
              m="{some, select, true {who {rules}} other {{rules}}}"
              v={{
                some: String(Boolean(who)),
                rules: (
                  <SayRules
                    rule={who}
                    label={phrase('Who else is meant')}
                    none={phrase('anything else')}
                    set={(rule) => set('who', rule ? JSON.stringify(rule) : '')}
                  />
                ),
              }}
            />
          </span>
          {sentences.length > 0 && (
            <Link to={`/people/segments/new?${new URLSearchParams({ rule: JSON.stringify({ all: sentences }) })}`}>
              {phrase('keep as a segment')}
            </Link>
          )}
        </div>
      </PageHead>
      {people.error && (
        <div className="px-7">
          <Trouble error={people.error} />
        </div>
      )}
      {people.isPending ? (
        <Loading />
      ) : rows.length === 0 ? (
        <Empty>
          {filtered ? (
            phrase('Nobody fits. Try fewer letters, or take a filter off.')
          ) : (
            <Sentence
              m="Nobody is here yet. <link>Bring people in</link> from the list you have, as it is."
              v={{ link: (c) => <Link to="/people/bring-in">{c}</Link> }}
            />
          )}
        </Empty>
      ) : (
        <div className="overflow-x-auto">
          <table className="w-full border-collapse text-small">
            <thead>
              <tr className="border-t border-ink text-left text-soft">
                <th className="w-[54px] py-1.5 pr-3 pl-7 max-[699px]:pl-4">
                  <input
                    type="checkbox"
                    aria-label={phrase('Pick all shown')}
                    checked={all}
                    onChange={() => pick(all ? new Set() : new Set(rows.map((r) => r.id)))}
                  />
                </th>
                {columns.map((c) => {
                  const own = sort.replace('-', '') === c.key;
                  return (
                    <th
                      key={c.key}
                      className="py-1.5 pr-3 font-normal"
                      aria-sort={own ? (sort.startsWith('-') ? 'descending' : 'ascending') : 'none'}
                    >
                      <button
                        type="button"
                        className={own ? 'font-semibold text-ink' : ''}
                        onClick={() => set('sort', sort === c.key ? `-${c.key}` : c.key)}
                      >
                        {c.label}
                        {own ? (sort.startsWith('-') ? ' ↓' : ' ↑') : ''}
                      </button>
                    </th>
                  );
                })}
                {own.map((f) => (
                  <th key={f.key} className="py-1.5 pr-3 font-normal whitespace-nowrap">
                    {f.name}{' '}
                    <button
                      type="button"
                      aria-label={phrase('Do not show {name}', { name: f.name })}
                      className="px-1 text-soft hover:text-ember"
                      onClick={() => showFields(shownFields.filter((key) => key !== f.key))}
                    >
                      ×
                    </button>
                  </th>
                ))}
                <th className="py-1.5 pr-7 font-normal">{phrase('tags')}</th>
              </tr>
              {/* After the box that picks all, in the order one comes to it. */}
              {all && fitting > rows.length && (
                <tr>
                  <td colSpan={columns.length + own.length + 2} className="border-t border-rule bg-picked px-7 py-2">
                    <p className="m-0" role="status">
                      {everybody ? (
                        <Sentence
                          m="All {fitting}who fit are picked. <button>Only the {picked, number} shown</button>"
                          v={{
                            fitting: fitting > 10_000 ? '' : `${fitting.toLocaleString(locale())} `,
                            picked: picked.size,
                            button: (c) => <Button onClick={() => pick(picked)}>{c}</Button>,
                          }}
                        />
                      ) : (
                        <Sentence
                          m="The {picked, number} shown are picked. <button>Pick all {fitting}who fit</button>"
                          v={{
                            picked: picked.size,
                            fitting: fitting > 10_000 ? '' : `${fitting.toLocaleString(locale())} `,
                            button: (c) => <Button onClick={() => pick(picked, true)}>{c}</Button>,
                          }}
                        />
                      )}
                    </p>
                  </td>
                </tr>
              )}
            </thead>
            <tbody>
              {rows.map((p) => (
                <tr key={p.id} className={`border-t border-rule ${picked.has(p.id) ? 'bg-picked' : ''}`}>
                  <td className="py-2 pr-3 pl-7 max-[699px]:pl-4">
                    <input
                      type="checkbox"
                      aria-label={phrase('Pick {name}', { name: p.name })}
                      checked={picked.has(p.id)}
                      onChange={() => {
                        const next = new Set(picked);
                        if (!next.delete(p.id)) next.add(p.id);
                        pick(next);
                      }}
                    />
                  </td>
                  <td className="py-2 pr-3">
                    <Link to={`/people/${p.id}`} className="text-base font-semibold text-ink no-underline hover:underline">
                      {p.name}
                    </Link>
                    {p.doNotContact && <span className="text-ember">{phrase(' · do not contact')}</span>}
                  </td>
                  <td className="py-2 pr-3">{p.stage?.split('/')[1]}</td>
                  <td className="py-2 pr-3">{p.owner}</td>
                  <td className="py-2 pr-3 whitespace-nowrap" title={p.nextTouch ? moment(p.nextTouch, zone) : undefined}>
                    {p.nextTouch && nearDay(p.nextTouch, zone, now)}
                  </td>
                  <td className="py-2 pr-3 whitespace-nowrap text-soft" title={p.lastTouch ? moment(p.lastTouch, zone) : undefined}>
                    {p.lastTouch && nearDay(p.lastTouch, zone, now)}
                  </td>
                  {own.map((f) => (
                    <td key={f.key} className="max-w-44 truncate py-2 pr-3">
                      {p.own[f.key] && sayOwn(f.kind, p.own[f.key] ?? '')}
                    </td>
                  ))}
                  <td className="max-w-52 truncate py-2 pr-7 text-soft">{p.tags.join(', ')}</td>
                </tr>
              ))}
            </tbody>
          </table>
          <div ref={end} className="px-7 py-3 text-small text-soft" role="status">
            {people.isFetchingNextPage
              ? phrase('more …')
              : people.hasNextPage
                ? ''
                : filtered
                  ? phrase('That is everybody who fits.')
                  : phrase('That is everybody.')}
          </div>
        </div>
      )}
    </DayPage>
  );
}

/** A rule as it stands in the address; what is none is passed over. */
function ruleIn(text: string | undefined): Rule | undefined {
  if (!text) return;
  try {
    const rule: unknown = JSON.parse(text);
    return typeof rule === 'object' && rule !== null && ['all', 'any', 'not', 'field'].some((k) => k in rule) ? (rule as Rule) : undefined;
  } catch {
    return;
  }
}

function Choice({ label, value, set, options }: { label: string; value: string; set: (value: string) => void; options: string[][] }) {
  return (
    <select aria-label={label} value={value} onChange={(e) => set(e.target.value)} className={`max-w-44 ${value ? '' : 'text-soft'}`}>
      <option value="">{phrase('any {label}', { label: within(label) })}</option>
      {options.map(([v, name]) => (
        <option key={v} value={v}>
          {name}
        </option>
      ))}
    </select>
  );
}
