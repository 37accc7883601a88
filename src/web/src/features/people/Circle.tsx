import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'react-router';
import { api, type Schemas, take } from '../../api/client';
import { Button, Field, fieldError, Trouble } from '../../ui/bits';
import { said } from '../../ui/undo';
import { phrase } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';
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
      says: phrase('{other} and {person} live together', { other: other.name, person: person.name }),
      act: () => take(api.POST('/api/people/{id}/household', { ...path, body: { other: other.id } })),
      back: () => take(api.DELETE('/api/people/{id}/household', { params: { path: { id: household ? other.id : person.id } } })),
    });
  const leave = (who: Someone, stays: Someone) =>
    change.mutate({
      says: phrase('{who} lives there no longer', { who: who.name }),
      act: () => take(api.DELETE('/api/people/{id}/household', { params: { path: { id: who.id } } })),
      back: () => take(api.POST('/api/people/{id}/household', { params: { path: { id: who.id } }, body: { other: stays.id } })),
    });
  const unrelate = (r: Schemas['RelationDto']) =>
    change.mutate({
      says: phrase('{person} is no longer their {role}', { person: r.person.name, role: r.role }),
      act: () => take(api.DELETE('/api/people/{id}/relations/{relation}', { params: { path: { id: person.id, relation: r.id } } })),
      back: () => take(api.POST('/api/people/{id}/relations', { ...path, body: { other: r.person.id, role: r.role } })),
    });
  return (
    <section aria-label={phrase('People around them')}>
      <h3>
        <Sentence
          m="Lives with <button>add</button>"
          v={{
            button: (c) => (
              <Button
                className="ml-2 font-normal"
                aria-expanded={adding === 'home'}
                onClick={() => setAdding(adding === 'home' ? undefined : 'home')}
              >
                {c}
              </Button>
            ),
          }}
        />
      </h3>
      <Trouble error={change.error} />
      {adding === 'home' && <WhoField label={phrase('Who lives with them')} autoFocus without={person.id} pick={join} />}
      {household ? (
        <>
          <ul className="m-0 list-none p-0">
            {household.others.map((o) => (
              <li key={o.person.id} className="flex items-baseline gap-2 py-0.5">
                <span className="min-w-0 flex-1">
                  <Link to={`/people/${o.person.id}`}>{o.person.name}</Link>
                  {o.address && (
                    <span className="block text-small text-ember">
                      {phrase('has another address: {address}', { address: o.address.replace('\n', ', ') })}
                    </span>
                  )}
                </span>
                <Button
                  look="plain"
                  aria-label={phrase('{person} does not live there', { person: o.person.name })}
                  onClick={() => leave(o.person, person)}
                >
                  {phrase('take out')}
                </Button>
              </li>
            ))}
          </ul>
          <Greeting key={household.salutation} personId={person.id} household={household} change={change.mutate} />
          {!household.address && <OneAddress personId={person.id} household={household} change={change.mutate} />}
        </>
      ) : (
        adding !== 'home' && mayLiveWith.length === 0 && <p className="mt-1 mb-3 text-soft">{phrase('nobody here')}</p>
      )}
      {mayLiveWith.map((m) => (
        <p key={m.person.id} className="my-1 border-l-2 border-straw pl-2">
          <Sentence
            m="Perhaps {link}: {because}. {span}"
            v={{
              link: <Link to={`/people/${m.person.id}`}>{m.person.name}</Link>,
              because: m.because,
              span: (
                <span className="whitespace-nowrap">
                  <Button onClick={() => join(m.person)} aria-label={phrase('{person} lives with them', { person: m.person.name })}>
                    {phrase('yes')}
                  </Button>{' '}
                  <Button
                    look="plain"
                    className="ml-2"
                    aria-label={phrase('{person} does not live with them', { person: m.person.name })}
                    onClick={() =>
                      change.mutate({
                        says: phrase('{person} does not live with {person2}', { person: m.person.name, person2: person.name }),
                        act: () => take(api.POST('/api/same-people/different', { body: { one: person.id, other: m.person.id } })),
                        back: () =>
                          take(
                            api.DELETE('/api/same-people/different/{one}/{other}', {
                              params: { path: { one: person.id, other: m.person.id } },
                            }),
                          ),
                      })
                    }
                  >
                    {phrase('no')}
                  </Button>
                </span>
              ),
            }}
          />
        </p>
      ))}
      <h3>
        <Sentence
          m="Others to them <button>add</button>"
          v={{
            button: (c) => (
              <Button
                className="ml-2 font-normal"
                aria-expanded={adding === 'relation'}
                onClick={() => setAdding(adding === 'relation' ? undefined : 'relation')}
              >
                {c}
              </Button>
            ),
          }}
        />
      </h3>
      {adding === 'relation' && (
        <NewRelation
          person={person}
          roles={roles}
          error={change.error}
          add={(other, role, back) =>
            change.mutate({
              says: phrase('{other} is their {role}', { other: other.name, role }),
              act: () => take(api.POST('/api/people/{id}/relations', { ...path, body: { other: other.id, role, back: back || null } })),
            })
          }
        />
      )}
      {relations.length === 0 ? (
        adding !== 'relation' && <p className="mt-1 mb-3 text-soft">{phrase('nobody yet')}</p>
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
                  aria-label={phrase('{person} is not their {role}', { person: r.person.name, role: r.role })}
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
      says: salutation ? phrase('They are greeted “{salutation}”', { salutation }) : phrase('Their greeting is worked out again'),
      act: () => take(api.PATCH('/api/people/{id}/household', { ...path, body: { salutation } })),
      back: () =>
        take(
          api.PATCH('/api/people/{id}/household', { ...path, body: { salutation: household.written ? (household.salutation ?? '') : '' } }),
        ),
    });
  if (!writing) {
    return (
      <p className="mt-1 mb-3">
        <span className="font-serif">{household.salutation ?? phrase('no greeting')}</span>
        <span className="text-small text-soft">{household.written ? phrase(', written by hand') : ''}</span>{' '}
        <Button className="ml-1" onClick={() => setWriting(true)} aria-label={phrase('Write how they are greeted')}>
          {phrase('edit')}
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
        aria-label={phrase('How they are greeted')}
        className="w-full font-serif"
        autoFocus
        value={text}
        onChange={(e) => setText(e.target.value)}
      />
      <span className="mt-1 flex gap-3">
        <Button type="submit" look="main">
          {phrase('Save')}
        </Button>
        {household.written && <Button onClick={() => save('')}>{phrase('work it out from their names')}</Button>}
        <Button look="plain" onClick={() => setWriting(false)}>
          {phrase('leave it')}
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
        {phrase('one address for all')}
      </Button>
    );
  }
  return (
    <form
      className="mb-3"
      onSubmit={(e) => {
        e.preventDefault();
        change({
          says: phrase('one address for the household'),
          act: () => take(api.PATCH('/api/people/{id}/household', { params: { path: { id: personId } }, body: { address: text } })),
        });
      }}
    >
      <textarea
        aria-label={phrase('The address of them all')}
        rows={3}
        className="w-full"
        autoFocus
        value={text}
        onChange={(e) => setText(e.target.value)}
      />
      <Button type="submit" look="main" disabled={!text.trim()}>
        {phrase('For all of them')}
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
            {phrase('somebody else')}
          </Button>
        </p>
      ) : (
        <WhoField label={phrase('Who')} autoFocus without={person.id} pick={setOther} />
      )}
      <Field label={phrase('is the … of {firstName}', { firstName: person.firstName ?? person.name })} error={fieldError(error, 'role')}>
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
        <Field label={phrase('and {firstName} is their', { firstName: person.firstName ?? person.name })} error={fieldError(error, 'back')}>
          {(id, by) => (
            <input id={id} aria-describedby={by} required className="w-full" value={back} onChange={(e) => setBack(e.target.value)} />
          )}
        </Field>
      )}
      <Button type="submit" look="main" disabled={!other || !role.trim()}>
        {phrase('Add')}
      </Button>
    </form>
  );
}
