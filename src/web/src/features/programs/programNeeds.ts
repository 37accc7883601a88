import { phrase } from '../../words/phrase';
import type { ProgramFile } from './programFile';

/** What a program asks for by name, and whether the practice has it: what comes from elsewhere often calls things otherwise. */

/** A kind of thing that programs name. */
export type NeedKind = 'stage' | 'tag' | 'letter' | 'offer' | 'figures' | 'file' | 'program' | 'policy' | 'topic';
export type Need = { kind: NeedKind; name: string };

/** In words, with its article. */
export const needWords: Record<NeedKind, string> = {
  stage: phrase('the stage'),
  tag: phrase('the tag'),
  letter: phrase('the letter'),
  offer: phrase('the offer'),
  figures: phrase('the figures'),
  file: phrase('the file'),
  program: phrase('the program'),
  policy: phrase('the policy'),
  topic: phrase('the topic'),
};

/** Places in letters that name something kept elsewhere. */
const placed = /(<div[^>]*data-part="(offer|figures)"[^>]*data-of=")([^"]*)(")/g;
const placedOtherWay = /(<div[^>]*data-of=")([^"]*)("[^>]*data-part="(offer|figures)")/g;

type Change = (kind: NeedKind, name: string) => string;

/** The draft with each name it asks for passed through `change`. */
function overNames<T>(value: T, change: Change, key = '', inStep = false): T {
  if (typeof value === 'string') return overText(value, change, key, inStep) as T;
  if (Array.isArray(value)) {
    if (key === 'attachments') return value.map((v) => (typeof v === 'string' ? change('file', v) : v)) as T;
    return value.map((v) => overNames(v, change, key, inStep)) as T;
  }
  if (typeof value !== 'object' || value === null) return value;
  const leaf = value as Record<string, unknown>;
  const asked = leaf.field === 'stage' ? 'stage' : leaf.field === 'tags' ? 'tag' : undefined;
  const isHandOver = leaf.kind === 'hand-over';
  return Object.fromEntries(
    Object.entries(leaf).map(([k, v]) => {
      if (k === 'value' && asked)
        return [
          k,
          Array.isArray(v) ? v.map((x) => (typeof x === 'string' ? change(asked, x) : x)) : typeof v === 'string' ? change(asked, v) : v,
        ];
      if (k === 'program' && (isHandOver || leaf.kind === 'program-finished') && typeof v === 'string' && v)
        return [k, change('program', v)];
      return [k, overNames(v, change, k, inStep || k === 'steps')];
    }),
  ) as T;
}

function overText(text: string, change: Change, key: string, inStep: boolean) {
  if (key === 'stage') return change('stage', text);
  if (key === 'tag' || key === 'tagOff') return change('tag', text);
  if (key === 'letter' && inStep) return change('letter', text);
  if (key === 'policy') return change('policy', text);
  if (key === 'topic') return change('topic', text);
  if (key !== 'body') return text;
  return text
    .replace(placed, (_, before, part, name, after) => `${before}${encode(change(part as NeedKind, decode(name)))}${after}`)
    .replace(placedOtherWay, (_, before, name, after, part) => `${before}${encode(change(part as NeedKind, decode(name)))}${after}`);
}

const decode = (text: string) => text.replaceAll('&quot;', '"').replaceAll('&lt;', '<').replaceAll('&gt;', '>').replaceAll('&amp;', '&');
const encode = (text: string) => text.replaceAll('&', '&amp;').replaceAll('"', '&quot;').replaceAll('<', '&lt;').replaceAll('>', '&gt;');

const same = (a: string, b: string) => a.toLowerCase() === b.toLowerCase();

/** What a program asks for that is not among what there is, each once; a kind of which nothing is known yet is left out. */
export function needsOf(draft: ProgramFile, there: Partial<Record<NeedKind, readonly string[]>>): Need[] {
  const found: Need[] = [];
  overNames(draft, (kind, name) => {
    const known = there[kind];
    if (known && name && !known.some((k) => same(k, name)) && !found.some((n) => n.kind === kind && same(n.name, name)))
      found.push({ kind, name });
    return name;
  });
  return found;
}

/** The program asking for something else in the place of what is not there. */
export const insteadOf = (draft: ProgramFile, need: Need, name: string): ProgramFile =>
  overNames(draft, (kind, asked) => (kind === need.kind && same(asked, need.name) ? name : asked));
