import type { Schemas } from '../../api/client';
import { type WeekDay, week } from '../../ui/week';
import { dayName, placeOf } from '../../ui/when';

export type Practice = Schemas['PracticeDto'];
export type Server = Schemas['ServerBody'];

/** Settings as they are written: all of them, without what is only told. */
export type Draft = Omit<
  Practice,
  'mailOut' | 'mailIn' | 'countries' | 'comingHolidays' | 'lostReasons' | 'colour' | 'groundColour' | 'picture'
> & { mailOut: Server; mailIn: Server };

/** What a page of settings is given: what is written now, and what is wrong with it. */
export interface SettingsForm {
  practice: Practice;
  draft: Draft;
  set: (change: Partial<Draft>) => void;
  wrong: (field: keyof Draft) => string | undefined;
}

export const noServer: Server = { host: '', port: 587, security: 'starttls', user: '', password: null };

export function draftOf(practice: Practice): Draft {
  const { countries: _, comingHolidays: __, lostReasons: ___, colour: ____, groundColour: _____, picture: ______, ...rest } = practice;
  const server = (s: Practice['mailOut'], port: number): Server =>
    s ? { host: s.host, port: s.port, security: s.security, user: s.user, password: null } : { ...noServer, port };
  return { ...rest, mailOut: server(practice.mailOut, 587), mailIn: server(practice.mailIn, 993) };
}

/** The channels, in the order in which they are asked for. */
export const channels = [
  ['email', 'emails'],
  ['text', 'texts'],
  ['call', 'calls'],
  ['post', 'cards and letters'],
] as const;

/** Of all of these in their order, those that are chosen once one is, or is no longer. */
export const chosen = <T extends string>(all: readonly T[], now: readonly string[], one: T, is: boolean) =>
  all.filter((x) => (x === one ? is : now.includes(x)));

const list = new Intl.ListFormat('en', { type: 'conjunction' });
const either = new Intl.ListFormat('en', { type: 'disjunction' });
const regions = new Intl.DisplayNames('en', { type: 'region' });

/** A country by its name; its code where that is unknown. */
export const countryName = (code: string) => (code ? (regions.of(code) ?? code) : '');

/** The same in a sentence: the United States. */
const inCountry = (code: string) => countryName(code).replace(/^United/, 'the United');

const channelNames: Record<string, string> = Object.fromEntries(channels);
export const channelName = (channel: string) => channelNames[channel] ?? channel;

const singular: Record<string, string> = { email: 'email', text: 'text', call: 'call', post: 'card or letter' };
const oneOf = (channel: string) => singular[channel] ?? channel;

/** Days in order, those that follow each other as one stretch. */
export function stretchesOf(days: readonly string[]) {
  const stretches: { from: string; until: string }[] = [];
  for (const day of [...days].sort()) {
    const last = stretches.at(-1);
    if (last && dayAfter(last.until) === day) last.until = day;
    else stretches.push({ from: day, until: day });
  }
  return stretches;
}

/** Every day from one to another, both included. */
export function daysOf(from: string, until: string) {
  const days: string[] = [];
  for (let day = from; day <= until && days.length < 400; day = dayAfter(day)) days.push(day);
  return days;
}

function dayAfter(day: string) {
  const date = new Date(`${day}T12:00:00Z`);
  date.setUTCDate(date.getUTCDate() + 1);
  return date.toISOString().slice(0, 10);
}

const working = (days: readonly string[]) =>
  days.join() === 'mon,tue,wed,thu,fri' ? 'Monday to Friday' : list.format(days.map((d) => week[d as WeekDay] ?? d));

/** A page of settings: what it is called, and what stands on it, in a sentence. */
export interface SettingsPageWords {
  title: string;
  says: (p: Practice) => string;
}

