/**
 * A number month by month as small bars; the chosen month stands out, one that is not over is pale. What they show stands in the table behind.
 * @param values each month's, the oldest first; null where there is nothing to say
 * @param chosen which of them is the chosen month
 */
export function MonthBars({ values, chosen }: { values: readonly (number | null)[]; chosen: number }) {
  const most = Math.max(...values.map((v) => v ?? 0), 0);
  return (
    <svg width={values.length * 8} height="22" viewBox={`0 0 ${values.length * 8} 22`} aria-hidden="true" className="block">
      <line x1="0" x2={values.length * 8} y1="21.5" y2="21.5" stroke="var(--rule)" />
      {values.map((v, i) => {
        const tall = most > 0 && v ? Math.max(1, (20 * v) / most) : 0;
        const look = i === chosen ? { fill: 'var(--leaf)' } : { fill: 'var(--ink-soft)', opacity: i > chosen ? 0.25 : 0.5 };
        return <rect key={i} x={i * 8 + 1} y={21 - tall} width="6" height={tall} {...look} />;
      })}
    </svg>
  );
}
