import { useInfiniteQuery, useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { Popover } from 'radix-ui';
import { type ReactNode, useEffect, useRef, useState } from 'react';
import { Link, useNavigate, useSearchParams } from 'react-router';
import { toast } from 'sonner';
import { api, take } from '../../api/client';
import { useNow, useSession } from '../../app/session';
import { Button, Empty, Field, fieldError, Loading, Trouble } from '../../ui/bits';
import { DayPage, PageHead } from '../../ui/DayPage';
import { count, moment, nearDay } from '../../ui/when';

const columns = [
  { key: 'name', label: 'name' },
  { key: 'stage', label: 'stage' },
  { key: 'owner', label: 'owner' },
  { key: 'next', label: 'next touch' },
  { key: 'last', label: 'last touch' },
];

/** Everybody: searched as one types, sorted, and picked for doing something to many. */
export default function PeopleList() {
  const session = useSession().data;
  const { now, zone } = useNow();
  const [query, setQuery] = useSearchParams();
  const [typed, setTyped] = useState(query.get('search') ?? '');
  const [picked, setPicked] = useState<Set<string>>(new Set());
  const search = query.get('search') ?? '';
  const sort = query.get('sort') ?? 'name';
  const filters = {
    search: search || undefined,
    tag: query.get('tag') || undefined,
    stage: query.get('stage') || undefined,
    owner: query.get('owner') || undefined,
  };

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

  const filtered = Object.values(filters).some(Boolean);
  const all = rows.length > 0 && rows.every((r) => picked.has(r.id));

  return (
    <DayPage marginTitle="With those picked" margin={<Picked ids={[...picked]} clear={() => setPicked(new Set())} />}>
      <PageHead
        title="People"
        aside={
          <span className="flex gap-5">
            <span aria-live="polite">
              {total.data && (total.data.count > 10_000 ? 'over 10,000' : count(total.data.count, 'person', 'people'))}
            </span>
            <AddPerson />
            <Link to="/people/bring-in" className="no-underline hover:underline">
              Bring people in
            </Link>
          </span>
        }
      >
        <div className="mt-3 flex flex-wrap items-center gap-3 text-small">
          <input
            aria-label="Search by name, address or number"
            placeholder="name, address or number"
            className="w-64"
            value={typed}
            onChange={(e) => setTyped(e.target.value)}
          />
          <Choice
            label="Stage"
            value={filters.stage ?? ''}
            set={(v) => set('stage', v)}
            options={session?.stages.map((s) => [s, s.split('/')[1] ?? s]) ?? []}
          />
          <Choice
            label="Owner"
            value={filters.owner ?? ''}
            set={(v) => set('owner', v)}
            options={session?.members.map((m) => [m.id, m.name]) ?? []}
          />
          <Choice label="Tag" value={filters.tag ?? ''} set={(v) => set('tag', v)} options={session?.tags.map((t) => [t, t]) ?? []} />
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
            'Nobody fits. Try fewer letters, or take a filter off.'
          ) : (
            <>
              Nobody is here yet. <Link to="/people/bring-in">Bring people in</Link> from the list you have, as it is.
            </>
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
                    aria-label="Pick all shown"
                    checked={all}
                    onChange={() => setPicked(all ? new Set() : new Set(rows.map((r) => r.id)))}
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
                <th className="py-1.5 pr-7 font-normal">tags</th>
              </tr>
            </thead>
            <tbody>
              {rows.map((p) => (
                <tr key={p.id} className={`border-t border-rule ${picked.has(p.id) ? 'bg-picked' : ''}`}>
                  <td className="py-2 pr-3 pl-7 max-[699px]:pl-4">
                    <input
                      type="checkbox"
                      aria-label={`Pick ${p.name}`}
                      checked={picked.has(p.id)}
                      onChange={() => {
                        const next = new Set(picked);
                        if (!next.delete(p.id)) next.add(p.id);
                        setPicked(next);
                      }}
                    />
                  </td>
                  <td className="py-2 pr-3">
                    <Link to={`/people/${p.id}`} className="text-base font-semibold text-ink no-underline hover:underline">
                      {p.name}
                    </Link>
                    {p.doNotContact && <span className="text-ember"> · do not contact</span>}
                  </td>
                  <td className="py-2 pr-3">{p.stage?.split('/')[1]}</td>
                  <td className="py-2 pr-3">{p.owner}</td>
                  <td className="py-2 pr-3 whitespace-nowrap" title={p.nextTouch ? moment(p.nextTouch, zone) : undefined}>
                    {p.nextTouch && nearDay(p.nextTouch, zone, now)}
                  </td>
                  <td className="py-2 pr-3 whitespace-nowrap text-soft" title={p.lastTouch ? moment(p.lastTouch, zone) : undefined}>
                    {p.lastTouch && nearDay(p.lastTouch, zone, now)}
                  </td>
                  <td className="max-w-52 truncate py-2 pr-7 text-soft">{p.tags.join(', ')}</td>
                </tr>
              ))}
            </tbody>
          </table>
          <div ref={end} className="px-7 py-3 text-small text-soft" role="status">
            {people.isFetchingNextPage
              ? 'more …'
              : people.hasNextPage
                ? ''
                : filtered
                  ? 'That is everybody who fits.'
                  : 'That is everybody.'}
          </div>
        </div>
      )}
    </DayPage>
  );
}

function Choice({ label, value, set, options }: { label: string; value: string; set: (value: string) => void; options: string[][] }) {
  return (
    <select aria-label={label} value={value} onChange={(e) => set(e.target.value)} className={`max-w-44 ${value ? '' : 'text-soft'}`}>
      <option value="">{`any ${label.toLowerCase()}`}</option>
      {options.map(([v, name]) => (
        <option key={v} value={v}>
          {name}
        </option>
      ))}
    </select>
  );
}

