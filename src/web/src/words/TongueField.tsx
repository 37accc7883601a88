import { Field } from '../ui/bits';
import { locales } from './locale';
import { phrase } from './phrase';

/** A language by its own name, or none where the one of the practice counts. */
export function TongueField({
  label,
  none,
  value,
  set,
  error,
}: {
  label: string;
  none?: string;
  value: string;
  set: (tongue: string) => void;
  error?: string;
}) {
  return (
    <Field label={label} error={error}>
      {(id, by) => (
        <select id={id} aria-describedby={by} value={value} onChange={(e) => set(e.target.value)}>
          {none !== undefined && <option value="">{none}</option>}
          {Object.entries(locales).map(([tag, name]) => (
            <option key={tag} value={tag} lang={tag}>
              {name}
            </option>
          ))}
        </select>
      )}
    </Field>
  );
}

/** What stands where the practice's language counts. */
export const asThePractice = () => phrase('the practice’s');

/** A language as its own speakers call it. */
export const tongueName = (tag: string) => (locales as Record<string, string>)[tag] ?? tag;