/** The pages of settings, in the order in which they stand. */
export const settingsPages: Record<string, SettingsPageWords> = {
  who: {
    title: 'Who we are',
    says: (p) => `${p.name}, ${p.postalAddress.split('\n').filter(Boolean).join(', ')}; everything by the clock of ${placeOf(p.zone)}.`,
  },
  days: {
    title: 'Days we work',
    says: (p) => {
      const next = p.comingHolidays[0];
      const closed = p.closed.length + p.holidays.length;
      return `${working(p.workingDays)}${p.country ? `, without the public holidays of ${inCountry(p.country)}${next ? ` (next: ${next.name}, ${dayName(next.date)})` : ''}` : ', public holidays too'}${closed > 0 ? `, and without ${closed === 1 ? 'one day' : `${closed} days`} of our own` : ''}.`;
    },
  },
  pace: {
    title: 'How often, and at what hours',
    says: (p) => {
      const rules = p.pace.map(
        (r) =>
          `at most ${r.max === 1 ? `one ${either.format(r.channels.map(oneOf))}` : `${r.max} ${either.format(r.channels.map(channelName))}`} in ${r.days} ${r.days === 1 ? 'day' : 'days'}`,
      );
      const limits = Object.entries(p.dailyLimits).map(([channel, most]) => `${most} ${channelName(channel)} a day from all of us`);
      return `One person gets ${rules.length > 0 ? list.format(rules) : 'as much as programs send'}; texts and calls go from ${p.quietFrom} to ${p.quietTo} on their own clock${limits.length > 0 ? `; ${list.format(limits)}` : ''}.`;
    },
  },
  consent: {
    title: 'May we',
    says: (p) => {
      const asked = ['email', 'text', 'call', 'post'].filter((c) => !p.openChannels.includes(c)).map(channelName);
      return `${asked.length > 0 ? `A yes is needed for ${list.format(asked)}` : 'No channel needs a yes, only that nobody said no'}; an inquiry carries one for ${p.inquiryMonths} months, being a client for ${p.clientMonths}${p.policies.length > 0 ? `. Besides: ${list.format(p.policies.map((x) => `“${x.name}”`))}` : ''}.`;
    },
  },
  looks: {
    title: 'How letters and pages look',
    says: (p) =>
      `Letters say “${p.voice}”${p.seeOpens ? ' and tell when they are opened' : ' and do not tell when they are opened'}${p.colour ? `; links and buttons are ${p.colour}` : ''}${p.picture ? '; our logo stands above pages' : ''}.`,
  },
  mail: {
    title: 'Mail and texts',
    says: (p) =>
      `Mail goes out by ${p.mailOut ? p.mailOut.host : 'the server of this installation'}${p.mailIn ? `, answers are read at ${p.mailIn.host}` : ''}; texts come from ${p.textNumber || 'the number of this installation'}.`,
  },
  fields: {
    title: 'Fields and dates of people',
    says: (p) => `${p.ownFields.length > 0 ? `${list.format(p.ownFields.map((f) => f.name))}; ` : ''}of dates ${list.format(p.keyDates)}.`,
  },
  words: {
    title: 'Words of ours',
    says: (p) =>
      `${p.topics.length > 0 ? `Topics are ${list.format(p.topics)}; ` : ''}appointments are ${list.format(p.appointmentTypes.length > 0 ? p.appointmentTypes : ['just that'])}.`,
  },
  prices: {
    title: 'What messages cost',
    says: (p) =>
      p.prices.email === 0 && p.prices.textPart === 0 && p.prices.note === 0
        ? 'Nothing is said, so rehearsals say nothing of it.'
        : `An email ${p.prices.email}, a part of a text ${p.prices.textPart}, a card or letter ${p.prices.note} ${p.prices.currency}.`,
  },
  keeping: {
    title: 'How long things are kept',
    says: (p) =>
      `The journal ${forMonths(p.keepJournalMonths)}, events ${forMonths(p.keepEventsMonths)}; touches, messages and consent always.`,
  },
  programs: {
    title: 'Who says yes to programs',
    says: (p) =>
      p.programsApproved
        ? 'A principal says yes to each program, and to each change of it, before it is switched on.'
        : 'Whoever writes a program may switch it on.',
  },
};

const forMonths = (months: number) => (months === 0 ? 'for good' : `for ${months} months`);

/** Pages of settings that have grown at another place. */
export const elsewhere = [
  ['Stages and reasons', '/pipeline/stages', 'Pipelines, their stages, and why opportunities are lost.'],
  ['Tags', '/practice/tags', 'Called otherwise, put together, taken out.'],
  ['How calls end', '/practice/calls', 'The ways, their keys, and what follows each.'],
  ['Who gets inquiries', '/inquiries/giving', 'Rules, hours in which we are reached, when an inquiry is late.'],
  ['Members', '/practice/members', 'Who works here, what each may and sees, when they are away.'],
  ['When mail stops by itself', '/results/sending', 'The brake, and the keys that mail is signed with.'],
  ['Other programs', '/practice/others', 'Keys by which they work here, and what they are told.'],
  ['All data', '/practice/data', 'Everything out as one file, and the end of a practice.'],
] as const;
