import type { Schemas } from '../../api/client';
import { type WeekDay, week } from '../../ui/week';
import { dayName, placeOf } from '../../ui/when';
import { listed, locale, phrase, quoted } from '../../words/phrase';

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
  ['email', phrase('emails')],
  ['text', phrase('texts')],
  ['call', phrase('calls')],
  ['post', phrase('cards and letters')],
] as const;

/** Of all of these in their order, those that are chosen once one is, or is no longer. */
export const chosen = <T extends string>(all: readonly T[], now: readonly string[], one: T, is: boolean) =>
  all.filter((x) => (x === one ? is : now.includes(x)));

const regions = new Intl.DisplayNames(locale(), { type: 'region' });

/** A country by its name; its code where that is unknown. */
export const countryName = (code: string) => (code ? (regions.of(code) ?? code) : '');

/** The same in a sentence: the United States. */
const inCountry = (code: string) => countryName(code).replace(/^United/, phrase('the United'));

const channelNames: Record<string, string> = Object.fromEntries(channels);
export const channelName = (channel: string) => channelNames[channel] ?? channel;

const singular: Record<string, string> = {
  email: phrase('email'),
  text: phrase('text'),
  call: phrase('call'),
  post: phrase('card or letter'),
};
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
  days.join() === 'mon,tue,wed,thu,fri' ? phrase('Monday to Friday') : listed(days.map((d) => week[d as WeekDay] ?? d));

/** A page of settings: what it is called, and what stands on it, in a sentence. */
export interface SettingsPageWords {
  title: string;
  says: (p: Practice) => string;
}

