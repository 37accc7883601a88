import type { Schemas } from '../../api/client';
import { keyDate } from '../../ui/when';

/** A type of the API with nothing left out: what is sent may leave out what stands for itself, what is kept has everything. */
type Whole<T> = T extends (infer One)[] ? Whole<One>[] : T extends object ? { [K in keyof T]-?: Whole<Exclude<T[K], undefined>> } : T;

export type Plan = Whole<Schemas['PlanBody']>;
export type Broadcast = Omit<Schemas['BroadcastDto'], 'plan'> & { plan: Plan };
export type Way = Plan['ways'][number];
export type Goal = NonNullable<Plan['goal']>;
export type WayKind = 'email' | 'text' | 'note';

export const wayNames: Record<string, string> = { email: 'email', text: 'text', note: 'a card' };

/** The ways in words, the preferred first: “email, else text, else a card”. */
export const sayWays = (ways: readonly { kind: string }[]) => ways.map((w) => wayNames[w.kind] ?? w.kind).join(', else ');

/** What recipients of an earlier one did, as a sentence goes on: “whoever opened …”. */
export const deeds: readonly (readonly [did: string, words: string])[] = [
  ['got', 'got'],
  ['opened', 'opened'],
  ['not-opened', 'did not open'],
  ['followed', 'followed a link of'],
  ['not-followed', 'followed no link of'],
  ['answered', 'answered'],
];

/** Who it is for, in words. */
export function sayTo(to: Plan['to'], earlier: string | null | undefined) {
  if (to.kind === 'segment') return to.name ? `the segment “${to.name}”` : 'nobody yet';
  if (to.kind === 'list') return to.name ? `the list “${to.name}”` : 'nobody yet';
  if (to.kind === 'people')
    return to.people.length === 0 ? 'people I pick' : to.people.length === 1 ? 'one person' : `${to.people.length} people`;
  return `whoever ${deeds.find(([d]) => d === to.did)?.[1] ?? to.did} “${earlier ?? '…'}”`;
}

/** When it goes, in words. */
export function sayWhen(when: Plan['when']) {
  if (when.kind === 'now') return 'as soon as it is sent';
  const at = `${when.date ? keyDate(when.date) : 'a day'} at ${when.time || 'a time'}`;
  return when.kind === 'own' ? `${at} of each one’s own day` : at;
}

/** The kinds of goals as they are chosen, with what has to be named for each. */
export const goals: readonly (readonly [kind: string, words: string, what: string | null])[] = [
  ['won', 'an opportunity is won', null],
  ['appointment', 'an appointment is made', null],
  ['form', 'a form is sent', 'which form (empty for any)'],
  ['stage', 'a stage is reached', 'which stage, as Planning/Client'],
  ['tag', 'a tag is put on', 'which tag'],
];

/** What decides between versions. */
export const rates: readonly (readonly [rate: string, words: string])[] = [
  ['opened', 'opened more'],
  ['followed', 'followed more'],
  ['answered', 'answered more'],
];

/** What each number of a broadcast's page is called. */
export const numberNames: Record<string, string> = {
  sent: 'went',
  delivered: 'arrived',
  'bounced-hard': 'came back for good',
  'bounced-soft': 'came back for now',
  opened: 'opened by people',
  'not-opened': 'not opened',
  followed: 'followed a link',
  answered: 'answered',
  'opted-out': 'said no to more',
  complained: 'complained',
};
