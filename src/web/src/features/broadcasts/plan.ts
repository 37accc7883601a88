import type { Schemas } from '../../api/client';
import { keyDate } from '../../ui/when';
import { phrase, together } from '../../words/phrase';

/** A type of the API with nothing left out: what is sent may leave out what stands for itself, what is kept has everything. */
type Whole<T> = T extends (infer One)[] ? Whole<One>[] : T extends object ? { [K in keyof T]-?: Whole<Exclude<T[K], undefined>> } : T;

export type Plan = Whole<Schemas['PlanBody']>;
export type Broadcast = Omit<Schemas['BroadcastDto'], 'plan'> & { plan: Plan };
export type Way = Plan['ways'][number];
export type Goal = NonNullable<Plan['goal']>;
export type WayKind = 'email' | 'text' | 'note';

export const wayNames: Record<string, string> = { email: phrase('email'), text: phrase('text'), note: phrase('a card') };

/** The ways in words, the preferred first: “email, else text, else a card”. */
export const sayWays = (ways: readonly { kind: string }[]) =>
  together(
    ways.map((w) => wayNames[w.kind] ?? w.kind),
    (first, second) => phrase('{first}, else {second}', { first, second }),
  );

/** What recipients of an earlier one did, as a sentence goes on: “whoever opened …”. */
export const deeds: readonly (readonly [did: string, words: string])[] = [
  ['got', phrase('got')],
  ['opened', phrase('opened')],
  ['not-opened', phrase('did not open')],
  ['followed', phrase('followed a link of')],
  ['not-followed', phrase('followed no link of')],
  ['answered', phrase('answered')],
];

/** Who it is for, in words. */
export function sayTo(to: Plan['to'], earlier: string | null | undefined) {
  if (to.kind === 'segment') return to.name ? phrase('the segment “{to}”', { to: to.name }) : phrase('nobody yet');
  if (to.kind === 'list') return to.name ? phrase('the list “{to}”', { to: to.name }) : phrase('nobody yet');
  if (to.kind === 'people')
    return to.people.length === 0
      ? phrase('people I pick')
      : to.people.length === 1
        ? phrase('one person')
        : phrase('{people, number} people', { people: to.people.length });
  return phrase('whoever {find} “{earlier}”', { find: deeds.find(([d]) => d === to.did)?.[1] ?? to.did, earlier: earlier ?? '…' });
}

/** When it goes, in words. */
export function sayWhen(when: Plan['when']) {
  if (when.kind === 'now') return phrase('as soon as it is sent');
  const at = phrase('{date} at {time}', { date: when.date ? keyDate(when.date) : phrase('a day'), time: when.time || phrase('a time') });
  return when.kind === 'own' ? phrase('{at} of each one’s own day', { at }) : at;
}

/** The kinds of goals as they are chosen, with what has to be named for each. */
export const goals: readonly (readonly [kind: string, words: string, what: string | null])[] = [
  ['won', phrase('an opportunity is won'), null],
  ['appointment', phrase('an appointment is made'), null],
  ['form', phrase('a form is sent'), phrase('which form (empty for any)')],
  ['stage', phrase('a stage is reached'), phrase('which stage, as Planning/Client')],
  ['tag', phrase('a tag is put on'), phrase('which tag')],
];

/** What decides between versions. */
export const rates: readonly (readonly [rate: string, words: string])[] = [
  ['opened', phrase('opened more')],
  ['followed', phrase('followed more')],
  ['answered', phrase('answered more')],
];

/** What each number of a broadcast's page is called. */
export const numberNames: Record<string, string> = {
  sent: phrase('went'),
  delivered: phrase('arrived'),
  'bounced-hard': phrase('came back for good'),
  'bounced-soft': phrase('came back for now'),
  opened: phrase('opened by people'),
  'not-opened': phrase('not opened'),
  followed: phrase('followed a link'),
  answered: phrase('answered'),
  'opted-out': phrase('said no to more'),
  complained: phrase('complained'),
};
