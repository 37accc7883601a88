import { phrase } from '../../words/phrase';

/** How often a task can come again, as it is chosen; each is a recurrence rule of RFC 5545. */
export const repeats: readonly (readonly [rule: string, words: string])[] = [
  ['', phrase('once')],
  ['FREQ=DAILY', phrase('every day')],
  ['FREQ=WEEKLY;BYDAY=MO,TU,WE,TH,FR', phrase('every weekday')],
  ['FREQ=WEEKLY', phrase('every week')],
  ['FREQ=WEEKLY;INTERVAL=2', phrase('every two weeks')],
  ['FREQ=MONTHLY', phrase('every month')],
  ['FREQ=MONTHLY;INTERVAL=3', phrase('every three months')],
  ['FREQ=YEARLY', phrase('every year')],
];

/** What can be chosen, with a rule among it that came another way. */
export const repeatsWith = (rule: string, words: string | null) =>
  rule && !repeats.some(([r]) => r === rule) ? [...repeats, [rule, words ?? rule] as const] : repeats;
