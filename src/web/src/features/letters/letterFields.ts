/** Merge fields as words one cannot break: in the file they are Liquid, in the editor elements of their own. */

/** A merge field taken apart: a field with what stands there without a value, two wordings, or anything else as it is written. */
export type Merge =
  | { kind: 'field'; field: string; otherwise?: string }
  | { kind: 'voice'; one: string; many: string }
  | { kind: 'other'; text: string };

const quoted = `"([^"]*)"|'([^']*)'`;
const ofField = new RegExp(`^\\{\\{\\s*([\\w.]+(?:\\['[^']+'\\])?)\\s*(?:\\|\\s*default:\\s*(?:${quoted})\\s*)?\\}\\}$`);
const ofVoice = new RegExp(`^\\{\\{\\s*(?:${quoted})\\s*\\|\\s*we:\\s*(?:${quoted})\\s*\\}\\}$`);

/** What a template says. */
export function readMerge(template: string): Merge {
  const field = ofField.exec(template);
  if (field?.[1]) return { kind: 'field', field: field[1], otherwise: field[2] ?? field[3] };
  const voice = ofVoice.exec(template);
  if (voice) return { kind: 'voice', one: voice[1] ?? voice[2] ?? '', many: voice[3] ?? voice[4] ?? '' };
  return { kind: 'other', text: template };
}

/** The same as a template. Quotation marks in the words become the round ones, which end no literal. */
export function writeMerge(merge: Merge): string {
  if (merge.kind === 'field') return `{{ ${merge.field}${merge.otherwise ? ` | default: ${literal(merge.otherwise)}` : ''} }}`;
  if (merge.kind === 'voice') return `{{ ${literal(merge.one)} | we: ${literal(merge.many)} }}`;
  return merge.text;
}

const literal = (words: string) => `"${words.replaceAll('"', '”').replace(/[{}]/g, '')}"`;

/** What is printed for a value; tags such as `{% if … %}` stay words. */
const printed = /\{\{.*?\}\}/gs;

/** The element that stands for a merge field. */
export const fieldElement = 'span[data-field]';

/** A letter's HTML as the editor takes it: each merge field in its words an element. Those inside an address stay there. */
export function toEditor(html: string): string {
  return overText(html, (text, page) => {
    const parts: Node[] = [];
    let from = 0;
    for (const match of text.matchAll(printed)) {
      parts.push(page.createTextNode(text.slice(from, match.index)));
      const field = page.createElement('span');
      field.dataset.field = match[0];
      parts.push(field);
      from = match.index + match[0].length;
    }
    return from === 0 ? undefined : [...parts, page.createTextNode(text.slice(from))];
  });
}

/** The editor's HTML as the letter keeps it. */
export function fromEditor(html: string): string {
  const page = new DOMParser().parseFromString(html, 'text/html');
  for (const field of page.querySelectorAll<HTMLElement>(fieldElement)) field.replaceWith(page.createTextNode(field.dataset.field ?? ''));
  return page.body.innerHTML;
}

function overText(html: string, change: (text: string, page: Document) => Node[] | undefined): string {
  const page = new DOMParser().parseFromString(html, 'text/html');
  const walker = page.createTreeWalker(page.body, NodeFilter.SHOW_TEXT);
  const texts: Text[] = [];
  while (walker.nextNode()) texts.push(walker.currentNode as Text);
  for (const text of texts) {
    const parts = change(text.data, page);
    if (parts) text.replaceWith(...parts);
  }
  return page.body.innerHTML;
}
