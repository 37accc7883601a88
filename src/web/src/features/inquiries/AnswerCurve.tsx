import type { Schemas } from '../../api/client';
import { TableBehind } from '../../ui/TableBehind';
import { phrase } from '../../words/phrase';
import { waited } from './waits';

const width = 560;
const height = 90;

/** How long answers take: how many still wait after so many working hours. Those who wait still are counted as waiting so far. */
export function AnswerCurve({ times, dayMinutes }: { times: Schemas['AnswerTimes']; dayMinutes: number }) {
  const end = Math.max(dayMinutes, times.curve.at(-1)?.minutes ?? 0);
  const x = (minutes: number) => (width * minutes) / end;
  const y = (share: number) => height * (1 - share);
  let line = `M0 ${y(1)}`;
  for (const p of times.curve) line += `H${x(p.minutes).toFixed(1)}V${y(p.waiting).toFixed(1)}`;
  const median = times.medianMinutes;
  return (
    <div className="px-7 py-3 max-[699px]:px-4">
      <p className="m-0">
        {times.answered === 0
          ? phrase('In the last twelve months nobody was answered.')
          : median === null
            ? phrase('Of {answered, number} in twelve months fewer than half are answered yet.', {
                answered: times.answered + times.waiting,
              })
            : phrase(
                'Half are answered within {median} of working time: {answered, plural, one {# inquiry} other {# inquiries}} of the last twelve months{waiting}.',
                {
                  median: waited(median, dayMinutes),
                  answered: times.answered,
                  waiting: times.waiting > 0 ? phrase(', {waiting, number} still wait', { waiting: times.waiting }) : '',
                },
              )}
      </p>
      {times.curve.length > 1 && (
        <>
          <svg viewBox={`-1 -2 ${width + 2} ${height + 4}`} className="mt-2 block w-full max-w-[560px]" aria-hidden>
            <path d={`M0 ${height}H${width}`} stroke="var(--rule)" fill="none" />
            {median !== null && <path d={`M${x(median)} 0V${height}`} stroke="var(--straw)" strokeDasharray="3 3" fill="none" />}
            <path d={line} stroke="var(--leaf)" strokeWidth="2" fill="none" />
          </svg>
          <TableBehind
            words={phrase('as a table: who still waits after how long')}
            heads={[phrase('after'), phrase('wait still')]}
            rows={days(times.curve, dayMinutes).map(([n, share]) => [
              phrase('{n, plural, one {# working day} other {# working days}}', { n }),
              `${Math.round(100 * share)} %`,
            ])}
          />
        </>
      )}
    </div>
  );
}

/** The share that waits after each of the first ten days. */
function days(curve: Schemas['WaitPoint'][], dayMinutes: number): [number, number][] {
  const last = Math.min(10, Math.ceil((curve.at(-1)?.minutes ?? 0) / dayMinutes));
  return Array.from({ length: last }, (_, i) => [i + 1, curve.filter((p) => p.minutes <= (i + 1) * dayMinutes).at(-1)?.waiting ?? 1]);
}
