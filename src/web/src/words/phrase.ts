import { IntlMessageFormat } from 'intl-messageformat';
import { type Catalogue, locale, spokenWords } from './locale';

export { locale };

/** What is put into a message by its name. */
export type Values = Record<string, string | number | null | undefined>;

/** Messages that were read, by the words they were read from. */
const read = new WeakMap<Catalogue, Map<string, IntlMessageFormat>>();

/** The message of the code as it is said in the tongue spoken, read once. */
export function messageOf(message: string, plain: boolean): IntlMessageFormat {
  const words = spokenWords();
  const known = read.get(words) ?? new Map<string, IntlMessageFormat>();
  read.set(words, known);
  const key = plain ? message : `<${message}`;
  let format = known.get(key);
  if (!format) {
    format = new IntlMessageFormat(words[message] ?? message, locale(), undefined, { ignoreTag: plain });
    known.set(key, format);
  }
  return format;
}

/** What follows a message to tell it from another of the same words: `open‹verb›`. Nobody reads it. */
const apart = /‹[^›]*›$/;

/**
 * A message in the tongue spoken.
 * @param message In English, in the form of ICU messages: `{who} has {n, plural, one {# call} other {# calls}}`.
 *   The same words stand in the catalogue, with those of each other tongue.
 * @param values What is put in, by name; what is not known is left empty.
 */
export function phrase(message: string, values?: Values): string {
  const said = messageOf(message, true).format(values ?? {});
  return (Array.isArray(said) ? said.join('') : String(said)).replace(apart, '');
}

/** Several as one says them: “Ada, Piet and Esme”. */
export const listed = (items: string[], type: 'conjunction' | 'disjunction' = 'conjunction') =>
  new Intl.ListFormat(locale(), { type }).format(items);

/** Several put together by what is said of two: “email, else text, else a card”. */
export const together = (items: readonly string[], two: (first: string, second: string) => string) =>
  items.length === 0 ? '' : items.reduce((first, second) => two(first, second));

/** A word as it is written within a sentence: where German is spoken it keeps its capital. */
export const within = (word: string) => (locale().startsWith('en') ? word.toLowerCase() : word);

/** Words of somebody's, in the quotation marks of the tongue. */
export const quoted = (words: string) => phrase('“{words}”', { words });
