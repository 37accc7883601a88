import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';
import { api, type Schemas, take } from '../../api/client';
import { Button } from '../../ui/bits';
import { ownFieldKinds } from '../../ui/OwnFieldInput';
import { phrase, quoted } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';

type OwnField = Schemas['OwnFieldDto'];

/** The fields of people that the practice names itself. A name can be changed freely; taking one out says who uses it first. */
export function OwnFieldsList({ fields, set, error }: { fields: OwnField[]; set: (fields: OwnField[]) => void; error?: string }) {
  const change = (at: number, part: Partial<OwnField>) => set(fields.map((f, i) => (i === at ? { ...f, ...part } : f)));
  return (
    <>
      <ul className="m-0 mb-2 list-none p-0">
        {fields.map((f, i) => (
          // A new one has no key of its own yet; its place is what it is known by.
          <li key={f.key || i} className="border-t border-dotted border-rule py-2">
            <div className="flex flex-wrap items-start gap-3">
              <input
                aria-label={phrase('Field {i, number}: name', { i: i + 1 })}
                placeholder={phrase('what it is called')}
                maxLength={40}
                className="w-56"
                value={f.name}
                onChange={(e) => change(i, { name: e.target.value })}
              />
              <select
                aria-label={phrase('Field {i, number}: what it holds', { i: i + 1 })}
                value={f.kind}
                onChange={(e) => change(i, { kind: e.target.value })}
              >
                {ownFieldKinds.map(([kind, words]) => (
                  <option key={kind} value={kind}>
                    {words}
                  </option>
                ))}
              </select>
              {(f.kind === 'choice' || f.kind === 'choices') && (
                <textarea
                  aria-label={phrase('Field {i, number}: its choices, one a line', { i: i + 1 })}
                  placeholder={phrase('its choices, one a line')}
                  rows={3}
                  className="w-56"
                  defaultValue={f.options.join('\n')}
                  onChange={(e) => change(i, { options: e.target.value.split('\n').filter((o) => o.trim()) })}
                />
              )}
              <TakeOut field={f} takeOut={() => set(fields.toSpliced(i, 1))} />
            </div>
          </li>
        ))}
      </ul>
      <Button onClick={() => set([...fields, { key: '', name: '', kind: 'text', options: [] }])}>{phrase('+ a field')}</Button>
      {error && (
        <p role="alert" className="mt-1 text-small text-ember">
          {error}
        </p>
      )}
    </>
  );
}

/** Takes a field out; one that is used says by whom first. What people have there is kept, and stands again with a field of that name. */
function TakeOut({ field, takeOut }: { field: OwnField; takeOut: () => void }) {
  const [asking, setAsking] = useState(false);
  const uses = useMutation({
    mutationFn: () => take(api.GET('/api/practice/fields/uses', { params: { query: { key: field.key } } })),
    onSuccess: (u) => (u.people === 0 && u.programs.length === 0 ? takeOut() : setAsking(true)),
  });
  if (asking && uses.data) {
    const { people, programs } = uses.data;
    return (
      <span role="alert" className="max-w-80 text-small">
        <Sentence
          m="{people, plural, one {# person has} other {# people have}} something there{programs}. What people have there is kept, out of sight. <button>Take it out</button><button2>leave it</button2>"
          v={{
            people,
            programs:
              programs.length > 0 &&
              phrase(', and {programs} {programs2, plural, one {names} other {name}} it', {
                programs: programs.map((p) => quoted(p)).join(', '),
                programs2: programs.length,
              }),
            button: (c) => (
              <Button look="danger" className="mr-3" onClick={takeOut}>
                {c}
              </Button>
            ),
            button2: (c) => (
              <Button look="plain" onClick={() => setAsking(false)}>
                {c}
              </Button>
            ),
          }}
        />
      </span>
    );
  }
  return (
    <Button
      look="danger"
      disabled={uses.isPending}
      aria-label={phrase('take out the field {field}', { field: field.name })}
      onClick={() => (field.key ? uses.mutate() : takeOut())}
    >
      {phrase('take out')}
    </Button>
  );
}
