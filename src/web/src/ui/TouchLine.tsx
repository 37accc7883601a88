import { phrase } from '../words/phrase';

/**
 * A mark on the touch line. `state`: past ones ink, coming ones pale, one that failed or waits ember. `weight`, from 0 to 1: how many
 * it has reached against the one that reached most; it makes the mark slighter or heavier.
 */
export type Mark = { day: number; kind: string; state?: 'past' | 'coming' | 'trouble'; title?: string; weight?: number };

/** What reaches somebody, or leads them on; forks, changes and words to the owner are read in the sentences. */
const drawn = new Set(['email', 'text', 'call', 'note', 'task', 'post', 'hand-over']);

/** From which day to which a line reaches. */
export type Scale = { first: number; last: number };

/** A line of one's own is at least so many days long, so that what comes soon does not fill it. */
const shortest = 14;

/** The days that hold all of these lines: the one scale for a list of them. */
export function scaleOf(lines: Mark[][], now = 0, least = shortest): Scale {
  const days = lines
    .flat()
    .filter((m) => drawn.has(m.kind))
    .map((m) => m.day);
  return { first: Math.min(0, now, ...days), last: Math.max(least, now, ...days) };
}

const natural: [number, string][] = [
  [7, phrase('a week')],
  [30, phrase('a month')],
  [56, phrase('eight weeks')],
  [91, phrase('a quarter')],
  [182, phrase('half a year')],
  [365, phrase('a year')],
];

/**
 * The project's own figure: a thin line with a mark for each touch, the early weeks wide and the later months narrower
 * (square-root scale). Email is a filled dot, call an upright stroke, hand-over an arrow's head.
 */
export function TouchLine({
  marks: all,
  now,
  scale,
  width = 750,
  height = 42,
  labels = true,
}: {
  marks: Mark[];
  now?: number;
  /** Days the whole width stands for, where several lines are to be compared; without it, this line's own. */
  scale?: Scale;
  width?: number;
  height?: number;
  labels?: boolean;
}) {
  const marks = all.filter((m) => drawn.has(m.kind));
  const own = scaleOf([all], now, scale ? 0 : shortest);
  const { first, last } = scale ?? own;
  const x = (day: number) => 6 + Math.sqrt((day - first) / (last - first)) * (width - 14);
  const end = scale ? Math.min(width, x(own.last) + 6) : width;
  const y = 16;
  const placed: number[] = [];
  const words = natural
    .filter(([d]) => d <= own.last - first)
    .filter(([d]) => {
      const at = x(first + d);
      const free = at < width - 24 && placed.every((p) => Math.abs(p - at) > 74) && (now === undefined || Math.abs(x(now) - at) > 40);
      if (free) placed.push(at);
      return free;
    });
  const description = phrase('{marks, number} {marks, plural, one {touch} other {touches}} over {last, number} days', {
    marks: marks.length,
    last: own.last - own.first,
  });
  return (
    <svg
      viewBox={`0 0 ${width} ${height}`}
      className="block w-full"
      role="img"
      aria-label={description}
      preserveAspectRatio="xMinYMid meet"
    >
      <line x1="0" y1={y} x2={end} y2={y} stroke="var(--ink)" strokeWidth="1" />
      {marks.map((m, i) => (
        <Figure key={`${m.day}-${m.kind}-${i}`} mark={m} x={x(m.day)} y={y} />
      ))}
      {now !== undefined && <line x1={x(now)} x2={x(now)} y1={y - 10} y2={y + 10} stroke="var(--leaf)" strokeWidth="3.2" />}
      {labels && (
        <g fontSize="11" fill="var(--ink-soft)" fontFamily="var(--font-sans)">
          {words.map(([d, word]) => (
            <text key={word} x={x(first + d)} y={height - 3} textAnchor="middle">
              {word}
            </text>
          ))}
          {now !== undefined && (
            <text x={x(now)} y={height - 3} textAnchor={x(now) < 20 ? 'start' : 'middle'}>
              {phrase('now')}
            </text>
          )}
        </g>
      )}
    </svg>
  );
}

function Figure({ mark, x, y }: { mark: Mark; x: number; y: number }) {
  if (mark.weight === undefined) return <Shape mark={mark} x={x} y={y} />;
  // By area, so that twice as many look twice as much.
  const size = Math.sqrt(0.25 + 1.75 * mark.weight);
  return (
    <g transform={`translate(${x} ${y}) scale(${size}) translate(${-x} ${-y})`}>
      <Shape mark={mark} x={x} y={y} />
    </g>
  );
}

function Shape({ mark, x, y }: { mark: Mark; x: number; y: number }) {
  const color = mark.state === 'coming' ? 'var(--ink-faint)' : mark.state === 'trouble' ? 'var(--ember)' : 'var(--ink)';
  const title = mark.title ? <title>{mark.title}</title> : null;
  if (mark.kind === 'call')
    return (
      <line x1={x} x2={x} y1={y - 8} y2={y + 8} stroke={color} strokeWidth="2.6">
        {title}
      </line>
    );
  if (mark.kind === 'hand-over')
    return (
      <path d={`M${x - 3} ${y - 5} L${x + 4} ${y} L${x - 3} ${y + 5}`} fill="none" stroke={color} strokeWidth="1.8">
        {title}
      </path>
    );
  if (mark.kind === 'text')
    return (
      <circle cx={x} cy={y} r="3.6" fill="var(--paper)" stroke={color} strokeWidth="1.8">
        {title}
      </circle>
    );
  if (mark.kind === 'post')
    return (
      <path d={`M${x - 4} ${y + 3.5} L${x} ${y - 4} L${x + 4} ${y + 3.5} Z`} fill="var(--paper)" stroke={color} strokeWidth="1.4">
        {title}
      </path>
    );
  if (mark.kind === 'note' || mark.kind === 'task')
    return (
      <rect
        x={x - 3.5}
        y={y - 3.5}
        width="7"
        height="7"
        fill={mark.kind === 'note' ? color : 'var(--paper)'}
        stroke={color}
        strokeWidth="1.4"
      >
        {title}
      </rect>
    );
  return (
    <circle cx={x} cy={y} r="4" fill={color}>
      {title}
    </circle>
  );
}

/** The same figure's mark beside a sentence. */
export function StepMark({ kind, color = 'var(--ink)' }: { kind: string; color?: string }) {
  return (
    <svg width="12" height="18" viewBox="0 0 12 18" aria-hidden="true">
      {kind === 'call' ? (
        <line x1="6" x2="6" y1="2" y2="16" stroke={color} strokeWidth="2.8" />
      ) : kind === 'hand-over' ? (
        <path d="M3 4 L9 9 L3 14" fill="none" stroke={color} strokeWidth="1.8" />
      ) : kind === 'email' ? (
        <circle cx="6" cy="9" r="4" fill={color} />
      ) : kind === 'text' ? (
        <circle cx="6" cy="9" r="3.6" fill="none" stroke={color} strokeWidth="1.8" />
      ) : kind === 'post' ? (
        <path d="M2 12.5 L6 5 L10 12.5 Z" fill="none" stroke={color} strokeWidth="1.4" />
      ) : kind === 'note' || kind === 'task' ? (
        <rect x="2.5" y="5.5" width="7" height="7" fill={kind === 'note' ? color : 'none'} stroke={color} strokeWidth="1.4" />
      ) : null}
    </svg>
  );
}
