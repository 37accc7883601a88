/** The days of a week, by the words the practice's hours are kept by. */
export const week = {
  mon: 'Monday',
  tue: 'Tuesday',
  wed: 'Wednesday',
  thu: 'Thursday',
  fri: 'Friday',
  sat: 'Saturday',
  sun: 'Sunday',
} as const;

export type WeekDay = keyof typeof week;
