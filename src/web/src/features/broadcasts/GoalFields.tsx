import { Field } from '../../ui/bits';
import { phrase } from '../../words/phrase';
import { SpanField } from '../programs/SpanField';
import { type Goal, goals } from './plan';

/**
 * What is to come of it: which kind of thing, which one of that kind, and for how long after it is counted.
 * @param none the words for “no goal at all”; where they are left out there is always one
 * @param within what the field of the span is called
 * @param wrong what is wrong with the named thing
 */
export function GoalFields({
  goal,
  set,
  none,
  within,
  wrong,
}: {
  goal: Goal | null;
  set: (goal: Goal | null) => void;
  none?: string;
  within: string;
  wrong?: string;
}) {
  const which = goals.find(([k]) => k === goal?.kind)?.[2];
  return (
    <>
      <Field label={phrase('What is to come of it')}>
        {(id) => (
          <select
            id={id}
            className="w-full"
            value={goal?.kind ?? ''}
            onChange={(e) => set(e.target.value ? { kind: e.target.value, what: '', within: goal?.within ?? 'P90D' } : null)}
          >
            {none && <option value="">{none}</option>}
            {goals.map(([k, words]) => (
              <option key={k} value={k}>
                {words}
              </option>
            ))}
          </select>
        )}
      </Field>
      {goal && which && (
        <Field label={which} error={wrong}>
          {(id, by) => (
            <input
              key={goal.kind}
              id={id}
              aria-describedby={by}
              className="w-full"
              defaultValue={goal.what}
              onBlur={(e) => set({ ...goal, what: e.target.value.trim() })}
            />
          )}
        </Field>
      )}
      {goal && <SpanField label={within} value={goal.within} set={(v) => v && set({ ...goal, within: v })} />}
    </>
  );
}
