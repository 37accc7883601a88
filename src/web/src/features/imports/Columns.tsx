import { type UseMutationResult, useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { api, type Schemas, take } from '../../api/client';
import { useMay } from '../../app/session';
import { Button, Field, fieldError, Trouble } from '../../ui/bits';
import { ownFieldKinds } from '../../ui/OwnFieldInput';
import { phrase, quoted } from '../../words/phrase';

type Reading = Schemas['ImportReviewDto'];
type Column = Schemas['ColumnDto'];

/** The choice in a column's list that makes a field of the practice's own of it. */
const fresh = '+';

/** What each column of the list is taken for; one that is nothing yet can become a field of the practice's own on the spot. */
export function Columns({
  reading,
  change,
  took,
}: {
  reading: Reading;
  change: UseMutationResult<Reading, Error, string[]>;
  took: (answer: Reading) => void;
}) {
  const mayMakeFields = useMay('change-settings');
  const [making, setMaking] = useState<number>();
  // What was just chosen stands there at once, before the answer.
  const columns = change.isPending ? change.variables : reading.columns.map((c) => c.field);
  return (
    <table className="w-full border-collapse text-small">
      <thead className="sr-only">
        <tr>
          <th>{phrase('In the file')}</th>
          <th>{phrase('Taken for')}</th>
          <th>{phrase('Examples')}</th>
        </tr>
      </thead>
      <tbody>
        {reading.columns.map((c) => (
          <tr key={c.index} className="border-t border-rule align-top">
            <td className="w-44 py-3 pl-7 font-semibold">{c.header || phrase('column {index, number}', { index: c.index + 1 })}</td>
            <td className={making === c.index ? 'py-1.5' : 'w-48 py-1.5'} colSpan={making === c.index ? 2 : 1}>
              <select
                aria-label={phrase('{header} is', { header: c.header || phrase('column {index, number}', { index: c.index + 1 }) })}
                value={making === c.index ? fresh : columns[c.index]}
                onChange={(e) => {
                  if (e.target.value === fresh) {
                    setMaking(c.index);
                    return;
                  }
                  setMaking(undefined);
                  change.mutate(columns.map((f, i) => (i === c.index ? e.target.value : f)));
                }}
                className={columns[c.index] ? '' : 'text-soft'}
              >
                {reading.choices.map((f) => (
                  <option key={f.field} value={f.field}>
                    {f.label}
                  </option>
                ))}
                {mayMakeFields && <option value={fresh}>{phrase('a new field of your own …')}</option>}
              </select>
              {making === c.index && (
                <NewField
                  column={c}
                  id={reading.import.id}
                  made={(answer) => {
                    setMaking(undefined);
                    took(answer);
                  }}
                  leave={() => setMaking(undefined)}
                />
              )}
            </td>
            {making !== c.index && <td className="max-w-0 truncate py-3 pr-7 pl-4 text-soft">{c.examples.join(' · ')}</td>}
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** A field of the practice's own made of a column; what it holds is guessed from the values. */
function NewField({ column, id, made, leave }: { column: Column; id: string; made: (answer: Reading) => void; leave: () => void }) {
  const queries = useQueryClient();
  const [name, setName] = useState(column.header.slice(0, 40));
  const [kind, setKind] = useState(column.kind);
  const [options, setOptions] = useState(column.options.join('\n'));
  const make = useMutation({
    mutationFn: () =>
      take(
        api.POST('/api/imports/{id}/columns/{index}/field', {
          params: { path: { id, index: column.index } },
          body: { name, kind, options: options.split('\n').filter((o) => o.trim()) },
        }),
      ),
    onSuccess: (answer) => {
      // A field there is now, wherever fields are asked for.
      for (const key of ['session', 'fields', 'person']) queries.invalidateQueries({ queryKey: [key] });
      made(answer);
    },
  });
  const problem = fieldError(make.error, 'name') ?? fieldError(make.error, 'kind');
  return (
    <form
      aria-label={phrase('A field of your own for {header}', { header: column.header })}
      className="mt-2 max-w-md"
      onSubmit={(e) => {
        e.preventDefault();
        make.mutate();
      }}
    >
      <Field label={phrase('What it is called')} error={problem}>
        {(field, by) => <input id={field} aria-describedby={by} maxLength={40} value={name} onChange={(e) => setName(e.target.value)} />}
      </Field>
      <Field
        label={phrase('What it holds')}
        hint={phrase('guessed from {examples}', {
          examples: column.examples.map((e) => quoted(e.slice(0, 30))).join(', ') || phrase('nothing: the column is empty'),
        })}
      >
        {(field, by) => (
          <select id={field} aria-describedby={by} value={kind} onChange={(e) => setKind(e.target.value)}>
            {ownFieldKinds.map(([word, says]) => (
              <option key={word} value={word}>
                {says}
              </option>
            ))}
          </select>
        )}
      </Field>
      {(kind === 'choice' || kind === 'choices') && (
        <Field label={phrase('Its choices, one a line')}>
          {(field, by) => (
            <textarea id={field} aria-describedby={by} rows={4} value={options} onChange={(e) => setOptions(e.target.value)} />
          )}
        </Field>
      )}
      {!problem && <Trouble error={make.error} />}
      <Button type="submit" look="main" disabled={make.isPending || !name.trim()}>
        {phrase('Keep it in every person')}
      </Button>{' '}
      <Button look="plain" className="ml-3" onClick={leave}>
        {phrase('leave it')}
      </Button>
    </form>
  );
}