/** What can be done to those who are picked. */
function Picked({ ids, clear }: { ids: string[]; clear: () => void }) {
  const session = useSession().data;
  const queries = useQueryClient();
  const programs = useQuery({ queryKey: ['programs'], queryFn: () => take(api.GET('/api/programs')) });
  const [tag, setTag] = useState('');
  const [stage, setStage] = useState('');
  const [program, setProgram] = useState('');
  const body = { ids, tag: null, stage: null, program: null };
  const act = useMutation({
    mutationFn: (what: 'tag' | 'stage' | 'start') =>
      take(
        what === 'tag'
          ? api.POST('/api/people/tag', { body: { ...body, tag } })
          : what === 'stage'
            ? api.POST('/api/people/stage', { body: { ...body, stage } })
            : api.POST('/api/people/start', { body: { ...body, program } }),
      ),
    onSuccess: (answer, what) => {
      const n = count(answer.count, 'person', 'people');
      toast(
        what === 'tag'
          ? `“${tag}” put on ${n}`
          : what === 'stage'
            ? `${n} moved to ${stage.split('/')[1]}`
            : `The program was asked to start for ${n}; Today shows any it refused`,
      );
      if (what === 'tag') queries.invalidateQueries({ queryKey: ['session'] });
      queries.invalidateQueries({ queryKey: ['people'] });
      clear();
      setTag('');
    },
  });
  if (ids.length === 0) {
    return (
      <>
        <h3>With those picked</h3>
        <p className="mt-1">
          Pick people by the boxes at the left, then put a tag on them, move their stage, or start a program for them here.
        </p>
      </>
    );
  }
  const on = programs.data?.filter((p) => p.status === 'on') ?? [];
  return (
    <>
      <h2>{count(ids.length, 'person', 'people')}</h2>
      <Button look="plain" className="mb-4" onClick={clear}>
        pick nobody
      </Button>
      <Doing
        label="Put on a tag"
        error={fieldError(act.error, 'tag')}
        disabled={!tag.trim() || act.isPending}
        go={() => act.mutate('tag')}
        word="Put on"
      >
        {(id, by) => (
          <>
            <input
              id={id}
              aria-describedby={by}
              list="tags-known"
              value={tag}
              onChange={(e) => setTag(e.target.value)}
              className="min-w-0 flex-1"
            />
            <datalist id="tags-known">
              {session?.tags.map((t) => (
                <option key={t} value={t} />
              ))}
            </datalist>
          </>
        )}
      </Doing>
      <Doing
        label="Change the stage"
        error={fieldError(act.error, 'stage')}
        disabled={!stage || act.isPending}
        go={() => act.mutate('stage')}
        word="Move"
      >
        {(id, by) => (
          <select id={id} aria-describedby={by} value={stage} onChange={(e) => setStage(e.target.value)} className="min-w-0 flex-1">
            <option value="">choose</option>
            {session?.stages.map((s) => (
              <option key={s} value={s}>
                {s.split('/')[1]}
              </option>
            ))}
          </select>
        )}
      </Doing>
      <Doing
        label="Start a program"
        error={fieldError(act.error, 'program')}
        disabled={!program || act.isPending}
        go={() => act.mutate('start')}
        word="Start"
      >
        {(id, by) => (
          <select id={id} aria-describedby={by} value={program} onChange={(e) => setProgram(e.target.value)} className="min-w-0 flex-1">
            <option value="">choose</option>
            {on.map((p) => (
              <option key={p.id} value={p.id}>
                {p.name}
              </option>
            ))}
          </select>
        )}
      </Doing>
      <Trouble error={act.error} />
    </>
  );
}

function Doing({
  label,
  error,
  disabled,
  go,
  word,
  children,
}: {
  label: string;
  error?: string;
  disabled: boolean;
  go: () => void;
  word: string;
  children: (id: string, by: string | undefined) => ReactNode;
}) {
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault();
        go();
      }}
    >
      <Field label={label} error={error}>
        {(id, by) => (
          <span className="flex gap-2 text-ink">
            {children(id, by)}
            <Button type="submit" disabled={disabled}>
              {word}
            </Button>
          </span>
        )}
      </Field>
    </form>
  );
}

/** One person by hand. */
function AddPerson() {
  const go = useNavigate();
  const [open, setOpen] = useState(false);
  const [fields, setFields] = useState({ firstName: '', lastName: '', email: '', mobile: '' });
  const add = useMutation({
    mutationFn: () => take(api.POST('/api/people', { body: fields })),
    onSuccess: (p) => go(`/people/${p.id}`),
  });
  const inputs: [keyof typeof fields, string][] = [
    ['firstName', 'First name'],
    ['lastName', 'Last name'],
    ['email', 'Email'],
    ['mobile', 'Mobile'],
  ];
  return (
    <Popover.Root open={open} onOpenChange={setOpen}>
      <Popover.Trigger className="text-leaf hover:underline">Add somebody</Popover.Trigger>
      <Popover.Portal>
        <Popover.Content className="float w-72 p-4" align="end" sideOffset={6} aria-label="Add somebody">
          <form
            onSubmit={(e) => {
              e.preventDefault();
              add.mutate();
            }}
          >
            {inputs.map(([key, label]) => (
              <Field key={key} label={label} error={fieldError(add.error, key)}>
                {(id, by) => (
                  <input
                    id={id}
                    aria-describedby={by}
                    className="w-full"
                    value={fields[key]}
                    onChange={(e) => setFields({ ...fields, [key]: e.target.value })}
                  />
                )}
              </Field>
            ))}
            <Button type="submit" look="main" disabled={add.isPending}>
              Add
            </Button>
          </form>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
