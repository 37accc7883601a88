/** Whole days of an offset of days or weeks; null for one that the page only shows. */
export function offsetDays(offset: string): number | null {
  const m = /^(-?)P(?:(\d+)W)?(?:(\d+)D)?$/.exec(offset);
  return m ? (m[1] === '-' ? -1 : 1) * (Number(m[2] ?? 0) * 7 + Number(m[3] ?? 0)) : null;
}

/** “7 days”, “a month”, as written for offsets the page does not count. */
export function span(offset: string) {
  const days = offsetDays(offset);
  if (days !== null) return Math.abs(days) === 1 ? 'a day' : `${Math.abs(days)} days`;
  const m = /^-?P(?:(\d+)Y)?(?:(\d+)M)?(?:(\d+)D)?(?:T(?:(\d+)H)?(?:(\d+)M)?)?$/.exec(offset);
  if (!m) return offset;
  const part = (n: string | undefined, one: string, many: string) => (n && Number(n) > 0 ? (n === '1' ? one : `${n} ${many}`) : '');
  return [
    part(m[1], 'a year', 'years'),
    part(m[2], 'a month', 'months'),
    part(m[3], 'a day', 'days'),
    part(m[4], 'an hour', 'hours'),
    part(m[5], 'a minute', 'minutes'),
  ]
    .filter(Boolean)
    .join(' and ');
}
