import literata from '@fontsource-variable/literata/files/literata-latin-opsz-normal.woff2?url';
import { useRef, useState } from 'react';

/**
 * The frame's own rules, besides those of the page, which it inherits: nothing runs in it, nothing but its pictures and
 * the font is fetched.
 */
const policy = "default-src 'none'; img-src http: https: data:; font-src 'self'; style-src 'unsafe-inline'";

/** How the words of a letter stand on the page. */
const style = `
@font-face { font-family: Literata; src: url(${literata}) format('woff2'); font-weight: 200 900; }
body { margin: 0; font: 400 14px/1.5 Literata, Georgia, serif; overflow-wrap: anywhere; overflow-x: auto; overflow-y: hidden; }
p, ul, ol { margin: 0 0 0.9em; }
ul, ol { padding-left: 1.3em; }
li p { margin: 0 0 0.3em; }
h1, h2, h3 { font-size: 17px; line-height: 1.35; font-weight: 600; margin: 0 0 0.5em; }
a { color: inherit; text-decoration: underline; }
img { max-width: 100%; height: auto; }
table { width: 100%; border-collapse: collapse; margin: 0 0 0.9em; }
td, th { padding: 3px 8px 3px 0; border-bottom: 1px solid; text-align: left; vertical-align: top; }
td p, th p { margin: 0; }
blockquote { margin: 0 0 0.9em; padding-left: 12px; border-left: 3px solid; opacity: 0.85; }
[data-part=columns] { display: flex; gap: 14px; }
[data-part=column] { flex: 1; min-width: 0; }
[data-part=button] a { display: inline-block; padding: 6px 14px; border: 1px solid; border-radius: 3px; text-decoration: none; font-weight: 600; }
[data-align=middle] { display: block; margin: 0 auto; }
[data-align=right] { display: block; margin: 0 0 0 auto; }`;

/** A document with the letter's words in it; its links lead nowhere from here: following one would be the recipient's word. */
export function letterPage(html: string): string {
  return `<!doctype html><meta charset="utf-8"><meta http-equiv="Content-Security-Policy" content="${policy}"><base target="_blank"><style>${style}</style><body>${html}`;
}

/**
 * A letter as its recipient gets it. The server has sanitised it; the frame is the second wall: without scripts, forms,
 * windows or a way out, and with a style of its own, so that a letter cannot dress up as part of the page.
 */
export function Letter({ html, title }: { html: string; title: string }) {
  const frame = useRef<HTMLIFrameElement>(null);
  const [height, setHeight] = useState(40);
  const fit = () => {
    const page = frame.current?.contentDocument;
    if (!page || !frame.current) return;
    const look = getComputedStyle(frame.current);
    page.documentElement.style.colorScheme = look.colorScheme;
    page.body.style.color = look.color;
    const measure = () => setHeight(page.documentElement.offsetHeight);
    measure();
    // Pictures and the font come later.
    new ResizeObserver(measure).observe(page.body);
  };
  return (
    <iframe
      ref={frame}
      title={title}
      sandbox="allow-same-origin"
      className="block w-full border-0 text-ink"
      style={{ height }}
      srcDoc={letterPage(html)}
      onLoad={fit}
    />
  );
}
