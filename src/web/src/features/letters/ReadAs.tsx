import { Dialog } from 'radix-ui';
import { useEffect, useRef, useState } from 'react';
import { Button } from '../../ui/bits';
import { phrase } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';

/** A letter in each of the ways it is read. */
export type AsRead = { subject: string; page: string; text: string; from: string };

const ways = { desk: phrase('at a desk'), phone: phrase('on a phone'), plain: phrase('as plain text') } as const;
type Way = keyof typeof ways;

/** Width of the page in each way, in pixels. */
const widths: Record<Exclude<Way, 'plain'>, number> = { desk: 640, phone: 360 };

/** What a page may do in its frame: show pictures and its own look, nothing else. */
const policy = `<meta http-equiv="Content-Security-Policy" content="default-src 'none'; img-src http: https: data:; style-src 'unsafe-inline'">`;

/** The letter as it arrives, at a desk, on a phone or as plain text; another reader is a key away. */
export function ReadAs({ letter, person, another }: { letter: AsRead; person: string; another: (move: number) => void }) {
  const [way, setWay] = useState<Way>('desk');
  const [open, setOpen] = useState(false);
  return (
    <Dialog.Root open={open} onOpenChange={setOpen}>
      <Dialog.Trigger asChild>
        <Button>{phrase('as it arrives')}</Button>
      </Dialog.Trigger>
      <Dialog.Portal container={open ? document.getElementById('main') : undefined}>
        <Dialog.Overlay className="fixed inset-0 z-50 bg-ink/30" />
        <Dialog.Content
          aria-describedby={undefined}
          className="float fixed inset-x-0 top-4 bottom-4 z-60 mx-auto flex max-w-[720px] flex-col p-0"
          onKeyDown={(e) => {
            if (e.key === '[') another(-1);
            if (e.key === ']') another(1);
          }}
        >
          <div className="flex flex-wrap items-baseline gap-x-5 gap-y-1 border-b border-rule px-5 py-3">
            <Dialog.Title className="min-w-0 flex-1 !text-lead">{letter.subject || phrase('No subject')}</Dialog.Title>
            <Dialog.Close asChild>
              <Button look="plain">{phrase('close')}</Button>
            </Dialog.Close>
            <p className="w-full text-small text-soft">
              <Sentence
                m="from {from} to {person} · <button>the one before {kbd}</button> · <button2>the next {kbd2}</button2>"
                v={{
                  from: letter.from,
                  person,
                  kbd: <kbd>[</kbd>,
                  button: (c) => <Button onClick={() => another(-1)}>{c}</Button>,
                  kbd2: <kbd>]</kbd>,
                  button2: (c) => <Button onClick={() => another(1)}>{c}</Button>,
                }}
              />
            </p>
            <fieldset className="flex w-full gap-5 text-small">
              <legend className="sr-only">{phrase('How it is read')}</legend>
              {(Object.keys(ways) as Way[]).map((w) => (
                <label key={w} className="inline-flex min-h-6 items-center gap-1.5">
                  <input type="radio" name="way" checked={way === w} onChange={() => setWay(w)} /> {ways[w]}
                </label>
              ))}
            </fieldset>
          </div>
          <div className="min-h-0 flex-1 overflow-auto">
            {way === 'plain' ? (
              // biome-ignore lint/a11y/noNoninteractiveTabindex: what scrolls is reached by key
              <pre tabIndex={0} className="m-0 px-5 py-4 text-small whitespace-pre-wrap">
                {letter.text}
              </pre>
            ) : (
              <Page html={letter.page} width={widths[way]} title={phrase('The letter {ways}', { ways: ways[way] })} />
            )}
          </div>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

/** The page of a mail program, as wide as that would show it; nothing runs in it, and its links lead nowhere from here. */
function Page({ html, width, title }: { html: string; width: number; title: string }) {
  const frame = useRef<HTMLIFrameElement>(null);
  const [height, setHeight] = useState(400);
  useEffect(() => setHeight(400), [width]);
  return (
    <iframe
      ref={frame}
      title={title}
      sandbox="allow-same-origin"
      className="mx-auto block max-w-full border-0 bg-white"
      style={{ width, height }}
      srcDoc={html.replace('<head>', `<head>${policy}<base target="_blank">`)}
      onLoad={() => {
        const page = frame.current?.contentDocument;
        if (!page) return;
        const measure = () => setHeight(page.documentElement.offsetHeight);
        measure();
        new ResizeObserver(measure).observe(page.body);
      }}
    />
  );
}
