/** A number in a sentence that is kept when one has finished with it. */
export function KeptNumber({
  label,
  value,
  set,
  may = true,
}: {
  label: string;
  value: number | null;
  /** Told the new number; null where it was emptied. */
  set: (n: number | null) => void;
  may?: boolean;
}) {
  return (
    <input
      aria-label={label}
      type="number"
      min={0}
      className="w-16 leading-normal"
      disabled={!may}
      defaultValue={value ?? ''}
      key={value}
      onBlur={(e) => {
        const n = Number.parseInt(e.target.value, 10);
        const next = Number.isFinite(n) ? n : null;
        if (next !== value) set(next);
      }}
    />
  );
}
