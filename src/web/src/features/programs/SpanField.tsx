import { useState } from 'react';
import { Field } from '../../ui/bits';
import { phrase } from '../../words/phrase';

/** A span of one unit with its side: `-P6M` is six months before. */
export type Span = { before: boolean; count: number; unit: Unit };
export type Unit = 'hours' | 'days' | 'weeks' | 'months' | 'years';

const letters: [Unit, string][] = [
  ['hours', 'H'],
  ['days', 'D'],
  ['weeks', 'W'],
  ['months', 'M'],
  ['years', 'Y'],
];

const unitWords: Record<Unit, string> = {
  hours: phrase('hours'),
  days: phrase('days'),
  weeks: phrase('weeks'),
  months: phrase('months'),
  years: phrase('years'),
};

/** The one unit of a span, or null for a span of several (`P1DT2H`) and for minutes, which are shown as they are written. */
export function readSpan(written: string): Span | null {
  const m = /^([+-]?)P(?:(\d+)([DWMY])|T(\d+)H)$/.exec(written);
  if (!m) return null;
  const unit = letters.find(([, letter]) => letter === (m[3] ?? 'H'))?.[0] ?? 'days';
  return { before: m[1] === '-', count: Number(m[2] ?? m[4]), unit };
}

/** A span as a program file writes it. */
export function writeSpan({ before, count, unit }: Span) {
  const letter = letters.find(([u]) => u === unit)?.[1] ?? 'D';
  return `${before && count > 0 ? '-' : ''}P${unit === 'hours' ? 'T' : ''}${count}${letter}`;
}

/**
 * A length of time, or a distance from a day. What nobody touches stays letter for letter as the file has it.
 * @param sides true where it may lie before as well as after
 * @param units the units to choose from
 * @param optional true where it may be left empty
 */
export function SpanField({
  label,
  hint,
  value,
  set,
  sides = false,
  units = ['days', 'weeks', 'months', 'years'],
  optional = false,
  most = 9999,
}: {
  label: string;
  hint?: string;
  value: string | undefined;
  set: (value: string | undefined) => void;
  sides?: boolean;
  units?: Unit[];
  optional?: boolean;
  most?: number;
}) {
  const span = value ? readSpan(value) : { before: false, count: Number.NaN, unit: units[0] ?? 'days' };
  const [typed, setTyped] = useState(span && !Number.isNaN(span.count) ? String(span.count) : '');
  if (!span) {
    return (
      <Field label={label} hint={phrase('As the file writes it: P1DT2H is a day and two hours.')}>
        {(id, by) => (
          <input id={id} aria-describedby={by} className="w-40" required={!optional} value={value} onChange={(e) => set(e.target.value)} />
        )}
      </Field>
    );
  }
  const offered = units.includes(span.unit) ? units : [...units, span.unit];
  const change = (part: Partial<Span>) => set(writeSpan({ ...span, ...part }));
  return (
    <Field label={label} hint={hint}>
      {(id, by) => (
        <span className="flex flex-wrap gap-2">
          <input
            id={id}
            aria-describedby={by}
            type="number"
            min={0}
            max={most}
            required={!optional}
            className="w-20"
            value={typed}
            onChange={(e) => {
              setTyped(e.target.value);
              if (e.target.value === '') set(optional ? undefined : value);
              else change({ count: Number(e.target.value) });
            }}
          />
          <select
            aria-label={phrase('{label}: unit', { label })}
            value={span.unit}
            onChange={(e) => change({ unit: e.target.value as Unit, count: Number(typed || 0) })}
          >
            {offered.map((u) => (
              <option key={u} value={u}>
                {unitWords[u]}
              </option>
            ))}
          </select>
          {sides && (
            <select
              aria-label={phrase('{label}: before or after', { label })}
              value={span.before ? 'before' : 'after'}
              onChange={(e) => change({ before: e.target.value === 'before', count: Number(typed || 0) })}
            >
              <option value="before">{phrase('before')}</option>
              <option value="after">{phrase('after')}</option>
            </select>
          )}
        </span>
      )}
    </Field>
  );
}
