import { count } from '../../ui/when';

/** Working minutes in words: “3 h”, “2 days 4 h”. A day is as long as the practice is reached on a usual one. */
export function waited(minutes: number, dayMinutes: number) {
  if (minutes < 1) return 'just now';
  if (minutes < 60) return `${minutes} min`;
  const days = Math.floor(minutes / dayMinutes);
  const hours = Math.floor((minutes - days * dayMinutes) / 60);
  if (days === 0) return `${hours} h`;
  return hours === 0 || days > 9 ? count(days, 'day', 'days') : `${count(days, 'day', 'days')} ${hours} h`;
}

/** How it looks: by how late it is (0, 1, 2). */
export const lateLook = ['text-soft', 'text-straw', 'text-ember'] as const;

/** The same in words, for those who do not see the colour. */
export const lateWords = ['', 'late', 'very late'] as const;

/** How somebody asked, in words. */
export const ways: Record<string, string> = {
  form: 'by a form',
  email: 'by email',
  text: 'by text',
  phone: 'by phone',
  hand: 'in person',
};

/** How an inquiry ended, in words. */
export const ends: Record<string, string> = {
  wrote: 'was written to',
  called: 'was called',
  marked: 'marked as answered',
  nothing: 'marked as nothing',
};
