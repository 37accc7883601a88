import { useMemo } from 'react';
import type { Schemas } from '../../api/client';
import { type Mark, TouchLine } from '../../ui/TouchLine';
import { day, daysBetween } from '../../ui/when';
import { phrase } from '../../words/phrase';

type Line = Schemas['ThreadLine'];

/** Somebody's touch line: what reached them, now, and what comes. */
export function PersonLine({
  coming,
  past,
  now,
  zone,
  width = 754,
}: {
  coming: Line[];
  past: Line[];
  now: string;
  zone: string;
  width?: number;
}) {
  const marks = useMemo(() => {
    const touches = past.filter((l) => l.touchId && ['sent', 'done', 'open', phrase('on the day sheet')].includes(l.status ?? ''));
    return [
      ...touches.map(
        (l): Mark => ({ day: daysBetween(now, l.at, zone), kind: l.kind, state: 'past', title: `${day(l.at, zone)}: ${l.title}` }),
      ),
      ...coming.map(
        (l): Mark => ({
          day: daysBetween(now, l.at, zone),
          kind: l.kind,
          state: l.status ? 'trouble' : 'coming',
          title: `${day(l.at, zone)}: ${l.title}`,
        }),
      ),
    ].slice(0, 60);
  }, [coming, past, now, zone]);
  if (marks.length === 0) return null;
  return (
    <div className="mt-2.5">
      <TouchLine marks={marks} now={0} width={width} height={44} />
    </div>
  );
}
