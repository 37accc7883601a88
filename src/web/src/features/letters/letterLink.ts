import Link from '@tiptap/extension-link';
import { phrase } from '../../words/phrase';

/** What following a link sets off, by the words the letter keeps them under (`data-tag` and so on); a word that is missing sets off nothing. */
export const effectWords = ['name', 'tag', 'topic', 'call', 'call-to', 'call-in', 'opportunity', 'program'] as const;
export type EffectWord = (typeof effectWords)[number];
export type Effects = Partial<Record<EffectWord, string>>;

/** The link of a letter: an address, and what following it sets off, as data attributes of the link itself. */
export const LetterLink = Link.extend({
  addAttributes() {
    return {
      ...this.parent?.(),
      ...Object.fromEntries(effectWords.map((word) => [`data-${word}`, { default: null }])),
    };
  },
});

/** The effects among a link's attributes. */
export function effectsOf(attributes: Record<string, unknown>): Effects {
  const found: Effects = {};
  for (const word of effectWords) {
    const value = attributes[`data-${word}`];
    if (typeof value === 'string' && value.trim() !== '') found[word] = value;
  }
  return found;
}

/** The attributes that keep them; what is empty is taken off, and where no call is made nobody is named for it. */
export function attributesOf(effects: Effects): Record<string, string | null> {
  const call = effects.call?.trim();
  return Object.fromEntries(
    effectWords.map((word) => {
      const value = effects[word]?.trim();
      const isOfCall = word === 'call-to' || word === 'call-in';
      return [`data-${word}`, value && (call || !isOfCall) ? value : null];
    }),
  );
}

/** What the links of a letter are called that are noticed when followed: their own names, else their addresses. */
export function linksOf(step: unknown): string[] {
  const body = typeof step === 'object' && step && 'body' in step && typeof step.body === 'string' ? step.body : '';
  const page = new DOMParser().parseFromString(body, 'text/html');
  return [...page.querySelectorAll('a[href]')]
    .filter((a) => /^https?:/i.test(a.getAttribute('href') ?? ''))
    .map((a) => a.getAttribute('data-name') || (a.getAttribute('href') ?? ''));
}

/** What following the link does, in words, for those who read the letter's page. */
export function sayEffects(e: Effects): string[] {
  const days = /^P(\d+)D$/.exec(e['call-in'] ?? '')?.[1];
  const when =
    days && days !== '0'
      ? phrase(' in {days} working {days2, select, true {day} other {days}}', { days, days2: String(days === '1') })
      : phrase(' the same day');
  return [
    e.tag ? phrase('puts on the tag “{tag}”', { tag: e.tag }) : '',
    e.topic ? phrase('notes an interest in “{topic}”', { topic: e.topic }) : '',
    e.call
      ? phrase('asks the {e, select, true {deputy} other {owner}} to call{when}: “{call}”', {
          e: String(e['call-to'] === 'deputy'),
          when,
          call: e.call,
        })
      : '',
    e.opportunity ? phrase('opens an opportunity in {opportunity}', { opportunity: e.opportunity.replace('/', ', ') }) : '',
    e.program ? phrase('starts “{program}”', { program: e.program }) : '',
  ].filter(Boolean);
}
