import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'react-router';
import { api, type Schemas, take } from '../../api/client';
import { Button, Field, fieldError, Trouble } from '../../ui/bits';
import { said } from '../../ui/undo';
import { usePersonChange } from './usePersonChange';
import { WhoField } from './WhoField';

type Someone = { id: string; name: string };

/** Who a person lives with, and who others are to them. */
export function CirclePart({ person }: { person: { id: string; name: string; firstName?: string | null } }) {
  const queries = useQueryClient();
  const [adding, setAdding] = useState<'home' | 'relation'>();
  const circle = useQuery({
    queryKey: ['circle', person.id],
    queryFn: () => take(api.GET('/api/people/{id}/circle', { params: { path: { id: person.id } } })),
  });
  const path = { params: { path: { id: person.id } } };
  const change = usePersonChange(
    person.id,
    ({ says }: { says: string; act: () => Promise<unknown>; back?: () => Promise<unknown> }) => says,
    async ({ says, act, back }) => {
      await act();
      setAdding(undefined);
      const again = () => queries.invalidateQueries({ queryKey: ['circle'] });
      await again();
      if (back) said(says, () => back().then(again));
    },
  );
  if (!circle.data) return <Trouble error={circle.error} />;
  const { household, relations, mayLiveWith, roles } = circle.data;
  const join = (other: Someone) =>
    change.mutate({
      says: `${other.name} and ${person.name} live together`,
      act: () => take(api.POST('/api/people/{id}/household', { ...path, body: { other: other.id } })),
      back: () => take(api.DELETE('/api/people/{id}/household', { params: { path: { id: household ? other.id : person.id } } })),
    });
  const leave = (who: Someone, stays: Someone) =>
    change.mutate({
      says: `${who.name} lives there no longer`,
      act: () => take(api.DELETE('/api/people/{id}/household', { params: { path: { id: who.id } } })),
      back: () => take(api.POST('/api/people/{id}/household', { params: { path: { id: who.id } }, body: { other: stays.id } })),
    });
  const unrelate = (r: Schemas['RelationDto']) =>
    change.mutate({
      says: `${r.person.name} is no longer their ${r.role}`,
      act: () => take(api.DELETE('/api/people/{id}/relations/{relation}', { params: { path: { id: person.id, relation: r.id } } })),
      back: () => take(api.POST('/api/people/{id}/relations', { ...path, body: { other: r.person.id, role: r.role } })),
    });
  return (
    <section aria-label="People around them">
      <h3>
        Lives with{' '}
        <Button
          className="ml-2 font-normal"
          aria-expanded={adding === 'home'}
          onClick={() => setAdding(adding === 'home' ? undefined : 'home')}
        >
          add
        </Button>
      </h3>
      <Trouble error={change.error} />
      {adding === 'home' && <WhoField label="Who lives with them" autoFocus without={person.id} pick={join} />}
      {household ? (
        <>
          <ul className="m-0 list-none p-0">
            {household.others.map((o) => (
              <li key={o.person.id} className="flex items-baseline gap-2 py-0.5">
                <span className="min-w-0 flex-1">
                  <Link to={`/people/${o.person.id}`}>{o.person.name}</Link>
                  {o.address && <span className="block text-small text-ember">has another address: {o.address.replace('\n', ', ')}</span>}
                </span>
                <Button look="plain" aria-label={`${o.person.name} does not live there`} onClick={() => leave(o.person, person)}>
                  take out
                </Button>
              </li>
            ))}
          </ul>
          <Greeting key={household.salutation} personId={person.id} household={household} change={change.mutate} />
          {!household.address && <OneAddress personId={person.id} household={household} change={change.mutate} />}
        </>
      ) : (
        adding !== 'home' && mayLiveWith.length === 0 && <p className="mt-1 mb-3 text-soft">nobody here</p>
      )}
      {mayLiveWith.map((m) => (
        <p key={m.person.id} className="my-1 border-l-2 border-straw pl-2">
          Perhaps <Link to={`/people/${m.person.id}`}>{m.person.name}</Link>: {m.because}.{' '}
          <span className="whitespace-nowrap">
            <Button onClick={() => join(m.person)} aria-label={`${m.person.name} lives with them`}>
              yes
            </Button>{' '}
            <Button
              look="plain"
              className="ml-2"
              aria-label={`${m.person.name} does not live with them`}
              onClick={() =>
                change.mutate({
                  says: `${m.person.name} does not live with ${person.name}`,
                  act: () => take(api.POST('/api/same-people/different', { body: { one: person.id, other: m.person.id } })),
                  back: () =>
                    take(
                      api.DELETE('/api/same-people/different/{one}/{other}', { params: { path: { one: person.id, other: m.person.id } } }),
                    ),
                })
              }
            >
              no
            </Button>
          </span>
        </p>
      ))}
      <h3>
        Others to them{' '}
        <Button
          className="ml-2 font-normal"
          aria-expanded={adding === 'relation'}
          onClick={() => setAdding(adding === 'relation' ? undefined : 'relation')}
        >
          add
        </Button>
      </h3>
      {adding === 'relation' && (
        <NewRelation
          person={person}
          roles={roles}
          error={change.error}
          add={(other, role, back) =>
            change.mutate({
              says: `${other.name} is their ${role}`,
              act: () => take(api.POST('/api/people/{id}/relations', { ...path, body: { other: other.id, role, back: back || null } })),
            })
          }
        />
      )}
      {relations.length === 0 ? (
        adding !== 'relation' && <p className="mt-1 mb-3 text-soft">nobody yet</p>
      ) : (
        <dl className="kv">
          {relations.map((r) => (
            <div key={r.id} className="contents">
              <dt>{r.role}</dt>
              <dd>
                <Link to={`/people/${r.person.id}`}>{r.person.name}</Link>
                {r.became && <span className="text-soft"> · {r.became}</span>}
                <button
                  type="button"
                  className="ml-1 min-w-6 text-soft hover:text-ember"
                  aria-label={`${r.person.name} is not their ${r.role}`}
                  onClick={() => unrelate(r)}
                >
                  ×
                </button>
              </dd>
            </div>
          ))}
        </dl>
      )}
    </section>
  );
}

