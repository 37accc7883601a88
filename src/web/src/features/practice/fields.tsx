import { Field } from '../../ui/bits';
import { phrase } from '../../words/phrase';

const lines = (text: string) =>
  text
    .split('\n')
    .map((l) => l.trim())
    .filter(Boolean);

/** A short text of the settings. */
export function TextSetting({
  label,
  value,
  set,
  error,
  hint,
  rows = 1,
  className = 'w-full max-w-md',
}: {
  label: string;
  value: string;
  set: (value: string) => void;
  error?: string;
  hint?: string;
  rows?: number;
  className?: string;
}) {
  return (
    <Field label={label} hint={hint} error={error}>
      {(id, by) =>
        rows > 1 ? (
          <textarea id={id} aria-describedby={by} rows={rows} className={className} value={value} onChange={(e) => set(e.target.value)} />
        ) : (
          <input id={id} aria-describedby={by} className={className} value={value} onChange={(e) => set(e.target.value)} />
        )
      }
    </Field>
  );
}

/** Words, one a line. */
export function LinesSetting({
  label,
  value,
  set,
  error,
  hint,
}: {
  label: string;
  value: readonly string[];
  set: (value: string[]) => void;
  error?: string;
  hint?: string;
}) {
  return (
    <Field label={phrase('{label}, one a line', { label })} hint={hint} error={error}>
      {(id, by) => (
        <textarea
          id={id}
          aria-describedby={by}
          rows={Math.max(4, Math.min(10, value.length + 1))}
          className="w-full max-w-md"
          defaultValue={value.join('\n')}
          onChange={(e) => set(lines(e.target.value))}
        />
      )}
    </Field>
  );
}

/** A whole number; none where that may be. */
export function NumberSetting({
  label,
  value,
  set,
  error,
  hint,
  min = 0,
  step,
  none,
}: {
  label: string;
  value: number | undefined;
  set: (value: number | undefined) => void;
  error?: string;
  hint?: string;
  min?: number;
  step?: string;
  /** What it means where nothing is written. */
  none?: string;
}) {
  return (
    <Field label={label} hint={hint} error={error}>
      {(id, by) => (
        <input
          id={id}
          aria-describedby={by}
          type="number"
          min={min}
          step={step}
          required={none === undefined}
          placeholder={none}
          className="w-28"
          value={value ?? ''}
          onChange={(e) => set(e.target.value ? Number(e.target.value) : undefined)}
        />
      )}
    </Field>
  );
}

/** Yes or no. */
export function YesSetting({ label, value, set }: { label: string; value: boolean; set: (value: boolean) => void }) {
  return (
    <label className="mb-3 block text-small">
      <input type="checkbox" className="mr-2" checked={value} onChange={(e) => set(e.target.checked)} />
      {label}
    </label>
  );
}
