import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'react-router';
import { api, type Schemas, take } from '../../api/client';
import { useNow } from '../../app/session';
import { Button, Empty, Field, fieldError, Loading, Trouble } from '../../ui/bits';
import { DayPage, PageHead } from '../../ui/DayPage';
import { said } from '../../ui/undo';
import { count, day } from '../../ui/when';
import { undoAct } from '../people/acts';

type Kept = Schemas['ListDto'];

/** Lists: people kept together by hand, or as they were when the list was made. */
export default function ListsPage() {
  const lists = useQuery({ queryKey: ['lists'], queryFn: () => take(api.GET('/api/lists')) });
  return (
    <DayPage
      marginTitle="A new list"
      margin={
        <>
          <NewList />
          <p className="mt-5">
            A list has those on it whom somebody put there: it does not change by itself, as a segment does. Put people on one and take them
            off again under <Link to="/people">People</Link> or on their own pages.
          </p>
        </>
      }
    >
      <PageHead
        title="Lists"
        aside={
          <span className="flex gap-5">
            <Link to="/people">All people</Link>
            <Link to="/people/segments">Segments</Link>
          </span>
        }
      />
      {lists.error && (
        <div className="px-7">
          <Trouble error={lists.error} />
        </div>
      )}
      {!lists.data ? (
        <Loading />
      ) : lists.data.length === 0 ? (
        <Empty>There is none yet. Make one at the right, empty or from a segment as it is now.</Empty>
      ) : (
        <ul className="m-0 list-none p-0" aria-label="Lists">
          {lists.data.map((l) => (
            <Line key={l.name} list={l} />
          ))}
        </ul>
      )}
    </DayPage>
  );
}

function Line({ list }: { list: Kept }) {
  const queries = useQueryClient();
  const { now, zone } = useNow();
  const remove = useMutation({
    meta: { says: () => `the list “${list.name}” taken away` },
    mutationFn: () => take(api.DELETE('/api/lists', { params: { query: { name: list.name } } })),
    onSuccess: ({ act, count: n }) => {
      queries.invalidateQueries({ queryKey: ['lists'] });
      queries.invalidateQueries({ queryKey: ['people'] });
      said(
        n === 0 ? `“${list.name}” is taken away.` : `“${list.name}” is taken away; ${count(n, 'person has', 'people have')} left it.`,
        act ? () => undoAct(act, queries) : undefined,
      );
    },
  });
  const made = [
    list.from ? `made from ${list.from}` : '',
    list.by ? `by ${list.by}` : '',
    list.createdAt ? `on ${day(list.createdAt, zone, now)}` : '',
  ].filter(Boolean);
  return (
    <li className="row">
      <span className="gutter tabular-nums">{list.people.toLocaleString('en')}</span>
      <span className="flex flex-wrap items-baseline gap-x-5">
        <Link to={`/people?${new URLSearchParams({ list: list.name })}`} className="font-semibold text-ink no-underline hover:underline">
          {list.name}
        </Link>
        {list.uses.length === 0 && (
          <Button look="danger" disabled={remove.isPending} aria-label={`Take “${list.name}” away`} onClick={() => remove.mutate()}>
            take it away
          </Button>
        )}
      </span>
      {made.length > 0 && <span className="block text-small text-soft">{made.join(' ')}</span>}
      {list.uses.length > 0 && (
        <span className="block text-small text-soft">asked for by {list.uses.map((u) => `“${u}”`).join(', ')}, so it stays</span>
      )}
      <Trouble error={remove.error} />
    </li>
  );
}

function NewList() {
  const queries = useQueryClient();
  const [name, setName] = useState('');
  const [segment, setSegment] = useState('');
  const segments = useQuery({ queryKey: ['segments'], queryFn: () => take(api.GET('/api/segments')) });
  const make = useMutation({
    meta: { says: () => `the list “${name}”` },
    mutationFn: () =>
      take(
        api.POST('/api/lists', {
          body: {
            name,
            ids: null,
            matching: segment ? { search: null, tag: null, stage: null, owner: null, list: null, segment } : null,
          },
        }),
      ),
    onSuccess: ({ act, ...made }) => {
      setName('');
      setSegment('');
      queries.invalidateQueries({ queryKey: ['lists'] });
      queries.invalidateQueries({ queryKey: ['rule-values', 'lists'] });
      said(
        made.count === 0
          ? `“${made.name}” is there; nobody is on it yet.`
          : `“${made.name}” is there, with ${count(made.count, 'person', 'people')}.`,
        act ? () => undoAct(act, queries) : undefined,
      );
    },
  });
  const problem = fieldError(make.error, 'name');
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault();
        make.mutate();
      }}
    >
      <h3>A new list</h3>
      <Field label="What it is called" error={problem}>
        {(id, by) => (
          <input id={id} aria-describedby={by} className="w-full" maxLength={80} value={name} onChange={(e) => setName(e.target.value)} />
        )}
      </Field>
      <Field label="Who is on it to begin with">
        {(id, by) => (
          <select id={id} aria-describedby={by} className="w-full" value={segment} onChange={(e) => setSegment(e.target.value)}>
            <option value="">nobody yet</option>
            {segments.data?.map((s) => (
              <option key={s.id} value={s.id}>
                {s.name}, as it is now
              </option>
            ))}
          </select>
        )}
      </Field>
      {!problem && <Trouble error={make.error} />}
      <Button type="submit" look="main" disabled={!name.trim() || make.isPending}>
        Make the list
      </Button>
    </form>
  );
}
