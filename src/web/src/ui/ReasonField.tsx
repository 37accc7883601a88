import { Field } from './bits';

/** Why something is done, in a few words that are kept with it; the cursor stands in it. */
export function ReasonField({
  label,
  value,
  set,
  error,
  hint,
  placeholder,
}: {
  label: string;
  value: string;
  set: (words: string) => void;
  error?: string;
  hint?: string;
  placeholder?: string;
}) {
  return (
    <Field label={label} error={error} hint={hint}>
      {(id, by) => (
        <input
          id={id}
          aria-describedby={by}
          autoFocus
          className="w-full text-ink"
          placeholder={placeholder}
          value={value}
          onChange={(e) => set(e.target.value)}
        />
      )}
    </Field>
  );
}
