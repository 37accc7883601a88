import { listed, phrase } from '../words/phrase';

/** Whole days of an offset of days or weeks; null for one that the page only shows. */
export function offsetDays(offset: string): number | null {
  const m = /^(-?)P(?:(\d+)W)?(?:(\d+)D)?$/.exec(offset);
  return m ? (m[1] === '-' ? -1 : 1) * (Number(m[2] ?? 0) * 7 + Number(m[3] ?? 0)) : null;
}

/** “7 days”, “a month”, as written for offsets the page does not count. */
export function span(offset: string) {
  const days = offsetDays(offset);
  if (days !== null) return said[2](Math.abs(days));
  const m = /^-?P(?:(\d+)Y)?(?:(\d+)M)?(?:(\d+)D)?(?:T(?:(\d+)H)?(?:(\d+)M)?)?$/.exec(offset);
  return m ? listed(said.flatMap((say, i) => (Number(m[i + 1] ?? 0) > 0 ? [say(Number(m[i + 1]))] : []))) : offset;
}

/** Years, months, days, hours and minutes, as one says so many of them. */
const said = [
  (n: number) => phrase('{n, plural, one {a year} other {# years}}', { n }),
  (n: number) => phrase('{n, plural, one {a month} other {# months}}', { n }),
  (n: number) => phrase('{n, plural, one {a day} other {# days}}', { n }),
  (n: number) => phrase('{n, plural, one {an hour} other {# hours}}', { n }),
  (n: number) => phrase('{n, plural, one {a minute} other {# minutes}}', { n }),
] as const;

/** “in the last 90 days”, “in the last year”. */
export function inLast(offset: string) {
  const m = /^P(?:(\d+)Y|(\d+)M|(\d+)W|(\d+)D)$/.exec(offset);
  const n = Number(m?.slice(1).find(Boolean));
  if (m?.[1]) return phrase('in the last {n, plural, one {year} other {# years}}', { n });
  if (m?.[2]) return phrase('in the last {n, plural, one {month} other {# months}}', { n });
  if (m) return phrase('in the last {n, plural, one {day} other {# days}}', { n: n * (m[3] ? 7 : 1) });
  return phrase('in the time of {span}', { span: span(offset) });
}
