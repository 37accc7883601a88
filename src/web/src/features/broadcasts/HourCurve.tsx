import type { Schemas } from '../../api/client';
import { phrase } from '../../words/phrase';

const [width, height, foot] = [640, 120, 18];

/** How many opened it, and followed a link in it, in each hour since it was sent. The numbers stand in the table behind it. */
export function HourCurve({ hours }: { hours: Schemas['ResultHour'][] }) {
  const most = Math.max(1, ...hours.map((h) => h.opened));
  const step = width / hours.length;
  const tall = (n: number) => ((height - foot) * n) / most;
  return (
    <figure className="m-0">
      <svg
        viewBox={`0 0 ${width} ${height}`}
        className="block w-full max-w-[720px]"
        role="img"
        aria-label={phrase('Opened and followed by hour; the most in one hour: {most, number}', { most })}
      >
        {hours.map((h) => (
          <g key={h.hour}>
            <rect
              x={h.hour * step + 1}
              y={height - foot - tall(h.opened)}
              width={step - 2}
              height={tall(h.opened)}
              fill="var(--leaf)"
              opacity="0.4"
            />
            <rect
              x={h.hour * step + 1}
              y={height - foot - tall(h.followed)}
              width={step - 2}
              height={tall(h.followed)}
              fill="var(--leaf)"
            />
          </g>
        ))}
        <line x1="0" x2={width} y1={height - foot + 0.5} y2={height - foot + 0.5} stroke="var(--ink)" />
        {[0, 6, 12, 24, 36].map((h) => (
          <text key={h} x={h * step} y={height - 4} fontSize="11" fill="var(--ink-soft)">
            {h === 0 ? phrase('first hour') : phrase('after {h, number} h', { h })}
          </text>
        ))}
      </svg>
      <figcaption className="text-small text-soft">{phrase('pale: opened; dark: followed a link')}</figcaption>
    </figure>
  );
}
