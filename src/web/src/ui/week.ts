import { phrase } from '../words/phrase';

/** The days of a week, by the words the practice's hours are kept by. */
export const week = {
  mon: phrase('Monday'),
  tue: phrase('Tuesday'),
  wed: phrase('Wednesday'),
  thu: phrase('Thursday'),
  fri: phrase('Friday'),
  sat: phrase('Saturday'),
  sun: phrase('Sunday'),
} as const;

export type WeekDay = keyof typeof week;
