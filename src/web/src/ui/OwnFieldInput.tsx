import type { Schemas } from '../api/client';
import { locale, phrase } from '../words/phrase';

/** What a field of the practice's own can hold, by its word, in words. */
export const ownFieldKinds: [string, string][] = [
  ['text', phrase('words')],
  ['number', phrase('a number')],
  ['money', phrase('a sum of money')],
  ['date', phrase('a date')],
  ['yearly-date', phrase('a date of every year')],
  ['choice', phrase('one of several')],
  ['choices', phrase('any of several')],
  ['yes-no', phrase('yes or no')],
];

/** What is asked for at a field of the practice's own, where it is not a word or two. */
const hints: Record<string, string> = {
  'yearly-date': phrase('1975-06-14, or --06-14 for every year'),
  money: phrase('a sum, without the currency'),
};

/** What may be chosen at a field of which one value is chosen; undefined for any other. */
export function choicesOf({ kind, options }: Pick<Schemas['OwnFieldDto'], 'kind' | 'options'>) {
  return kind === 'yes-no' ? ['yes', 'no'] : kind === 'choice' ? options : undefined;
}

/** What a field of the practice's own holds, asked for as what it is. An empty value is none. */
export function OwnFieldInput({
  id,
  field,
  value,
  set,
  describedBy,
}: {
  id: string;
  field: Pick<Schemas['OwnFieldDto'], 'kind' | 'options' | 'name'>;
  value: string;
  set: (value: string) => void;
  describedBy?: string;
}) {
  const options = choicesOf(field);
  if (options) {
    return (
      <select id={id} aria-describedby={describedBy} className="w-full" value={value} onChange={(e) => set(e.target.value)}>
        <option value="">{phrase('not known')}</option>
        {value && !options.includes(value) && <option value={value}>{value}</option>}
        {options.map((o) => (
          <option key={o} value={o}>
            {o}
          </option>
        ))}
      </select>
    );
  }
  if (field.kind === 'choices') {
    const chosen = value.split(';').filter(Boolean);
    return (
      // The label above is the group's; each choice has its own.
      <fieldset id={id} className="m-0 border-0 p-0" aria-label={field.name} aria-describedby={describedBy}>
        {[...new Set([...field.options, ...chosen])].map((o) => (
          <label key={o} className="mr-4 inline-flex min-h-7 items-center gap-1.5 text-small">
            <input
              type="checkbox"
              checked={chosen.includes(o)}
              onChange={(e) => set((e.target.checked ? [...chosen, o] : chosen.filter((c) => c !== o)).join(';'))}
            />
            {o}
          </label>
        ))}
      </fieldset>
    );
  }
  return (
    <input
      id={id}
      aria-describedby={describedBy}
      type={field.kind === 'date' ? 'date' : 'text'}
      inputMode={field.kind === 'number' || field.kind === 'money' ? 'decimal' : undefined}
      placeholder={hints[field.kind]}
      className="w-full"
      value={value}
      onChange={(e) => set(e.target.value)}
    />
  );
}

/** A value as it is read: several choices parted by commas, money with commas between thousands. */
export function sayOwn(kind: string, value: string) {
  if (kind === 'choices') return value.split(';').join(', ');
  if (kind === 'money' && /^-?\d+(\.\d+)?$/.test(value)) return Number(value).toLocaleString(locale(), { maximumFractionDigits: 2 });
  return value;
}
