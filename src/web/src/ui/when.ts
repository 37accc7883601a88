/** Dates and times as people say them, on the clock of a zone. */

import { locale, phrase } from '../words/phrase';

const style = (zone: string, options: Intl.DateTimeFormatOptions) => new Intl.DateTimeFormat(locale(), { timeZone: zone, ...options });

/** As the tongue writes it; in British English without the comma after a short weekday: “Mon 1 Mar”. */
const written = (at: string, zone: string, options: Intl.DateTimeFormatOptions) =>
  style(zone, options)
    .format(new Date(at))
    .replace(locale() === 'en-GB' ? /^(\w{3}),? / : /^$/, '$1 ');

const yearOf = (at: string, zone: string) => date(at, zone).slice(0, 4);

/** “Mon 1 Mar”, with the year where it is not that of `now`. */
export function day(at: string, zone: string, now?: string) {
  return now && yearOf(now, zone) !== yearOf(at, zone)
    ? written(at, zone, { day: 'numeric', month: 'short', year: 'numeric' })
    : written(at, zone, { weekday: 'short', day: 'numeric', month: 'short' });
}

/** “9:30”; “9:30 AM” in American English. */
export function time(at: string, zone: string) {
  if (locale() === 'en-US') return written(at, zone, { hour: 'numeric', minute: '2-digit' });
  const p = Object.fromEntries(
    style(zone, { hour: 'numeric', minute: '2-digit', hourCycle: 'h23' })
      .formatToParts(new Date(at))
      .map((part) => [part.type, part.value]),
  );
  return `${Number(p.hour)}:${p.minute}`;
}

/** “Mon 1 Mar, 9:30”. */
export function moment(at: string, zone: string, now?: string) {
  return `${day(at, zone, now)}, ${time(at, zone)}`;
}

/** “Monday, 1 March”. */
export function longDay(at: string, zone: string) {
  const said = style(zone, { weekday: 'long', day: 'numeric', month: 'long' }).format(new Date(at));
  return locale() === 'en-GB' ? said.replace(/^(\w+) /, '$1, ') : said;
}

/** “Mon 1 March 2027, 8:15”. */
export function clockFace(at: string, zone: string) {
  return `${written(at, zone, { weekday: 'short', day: 'numeric', month: 'long', year: 'numeric' })}, ${time(at, zone)}`;
}

/** “1 Mar, 8:15”, where there is no room for the year. */
export function smallClockFace(at: string, zone: string) {
  return `${written(at, zone, { day: 'numeric', month: 'short' })}, ${time(at, zone)}`;
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
  return daysBetween(at, now, zone) < 7 ? written(at, zone, { weekday: 'short' }) : day(at, zone, now);
}

/** “today”, “tomorrow”, “yesterday”, else the day. */
export function nearDay(at: string, zone: string, now: string) {
  const away = daysBetween(now, at, zone);
  return away === 0 ? phrase('today') : away === 1 ? phrase('tomorrow') : away === -1 ? phrase('yesterday') : day(at, zone, now);
}

/** A key date, `1975-06-14` or `--06-14`, as “14 June 1975” or “14 June”. */
export function keyDate(text: string) {
  const withYear = !text.startsWith('--');
  const iso = withYear ? text : `2000-${text.slice(2)}`;
  return style('UTC', { day: 'numeric', month: 'long', year: withYear ? 'numeric' : undefined }).format(new Date(`${iso}T00:00:00Z`));
}

/** “(207) 555-0117” for a North American number in E.164 where English is spoken, “+1 207 555-0117” elsewhere; others as they are. */
export function phone(e164: string, extension?: string | null) {
  const m = /^\+1(\d{3})(\d{3})(\d{4})$/.exec(e164);
  return `${m ? (locale().startsWith('en') ? `(${m[1]}) ${m[2]}-${m[3]}` : `+1 ${m[1]} ${m[2]}-${m[3]}`) : e164}${extension ? phrase(' ext. {extension}', { extension }) : ''}`;
}

/** The months of the year, January first. */
export const monthNames = Array.from({ length: 12 }, (_, month) => style('UTC', { month: 'long' }).format(Date.UTC(2000, month, 15)));

/** The place a zone is named after: `America/New_York` is New York. */
export const placeOf = (zone: string) => (zone.split('/').at(-1) ?? zone).replaceAll('_', ' ');

/** A month such as `2027-02`: “Feb 2027”. */
export function monthOf(month: string) {
  return style('UTC', { month: 'short', year: 'numeric' }).format(new Date(`${month}-01T00:00:00Z`));
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
export const shortMonth = (date: string) => style('UTC', { month: 'short' }).format(new Date(noon(date)));

/** A moment of the machine's own clock, on the clock of whoever reads it. */
export const machineMoment = (at: string) => moment(at, Intl.DateTimeFormat().resolvedOptions().timeZone, new Date().toISOString());
