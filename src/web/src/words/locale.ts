/** A tongue of the interface, with its ways of writing dates and numbers (BCP 47). */
export type Locale = 'en-GB' | 'en-US' | 'de-DE';

/** Each as its own speakers call it. */
export const locales: Record<Locale, string> = { 'en-GB': 'English (UK)', 'en-US': 'English (US)', 'de-DE': 'Deutsch' };

/** Messages of the code, as they stand there, in other words. What is not in it is said as it stands. */
export type Catalogue = Record<string, string>;

const known = (tag: string): tag is Locale => tag in locales;

let spoken: Locale = 'en-GB';
let catalogue: Catalogue = {};

/** The tongue that is spoken. It does not change while a page is open: another is taken up by loading it anew. */
export const locale = () => spoken;

/** The words that are spoken in place of those of the code. */
export const spokenWords = () => catalogue;

/** Speaks a tongue with the words of its catalogue. To be called before anything is said. */
export function speak(tongue: Locale, words: Catalogue = {}) {
  spoken = tongue;
  catalogue = words;
}

const cookie = 'germinal-tongue';

/**
 * The tongue this browser was left in; else German where the browser asks for it, else English.
 * What is kept is read by the server too, so that its answers are in the same words.
 */
export function keptTongue(): Locale {
  const kept = new RegExp(`(?:^|; )${cookie}=(?:[^;]*\\|)?uic=([\\w-]+)`).exec(decodeURIComponent(document.cookie))?.[1];
  if (kept && known(kept)) return kept;
  return navigator.languages.find((l) => /^(de|en)\b/.test(l))?.startsWith('de') ? 'de-DE' : 'en-GB';
}

/** Keeps the tongue for this browser, in the form the server's framework reads. */
export function keepTongue(tongue: Locale) {
  // biome-ignore lint/suspicious/noDocumentCookie: the cookie store is not in every browser yet.
  document.cookie = `${cookie}=${encodeURIComponent(`c=${tongue}|uic=${tongue}`)}; path=/; max-age=31536000; samesite=lax`;
}

/** Takes up another tongue for this browser: the page is loaded anew in it. Where the browser keeps none, it stays. */
export function changeTongue(tongue: string) {
  if (!known(tongue) || tongue === spoken) return;
  keepTongue(tongue);
  if (keptTongue() === tongue) location.reload();
}

/** The words of a tongue, from the catalogue that ships with the application. */
export async function catalogueOf(tongue: Locale): Promise<Catalogue> {
  if (tongue === 'de-DE') return (await import('../../../words/de.json')).default;
  if (tongue === 'en-US') return (await import('../../../words/en-US.json')).default;
  return {};
}
