import type { Schemas } from '../../api/client';
import { locale, phrase } from '../../words/phrase';

export function percent(share: number) {
  const digits = share > 0 && share < 0.1 ? 1 : 0;
  return `${(100 * share).toLocaleString(locale(), { minimumFractionDigits: digits, maximumFractionDigits: digits })} %`;
}

/** A share as a short bar: where the true one lies is drawn pale, the share itself is the stroke in it; in words beside it. */
export function ShareBar({ line, brief = false }: { line: Schemas['ResultLine']; brief?: boolean }) {
  const at = (share: number) => `${Math.round(10000 * share) / 100}%`;
  return (
    <span className="inline-flex items-center gap-2 whitespace-nowrap tabular-nums">
      <svg className="max-[699px]:hidden" width="90" height="10" viewBox="0 0 100 10" preserveAspectRatio="none" aria-hidden="true">
        <rect x="0" y="4.5" width="100" height="1" fill="var(--rule)" />
        <rect x={100 * line.low} y="1.5" width={Math.max(0.5, 100 * (line.high - line.low))} height="7" fill="var(--leaf)" opacity="0.35" />
        <rect x={Math.min(98, 100 * line.share)} y="0" width="2" height="10" fill="var(--leaf)" />
      </svg>
      <span title={phrase('the true share lies between {low} and {high}, 19 times in 20', { low: at(line.low), high: at(line.high) })}>
        {percent(line.share)}
        {!brief && (
          <span className="text-soft max-[699px]:hidden">
            {phrase(' ({low} to {high})', { low: percent(line.low), high: percent(line.high) })}
          </span>
        )}
      </span>
    </span>
  );
}
