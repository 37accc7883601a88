import { phrase } from '../words/phrase';
import { Field } from './bits';

/** A date until which something holds; it may be left empty. */
export function UntilField({
  value,
  set,
  error,
  hint,
  label = phrase('Until'),
}: {
  value: string;
  set: (date: string) => void;
  error?: string;
  hint: string;
  label?: string;
}) {
  return (
    <Field label={label} error={error} hint={hint}>
      {(id, by) => (
        <input id={id} aria-describedby={by} type="date" className="text-ink" value={value} onChange={(e) => set(e.target.value)} />
      )}
    </Field>
  );
}
