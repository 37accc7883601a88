import { useMutation } from '@tanstack/react-query';
import { api, type Schemas, take } from '../../api/client';
import { Trouble } from '../../ui/bits';
import { Stretch } from '../../ui/DayPage';
import { phrase } from '../../words/phrase';

type Reading = Schemas['ImportReviewDto'];

/** Owners, stages and choices of the list that nobody here knows: what each of them means is said once, for every row. */
export function UnknownValues({ reading, took }: { reading: Reading; took: (answer: Reading) => void }) {
  // One after the other: by keyboard a list is chosen from letter by letter, and the last word counts.
  const say = useMutation({
    scope: { id: `values of ${reading.import.id}` },
    mutationFn: (body: { field: string; value: string; means: string | null }) =>
      take(api.PUT('/api/imports/{id}/values', { params: { path: { id: reading.import.id } }, body })),
    onSuccess: took,
  });
  if (reading.values.length === 0) return null;
  // What was just chosen stands there at once, before the answer.
  const shown = (field: string, v: { text: string; means?: string | null }) =>
    (say.isPending && say.variables.field === field && say.variables.value === v.text ? say.variables.means : v.means) ?? '?';
  return (
    <>
      <Stretch title={phrase('Values nobody here knows')} note={phrase('said once for the whole list')} />
      <div className="px-7">
        <Trouble error={say.error} />
      </div>
      {reading.values.flatMap((column) =>
        column.values.map((v) => (
          <div key={`${column.field} ${v.text}`} className="row">
            <span className="gutter">{column.label}</span>
            <label>
              <b className="font-semibold">{v.text}</b>{' '}
              <span className="text-small text-soft">
                {phrase('in {rows, plural, one {# row} other {# rows}}, which means', { rows: v.rows })}
              </span>{' '}
              <select
                value={shown(column.field, v)}
                onChange={(e) => say.mutate({ field: column.field, value: v.text, means: e.target.value === '?' ? null : e.target.value })}
              >
                <option value="?">{phrase('left open, with a doubt')}</option>
                <option value="">{phrase('nothing')}</option>
                {column.choices.map((c) => (
                  <option key={c.field} value={c.field}>
                    {c.label}
                  </option>
                ))}
              </select>
            </label>
          </div>
        )),
      )}
    </>
  );
}
