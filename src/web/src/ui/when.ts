/** Dates and times as people say them, on the clock of a zone. */

function parts(at: string, zone: string) {
  const format = new Intl.DateTimeFormat('en-GB', {
    timeZone: zone,
    weekday: 'short',
    day: 'numeric',
    month: 'short',
    year: 'numeric',
    hour: 'numeric',
    minute: '2-digit',
    hourCycle: 'h23',
  });
  return Object.fromEntries(format.formatToParts(new Date(at)).map((p) => [p.type, p.value])) as Record<string, string>;
}

/** “Mon 1 Mar”, with the year where it is not that of `now`. */
export function day(at: string, zone: string, now?: string) {
  const p = parts(at, zone);
  return now && parts(now, zone).year !== p.year ? `${p.day} ${p.month} ${p.year}` : `${p.weekday} ${p.day} ${p.month}`;
}

/** “9:30”. */
export function time(at: string, zone: string) {
  const p = parts(at, zone);
  return `${Number(p.hour)}:${p.minute}`;
}

/** “Mon 1 Mar, 9:30”. */
export function moment(at: string, zone: string, now?: string) {
  return `${day(at, zone, now)}, ${time(at, zone)}`;
}

/** “Monday, 1 March”. */
export function longDay(at: string, zone: string) {
  return new Intl.DateTimeFormat('en-GB', { timeZone: zone, weekday: 'long', day: 'numeric', month: 'long' })
    .format(new Date(at))
    .replace(/^(\w+) /, '$1, ');
}

/** “Mon 1 March 2027, 8:15”. */
export function clockFace(at: string, zone: string) {
  const p = parts(at, zone);
  const month = new Intl.DateTimeFormat('en-GB', { timeZone: zone, month: 'long' }).format(new Date(at));
  return `${p.weekday} ${p.day} ${month} ${p.year}, ${time(at, zone)}`;
}

/** “1 Mar, 8:15”, where there is no room for the year. */
export function smallClockFace(at: string, zone: string) {
  const p = parts(at, zone);
  return `${p.day} ${p.month}, ${time(at, zone)}`;
}

/** The calendar date in a zone, `2027-03-01`. */
export function date(at: string, zone: string) {
  return new Intl.DateTimeFormat('en-CA', { timeZone: zone, year: 'numeric', month: '2-digit', day: '2-digit' }).format(new Date(at));
}

/** Whole days from one date to another in a zone; negative when the second is earlier. */
export function daysBetween(from: string, to: string, zone: string) {
  return Math.round((Date.parse(date(to, zone)) - Date.parse(date(from, zone))) / 86_400_000);
}

/** “Fri” within the last week, else the day. */
export function sinceDay(at: string, zone: string, now: string) {
  return daysBetween(at, now, zone) < 7 ? (parts(at, zone).weekday ?? '') : day(at, zone, now);
}

/** “today”, “tomorrow”, “yesterday”, else the day. */
export function nearDay(at: string, zone: string, now: string) {
  const away = daysBetween(now, at, zone);
  return away === 0 ? 'today' : away === 1 ? 'tomorrow' : away === -1 ? 'yesterday' : day(at, zone, now);
}

/** A key date, `1975-06-14` or `--06-14`, as “14 June 1975” or “14 June”. */
export function keyDate(text: string) {
  const withYear = !text.startsWith('--');
  const iso = withYear ? text : `2000-${text.slice(2)}`;
  return new Intl.DateTimeFormat('en-GB', {
    timeZone: 'UTC',
    day: 'numeric',
    month: 'long',
    year: withYear ? 'numeric' : undefined,
  }).format(new Date(`${iso}T00:00:00Z`));
}

/** “(207) 555-0117” for a North American number in E.164; others with blanks left as they are. */
export function phone(e164: string, extension?: string | null) {
  const m = /^\+1(\d{3})(\d{3})(\d{4})$/.exec(e164);
  return `${m ? `(${m[1]}) ${m[2]}-${m[3]}` : e164}${extension ? ` ext. ${extension}` : ''}`;
}

/** “1 person”, “12 people”. */
export function count(n: number, one: string, many: string) {
  return `${n.toLocaleString('en-US')} ${n === 1 ? one : many}`;
}

/** The months of the year, January first. */
export const monthNames = [
  'January',
  'February',
  'March',
  'April',
  'May',
  'June',
  'July',
  'August',
  'September',
  'October',
  'November',
  'December',
];

/** The place a zone is named after: `America/New_York` is New York. */
export const placeOf = (zone: string) => (zone.split('/').at(-1) ?? zone).replaceAll('_', ' ');

/** A month such as `2027-02`: “Feb 2027”. */
export function monthOf(month: string) {
  return new Intl.DateTimeFormat('en', { month: 'short', year: 'numeric', timeZone: 'UTC' }).format(new Date(`${month}-01T00:00:00Z`));
}

/** Noon of a date that has no zone, so that every clock in UTC reads that date. */
const noon = (date: string) => `${date}T12:00:00Z`;

/** “Tue 9 March” for a date as programs write it, `2027-03-09`; with the year where it is not that of `today`. */
export const dayName = (date: string, today?: string) => day(noon(date), 'UTC', today && noon(today));

/** The date after one. */
export function nextDay(date: string) {
  const after = new Date(noon(date));
  after.setUTCDate(after.getUTCDate() + 1);
  return after.toISOString().slice(0, 10);
}

/** The month of a date, short: “Mar”. */
export const shortMonth = (date: string) =>
  new Intl.DateTimeFormat('en-GB', { timeZone: 'UTC', month: 'short' }).format(new Date(noon(date)));

/** A moment of the machine's own clock, on the clock of whoever reads it. */
export const machineMoment = (at: string) => moment(at, Intl.DateTimeFormat().resolvedOptions().timeZone, new Date().toISOString());
