import { type ReactNode, useEffect, useRef, useState } from 'react';
import { phrase } from '../words/phrase';

/** The page every main screen uses: gutter (when) · text (what) · margin (why, for whom). Under 1100 px the margin slides over. */
export function DayPage({ children, margin, marginTitle }: { children: ReactNode; margin: ReactNode; marginTitle: string }) {
  const [open, setOpen] = useState(false);
  const sheet = useRef<HTMLElement>(null);
  const opener = useRef<HTMLButtonElement>(null);
  // Where the margin slides over the page, it takes the focus and gives it back; Escape closes it.
  const wasOpen = useRef(false);
  useEffect(() => {
    if (open) sheet.current?.focus();
    else if (wasOpen.current) opener.current?.focus();
    wasOpen.current = open;
  }, [open]);
  return (
    <div className={`day-page ${open ? 'margin-open' : ''}`}>
      <div className="gutter-rail" />
      <main className="text" id="main">
        {children}
      </main>
      <aside
        ref={sheet}
        className="margin"
        aria-label={marginTitle}
        tabIndex={-1}
        onKeyDown={(e) => open && e.key === 'Escape' && setOpen(false)}
      >
        <div className="sticky -top-[22px] z-10 -mx-6 -mt-[22px] bg-paper px-6 pt-3 pb-1 text-right min-[1100px]:hidden">
          <button type="button" className="min-h-6 text-soft hover:text-ink" onClick={() => setOpen(false)}>
            {phrase('close')}
          </button>
        </div>
        <h2 className="sr-only">{marginTitle}</h2>
        {margin}
      </aside>
      {!open && (
        <button
          ref={opener}
          type="button"
          className="float fixed right-3 bottom-3 px-3 py-2 text-small text-leaf min-[1100px]:hidden"
          aria-expanded={false}
          onClick={() => setOpen(true)}
        >
          {marginTitle}
        </button>
      )}
    </div>
  );
}

/** The page's own title in the browser's tab and history. */
export function useTitle(title: string | undefined) {
  useEffect(() => {
    if (title) document.title = phrase('{title} · Germinal', { title });
  }, [title]);
}

/** The head of a page: its title in Literata and a line of soft words at the right. */
export function PageHead({ title, aside, children }: { title: ReactNode; aside?: ReactNode; children?: ReactNode }) {
  useTitle(typeof title === 'string' ? title : undefined);
  return (
    <header className="px-7 pt-5 pb-3.5 max-[699px]:px-4">
      <div className="flex flex-wrap items-baseline justify-between gap-x-6 gap-y-1">
        {typeof title === 'string' ? <h1>{title}</h1> : title}
        {aside && <div className="text-small text-soft [&_a]:inline-block [&_a]:leading-6">{aside}</div>}
      </div>
      {children}
    </header>
  );
}

/** A stretch of a page: a ruled heading. */
export function Stretch({ title, note }: { title: string; note?: ReactNode }) {
  return (
    <div className="stretch">
      <h2>{title}</h2>
      {note !== undefined && <span className="text-small text-soft">{note}</span>}
    </div>
  );
}
