/**
 * What comes from a word processor or a page, without what those put into it: styles, notes to themselves, lists drawn by hand.
 * What the letter cannot hold otherwise, the editor leaves out by itself.
 */
export function cleanPaste(html: string): string {
  const page = new DOMParser().parseFromString(html.replace(/<!--[\s\S]*?-->/g, '').replace(/<\/?[a-z]+:[^>]*>/gi, ''), 'text/html');
  for (const gone of page.querySelectorAll(
    'style, script, meta, link, title, xml, [style*="mso-list:Ignore"], [style*="mso-list: Ignore"]',
  )) {
    gone.remove();
  }
  boldAndItalic(page);
  drawnLists(page);
  for (const p of page.querySelectorAll('p, h1, h2, h3')) {
    if (p.textContent?.replaceAll('\u00a0', '').trim() === '' && !p.querySelector('img, br')) p.remove();
  }
  for (const e of page.querySelectorAll('*')) {
    e.removeAttribute('style');
    e.removeAttribute('class');
    e.removeAttribute('lang');
    e.removeAttribute('align');
  }
  return page.body.innerHTML;
}

/** Weight and slant that are written as a style become the letter's own; a bold that says it is none is taken off. */
function boldAndItalic(page: Document) {
  for (const b of page.querySelectorAll<HTMLElement>('b, strong')) {
    if (/^(normal|400)$/.test(b.style.fontWeight)) b.replaceWith(...b.childNodes);
  }
  for (const span of page.querySelectorAll<HTMLElement>('span')) {
    const bold = /^(bold|[6-9]00)$/.test(span.style.fontWeight);
    const italic = span.style.fontStyle === 'italic';
    if (!bold && !italic) continue;
    const made = page.createElement(bold ? 'strong' : 'em');
    if (bold && italic) {
      const inner = page.createElement('em');
      inner.append(...span.childNodes);
      made.append(inner);
    } else made.append(...span.childNodes);
    span.replaceWith(made);
  }
}

/** Paragraphs that only look like items of a list become one. */
function drawnLists(page: Document) {
  let list: HTMLElement | undefined;
  for (const p of [...page.querySelectorAll<HTMLElement>('p')]) {
    const drawn = /MsoListParagraph/.test(p.className) || /mso-list/.test(p.getAttribute('style') ?? '');
    if (!drawn) {
      list = undefined;
      continue;
    }
    const begins = /^[\s\u00a0]*(?:([•·▪o§-])|(\d{1,2}|[a-z])[.)])[\s\u00a0]+/.exec(p.textContent ?? '');
    const kind = begins?.[2] ? 'ol' : 'ul';
    if (!list || list.localName !== kind || list.nextElementSibling !== p) {
      list = page.createElement(kind);
      p.before(list);
    }
    if (begins) takeOff(p, begins[0].length);
    const item = page.createElement('li');
    const words = page.createElement('p');
    words.append(...p.childNodes);
    item.append(words);
    list.append(item);
    p.remove();
  }
}

/** Takes the first letters off an element, wherever they stand in it. */
function takeOff(element: Element, letters: number) {
  const walker = element.ownerDocument.createTreeWalker(element, NodeFilter.SHOW_TEXT);
  let left = letters;
  while (left > 0 && walker.nextNode()) {
    const text = walker.currentNode as Text;
    const cut = Math.min(left, text.data.length);
    text.data = text.data.slice(cut);
    left -= cut;
  }
}
