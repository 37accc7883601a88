import { phrase } from '../../words/phrase';

/** Working minutes in words: “3 h”, “2 days 4 h”. A day is as long as the practice is reached on a usual one. */
export function waited(minutes: number, dayMinutes: number) {
  if (minutes < 1) return phrase('just now');
  if (minutes < 60) return phrase('{minutes, number} min', { minutes });
  const days = Math.floor(minutes / dayMinutes);
  const hours = Math.floor((minutes - days * dayMinutes) / 60);
  if (days === 0) return phrase('{hours, number} h', { hours });
  return hours === 0 || days > 9
    ? phrase('{days, plural, one {# day} other {# days}}', { days })
    : phrase('{days, plural, one {# day} other {# days}} {hours, number} h', { days, hours });
}

/** How it looks: by how late it is (0, 1, 2). */
export const lateLook = ['text-soft', 'text-straw', 'text-ember'] as const;

/** The same in words, for those who do not see the colour. */
export const lateWords = ['', phrase('late'), phrase('very late')] as const;

/** How somebody asked, in words. */
export const ways: Record<string, string> = {
  form: phrase('by a form'),
  email: phrase('by email'),
  text: phrase('by text'),
  phone: phrase('by phone'),
  hand: phrase('in person'),
};

/** How an inquiry ended, in words. */
export const ends: Record<string, string> = {
  wrote: phrase('was written to'),
  called: phrase('was called'),
  marked: phrase('marked as answered'),
  nothing: phrase('marked as nothing'),
};
