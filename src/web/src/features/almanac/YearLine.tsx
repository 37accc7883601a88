import type { Schemas } from '../../api/client';
import { TableBehind } from '../../ui/TableBehind';
import { dayName, shortMonth } from '../../ui/when';
import { locale, phrase } from '../../words/phrase';

type Week = Schemas['AlmanacWeek'];

const width = 750;
const height = 46;
const base = 30;

/** What a week weighs: everything that goes out or has to be done in it. */
const weight = (w: Week) => w.messages + w.calls + w.others;

/**
 * The year as one line of weeks: the line grows heavier where more goes out. A week is pressed to go there; by arrow keys from week to
 * week. The numbers stand in the table behind it.
 */
export function YearLine({ weeks, from, today, go }: { weeks: Week[]; from: string; today: string; go: (date: string) => void }) {
  const most = Math.max(1, ...weeks.map(weight));
  const step = width / weeks.length;
  const at = weeks.findLastIndex((w) => w.begins <= from);
  const words = (w: Week) =>
    phrase(
      'the week of {begins}: {messages, plural, one {# message} other {# messages}}, {calls, plural, one {# call} other {# calls}}{others}{ifItWere}',
      {
        begins: dayName(w.begins, today),
        messages: w.messages,
        calls: w.calls,
        others: w.others > 0 ? phrase(', {others, number} to write or do', { others: w.others }) : '',
        ifItWere: w.ifItWere > 0 ? phrase('; {ifItWere, number} of them if it were on', { ifItWere: w.ifItWere }) : '',
      },
    );
  const laid = weeks.some((w) => w.ifItWere > 0);
  return (
    <div className="px-7 pb-3 max-[699px]:px-4">
      {/* On a narrow screen the year is wider than the page, and goes sideways within its line. */}
      <div className="overflow-x-auto">
        <div
          role="slider"
          tabIndex={0}
          aria-label={phrase('Week')}
          aria-valuemin={0}
          aria-valuemax={weeks.length - 1}
          aria-valuenow={at}
          aria-valuetext={weeks[at] && words(weeks[at])}
          className="min-w-[620px] cursor-pointer"
          onClick={(e) => {
            const box = e.currentTarget.getBoundingClientRect();
            const week = weeks[Math.min(weeks.length - 1, Math.max(0, Math.floor(((e.clientX - box.left) / box.width) * weeks.length)))];
            if (week) go(week.begins < today ? today : week.begins);
          }}
          onKeyDown={(e) => {
            const to = { ArrowRight: at + 1, ArrowLeft: at - 1, Home: 0, End: weeks.length - 1, PageDown: at + 4, PageUp: at - 4 }[e.key];
            if (to === undefined) return;
            e.preventDefault();
            e.stopPropagation();
            const week = weeks[Math.min(weeks.length - 1, Math.max(0, to))];
            if (week) go(week.begins < today ? today : week.begins);
          }}
        >
          <svg viewBox={`0 0 ${width} ${height}`} className="block w-full" aria-hidden="true">
            <line x1="0" y1={base} x2={width} y2={base} stroke="var(--ink)" strokeWidth="1" />
            {weeks.map((w, i) => {
              const size = weight(w) === 0 ? 0 : 1 + 25 * (weight(w) / most);
              const month = monthBegins(w.begins, i === 0);
              return (
                <g key={w.begins}>
                  <title>{words(w)}</title>
                  <rect x={i * step} y="0" width={step} height={height} fill="transparent" />
                  <rect
                    x={i * step + 2}
                    y={base - size}
                    width={step - 4}
                    height={size}
                    fill={i === at ? 'var(--leaf)' : 'var(--ink-faint)'}
                  />
                  {w.ifItWere > 0 && (
                    <rect
                      x={i * step + 2}
                      y={base - size}
                      width={step - 4}
                      height={Math.max(1, (25 * w.ifItWere) / most)}
                      fill="var(--straw)"
                    />
                  )}
                  {month && (
                    <text x={i * step + 2} y={height - 3} fontSize="11" fill="var(--ink-soft)" fontFamily="var(--font-sans)">
                      {month}
                    </text>
                  )}
                </g>
              );
            })}
          </svg>
        </div>
      </div>
      <TableBehind
        words={phrase('the year as a table, week by week')}
        heads={[
          phrase('week of'),
          phrase('messages'),
          phrase('calls'),
          phrase('to write or do'),
          ...(laid ? [phrase('of them if it were on')] : []),
        ]}
        rows={weeks.map((w) => [
          dayName(w.begins, today),
          ...[w.messages, w.calls, w.others, ...(laid ? [w.ifItWere] : [])].map((n) => n.toLocaleString(locale())),
        ])}
      />
    </div>
  );
}

/** The month's name where a week is the first of it; of the week the line begins with, where enough of the month is left to write it. */
function monthBegins(monday: string, first: boolean) {
  return Number(monday.slice(8)) > (first ? 21 : 7) ? null : shortMonth(monday);
}
