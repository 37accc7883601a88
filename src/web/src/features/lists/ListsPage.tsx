import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'react-router';
import { api, type Schemas, take } from '../../api/client';
import { useNow } from '../../app/session';
import { Button, Empty, Field, fieldError, Loading, Trouble } from '../../ui/bits';
import { DayPage, PageHead } from '../../ui/DayPage';
import { said } from '../../ui/undo';
import { day } from '../../ui/when';
import { locale, phrase, quoted } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';
import { undoAct } from '../people/acts';

type Kept = Schemas['ListDto'];

/** Lists: people kept together by hand, or as they were when the list was made. */
export default function ListsPage() {
  const lists = useQuery({ queryKey: ['lists'], queryFn: () => take(api.GET('/api/lists')) });
  return (
    <DayPage
      marginTitle={phrase('A new list')}
      margin={
        <>
          <NewList />
          <p className="mt-5">
            <Sentence
              m="A list has those on it whom somebody put there: it does not change by itself, as a segment does. Put people on one and take them off again under <link>People</link> or on their own pages."
              v={{ link: (c) => <Link to="/people">{c}</Link> }}
            />
          </p>
        </>
      }
    >
      <PageHead
        title={phrase('Lists')}
        aside={
          <span className="flex gap-5">
            <Link to="/people">{phrase('All people')}</Link>
            <Link to="/people/segments">{phrase('Segments')}</Link>
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
        <Empty>{phrase('There is none yet. Make one at the right, empty or from a segment as it is now.')}</Empty>
      ) : (
        <ul className="m-0 list-none p-0" aria-label={phrase('Lists')}>
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
    meta: { says: () => phrase('the list “{list}” taken away', { list: list.name }) },
    mutationFn: () => take(api.DELETE('/api/lists', { params: { query: { name: list.name } } })),
    onSuccess: ({ act, count: n }) => {
      queries.invalidateQueries({ queryKey: ['lists'] });
      queries.invalidateQueries({ queryKey: ['people'] });
      said(
        n === 0
          ? phrase('“{list}” is taken away.', { list: list.name })
          : phrase('“{list}” is taken away; {n, plural, one {# person has} other {# people have}} left it.', { list: list.name, n }),
        act ? () => undoAct(act, queries) : undefined,
      );
    },
  });
  const made = [
    list.from ? phrase('made from {from}', { from: list.from }) : '',
    list.by ? phrase('by {by}', { by: list.by }) : '',
    list.createdAt ? phrase('on {createdAt}', { createdAt: day(list.createdAt, zone, now) }) : '',
  ].filter(Boolean);
  return (
    <li className="row">
      <span className="gutter tabular-nums">{list.people.toLocaleString(locale())}</span>
      <span className="flex flex-wrap items-baseline gap-x-5">
        <Link to={`/people?${new URLSearchParams({ list: list.name })}`} className="font-semibold text-ink no-underline hover:underline">
          {list.name}
        </Link>
        {list.uses.length === 0 && (
          <Button
            look="danger"
            disabled={remove.isPending}
            aria-label={phrase('Take “{list}” away', { list: list.name })}
            onClick={() => remove.mutate()}
          >
            {phrase('take it away')}
          </Button>
        )}
      </span>
      {made.length > 0 && <span className="block text-small text-soft">{made.join(' ')}</span>}
      {list.uses.length > 0 && (
        <span className="block text-small text-soft">
          {phrase('asked for by {uses}, so it stays', { uses: list.uses.map((u) => quoted(u)).join(', ') })}
        </span>
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
    meta: { says: () => phrase('the list “{name}”', { name }) },
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
          ? phrase('“{made}” is there; nobody is on it yet.', { made: made.name })
          : phrase('“{made}” is there, with {count, plural, one {# person} other {# people}}.', { made: made.name, count: made.count }),
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
      <h3>{phrase('A new list')}</h3>
      <Field label={phrase('What it is called')} error={problem}>
        {(id, by) => (
          <input id={id} aria-describedby={by} className="w-full" maxLength={80} value={name} onChange={(e) => setName(e.target.value)} />
        )}
      </Field>
      <Field label={phrase('Who is on it to begin with')}>
        {(id, by) => (
          <select id={id} aria-describedby={by} className="w-full" value={segment} onChange={(e) => setSegment(e.target.value)}>
            <option value="">{phrase('nobody yet')}</option>
            {segments.data?.map((s) => (
              <option key={s.id} value={s.id}>
                {phrase('{name}, as it is now', { name: s.name })}
              </option>
            ))}
          </select>
        )}
      </Field>
      {!problem && <Trouble error={make.error} />}
      <Button type="submit" look="main" disabled={!name.trim() || make.isPending}>
        {phrase('Make the list')}
      </Button>
    </form>
  );
}