type Change = (what: { says: string; act: () => Promise<unknown>; back?: () => Promise<unknown> }) => void;

/** How they are greeted together: worked out, or written by hand. */
function Greeting({ personId, household, change }: { personId: string; household: Schemas['HouseholdDto']; change: Change }) {
  const [writing, setWriting] = useState(false);
  const [text, setText] = useState(household.salutation ?? '');
  const path = { params: { path: { id: personId } } };
  const save = (salutation: string) =>
    change({
      says: salutation ? `They are greeted “${salutation}”` : 'Their greeting is worked out again',
      act: () => take(api.PATCH('/api/people/{id}/household', { ...path, body: { salutation } })),
      back: () =>
        take(
          api.PATCH('/api/people/{id}/household', { ...path, body: { salutation: household.written ? (household.salutation ?? '') : '' } }),
        ),
    });
  if (!writing) {
    return (
      <p className="mt-1 mb-3">
        <span className="font-serif">{household.salutation ?? 'no greeting'}</span>
        <span className="text-small text-soft">{household.written ? ', written by hand' : ''}</span>{' '}
        <Button className="ml-1" onClick={() => setWriting(true)} aria-label="Write how they are greeted">
          edit
        </Button>
      </p>
    );
  }
  return (
    <form
      className="mt-1 mb-3"
      onSubmit={(e) => {
        e.preventDefault();
        save(text.trim());
      }}
    >
      <input
        aria-label="How they are greeted"
        className="w-full font-serif"
        autoFocus
        value={text}
        onChange={(e) => setText(e.target.value)}
      />
      <span className="mt-1 flex gap-3">
        <Button type="submit" look="main">
          Save
        </Button>
        {household.written && <Button onClick={() => save('')}>work it out from their names</Button>}
        <Button look="plain" onClick={() => setWriting(false)}>
          leave it
        </Button>
      </span>
    </form>
  );
}

/** Several addresses in one household: one of them is picked for all, or a new one is written. */
function OneAddress({ personId, household, change }: { personId: string; household: Schemas['HouseholdDto']; change: Change }) {
  const [text, setText] = useState(household.others.find((o) => o.address)?.address ?? '');
  const [open, setOpen] = useState(false);
  if (!household.others.some((o) => o.address)) return null;
  if (!open) {
    return (
      <Button className="mb-3" onClick={() => setOpen(true)}>
        one address for all
      </Button>
    );
  }
  return (
    <form
      className="mb-3"
      onSubmit={(e) => {
        e.preventDefault();
        change({
          says: 'one address for the household',
          act: () => take(api.PATCH('/api/people/{id}/household', { params: { path: { id: personId } }, body: { address: text } })),
        });
      }}
    >
      <textarea
        aria-label="The address of them all"
        rows={3}
        className="w-full"
        autoFocus
        value={text}
        onChange={(e) => setText(e.target.value)}
      />
      <Button type="submit" look="main" disabled={!text.trim()}>
        For all of them
      </Button>
    </form>
  );
}

function NewRelation({
  person,
  roles,
  error,
  add,
}: {
  person: { id: string; name: string; firstName?: string | null };
  roles: string[];
  error: unknown;
  add: (other: Someone, role: string, back: string) => void;
}) {
  const [role, setRole] = useState('');
  const [other, setOther] = useState<Someone>();
  const [back, setBack] = useState('');
  const known = roles.some((r) => r.toLowerCase() === role.trim().toLowerCase());
  return (
    <form
      className="mb-3"
      onSubmit={(e) => {
        e.preventDefault();
        if (other) add(other, role.trim(), back.trim());
      }}
    >
      {other ? (
        <p className="my-1">
          {other.name}{' '}
          <Button look="plain" onClick={() => setOther(undefined)}>
            somebody else
          </Button>
        </p>
      ) : (
        <WhoField label="Who" autoFocus without={person.id} pick={setOther} />
      )}
      <Field label={`is the … of ${person.firstName ?? person.name}`} error={fieldError(error, 'role')}>
        {(id, by) => (
          <>
            <input
              id={id}
              aria-describedby={by}
              required
              list="roles-known"
              className="w-full"
              value={role}
              onChange={(e) => setRole(e.target.value)}
            />
            <datalist id="roles-known">
              {roles.map((r) => (
                <option key={r} value={r} />
              ))}
            </datalist>
          </>
        )}
      </Field>
      {role.trim() && !known && other && (
        <Field label={`and ${person.firstName ?? person.name} is their`} error={fieldError(error, 'back')}>
          {(id, by) => (
            <input id={id} aria-describedby={by} required className="w-full" value={back} onChange={(e) => setBack(e.target.value)} />
          )}
        </Field>
      )}
      <Button type="submit" look="main" disabled={!other || !role.trim()}>
        Add
      </Button>
    </form>
  );
}