/** The pages of settings, in the order in which they stand. */
export const settingsPages: Record<string, SettingsPageWords> = {
  who: {
    title: phrase('Who we are'),
    says: (p) =>
      phrase('{name}, {split}; everything by the clock of {zone}.', {
        name: p.name,
        split: p.postalAddress.split('\n').filter(Boolean).join(', '),
        zone: placeOf(p.zone),
      }),
  },
  days: {
    title: phrase('Days we work'),
    says: (p) => {
      const next = p.comingHolidays[0];
      const closed = p.closed.length + p.holidays.length;
      return `${working(p.workingDays)}${p.country ? phrase(', without the public holidays of {country}{next}', { country: inCountry(p.country), next: next ? phrase(' (next: {next}, {date})', { next: next.name, date: dayName(next.date) }) : '' }) : phrase(', public holidays too')}${closed > 0 ? phrase(', and without {closed} of our own', { closed: closed === 1 ? phrase('one day') : phrase('{closed, number} days', { closed }) }) : ''}.`;
    },
  },
  pace: {
    title: phrase('How often, and at what hours'),
    says: (p) => {
      const rules = p.pace.map((r) =>
        phrase('at most {max} in {days, number} {days, plural, one {day} other {days}}', {
          max:
            r.max === 1
              ? phrase('one {channels}', { channels: listed(r.channels.map(oneOf), 'disjunction') })
              : `${r.max} ${listed(r.channels.map(channelName), 'disjunction')}`,
          days: r.days,
        }),
      );
      const limits = Object.entries(p.dailyLimits).map(([channel, most]) =>
        phrase('{most, number} {channel} a day from all of us', { most, channel: channelName(channel) }),
      );
      return phrase('One person gets {rules}; texts and calls go from {quietFrom} to {quietTo} on their own clock{limits}.', {
        rules: rules.length > 0 ? listed(rules) : phrase('as much as programs send'),
        quietFrom: p.quietFrom,
        quietTo: p.quietTo,
        limits: limits.length > 0 ? `; ${listed(limits)}` : '',
      });
    },
  },
  consent: {
    title: phrase('May we'),
    says: (p) => {
      const asked = ['email', 'text', 'call', 'post'].filter((c) => !p.openChannels.includes(c)).map(channelName);
      return phrase(
        '{asked}; an inquiry carries one for {inquiryMonths, number} months, being a client for {clientMonths, number}{policies}.',
        {
          asked:
            asked.length > 0
              ? phrase('A yes is needed for {asked}', { asked: listed(asked) })
              : phrase('No channel needs a yes, only that nobody said no'),
          inquiryMonths: p.inquiryMonths,
          clientMonths: p.clientMonths,
          policies:
            p.policies.length > 0 ? phrase('. Besides: {policies}', { policies: listed(p.policies.map((x) => quoted(x.name))) }) : '',
        },
      );
    },
  },
  looks: {
    title: phrase('How letters and pages look'),
    says: (p) =>
      phrase(
        'Letters say “{voice}”{seeOpens, select, true { and tell when they are opened} other { and do not tell when they are opened}}{colour}{picture, select, true {; our logo stands above pages} other {}}.',
        {
          voice: p.voice,
          seeOpens: String(p.seeOpens),
          colour: p.colour ? phrase('; links and buttons are {colour}', { colour: p.colour }) : '',
          picture: String(Boolean(p.picture)),
        },
      ),
  },
  mail: {
    title: phrase('Mail and texts'),
    says: (p) =>
      phrase('Mail goes out by {mailOut}{mailIn}; texts come from {textNumber}.', {
        mailOut: p.mailOut ? p.mailOut.host : phrase('the server of this installation'),
        mailIn: p.mailIn ? phrase(', answers are read at {host}', { host: p.mailIn.host }) : '',
        textNumber: p.textNumber || phrase('the number of this installation'),
      }),
  },
  fields: {
    title: phrase('Fields and dates of people'),
    says: (p) =>
      phrase('{ownFields}of dates {keyDates}.', {
        ownFields: p.ownFields.length > 0 ? `${listed(p.ownFields.map((f) => f.name))}; ` : '',
        keyDates: listed(p.keyDates.map((d) => (d === 'birthday' ? phrase('birthday') : d))),
      }),
  },
  words: {
    title: phrase('Words of ours'),
    says: (p) =>
      phrase('{topics}appointments are {format}.', {
        topics: p.topics.length > 0 ? phrase('Topics are {topics}; ', { topics: listed(p.topics) }) : '',
        format: listed(p.appointmentTypes.length > 0 ? p.appointmentTypes : [phrase('just that')]),
      }),
  },
  prices: {
    title: phrase('What messages cost'),
    says: (p) =>
      p.prices.email === 0 && p.prices.textPart === 0 && p.prices.note === 0
        ? phrase('Nothing is said, so rehearsals say nothing of it.')
        : phrase('An email {email, number}, a part of a text {textPart, number}, a card or letter {note, number} {currency}.', {
            email: p.prices.email,
            textPart: p.prices.textPart,
            note: p.prices.note,
            currency: p.prices.currency,
          }),
  },
  keeping: {
    title: phrase('How long things are kept'),
    says: (p) =>
      phrase('The journal {keepJournalMonths}, events {keepEventsMonths}; touches, messages and consent always.', {
        keepJournalMonths: forMonths(p.keepJournalMonths),
        keepEventsMonths: forMonths(p.keepEventsMonths),
      }),
  },
  programs: {
    title: phrase('Who says yes to programs'),
    says: (p) =>
      p.programsApproved
        ? phrase('A principal says yes to each program, and to each change of it, before it is switched on.')
        : phrase('Whoever writes a program may switch it on.'),
  },
};

const forMonths = (months: number) => (months === 0 ? phrase('for good') : phrase('for {months, number} months', { months }));

/** Pages of settings that have grown at another place. */
export const elsewhere = [
  [phrase('Stages and reasons'), '/pipeline/stages', phrase('Pipelines, their stages, and why opportunities are lost.')],
  [phrase('Tags'), '/practice/tags', phrase('Called otherwise, put together, taken out.')],
  [phrase('How calls end'), '/practice/calls', phrase('The ways, their keys, and what follows each.')],
  [phrase('Who gets inquiries'), '/inquiries/giving', phrase('Rules, hours in which we are reached, when an inquiry is late.')],
  [phrase('Members'), '/practice/members', phrase('Who works here, what each may and sees, when they are away.')],
  [phrase('When mail stops by itself'), '/results/sending', phrase('The brake, and the keys that mail is signed with.')],
  [phrase('Other programs'), '/practice/others', phrase('Keys by which they work here, and what they are told.')],
  [phrase('All data'), '/practice/data', phrase('Everything out as one file, and the end of a practice.')],
] as const;
