import type { ReactNode } from 'react';

/** One choice of a sentence: its label for who listens, what is said where nothing is chosen (null: something always is), and what there is to choose. */
export type Choice<K extends string> = {
  key: K;
  label: string;
  none: string | null;
  of: readonly (readonly [value: string, words: string])[];
};

/** What is shown, as one sentence of choices; one that has nothing to choose from is left out. `children` stand at its end. */
export function Choices<K extends string>({
  choices,
  values,
  set,
  children,
}: {
  choices: readonly Choice<K>[];
  values: Record<K, string>;
  set: (key: K, value: string) => void;
  children?: ReactNode;
}) {
  return (
    <p className="mt-2 flex flex-wrap items-center gap-x-3 gap-y-1 text-small">
      {choices
        .filter((c) => c.of.length > 0)
        .map((c) => (
          <select
            key={c.key}
            aria-label={c.label}
            className={`max-w-52 ${values[c.key] ? 'font-semibold' : ''}`}
            value={values[c.key]}
            onChange={(e) => set(c.key, e.target.value)}
          >
            {c.none !== null && <option value="">{c.none}</option>}
            {c.of.map(([value, words]) => (
              <option key={value} value={value}>
                {words}
              </option>
            ))}
          </select>
        ))}
      {children}
    </p>
  );
}
