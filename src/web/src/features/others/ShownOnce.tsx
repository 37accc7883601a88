import { useEffect, useRef } from 'react';
import { toast } from 'sonner';
import { Button } from '../../ui/bits';
import { phrase } from '../../words/phrase';

/** Something secret that is shown once; the focus comes here, so that nobody leaves without having seen it. */
export function ShownOnce({ words, secret, done }: { words: string; secret: string; done: () => void }) {
  const shown = useRef<HTMLInputElement>(null);
  useEffect(() => {
    shown.current?.focus();
    shown.current?.select();
  }, []);
  return (
    <section
      aria-label={phrase('Shown once')}
      className="mx-7 my-3 border-l-[3px] border-straw bg-straw-pale px-3 py-2 text-small max-[699px]:mx-4"
    >
      <p className="m-0">{words}</p>
      <p className="m-0 mt-1 flex flex-wrap items-center gap-x-4 gap-y-1">
        <input ref={shown} readOnly aria-label={words} className="w-full max-w-[38rem] font-mono" value={secret} />
        <Button
          className="min-h-6"
          onClick={() =>
            navigator.clipboard.writeText(secret).then(
              () => toast(phrase('Copied.')),
              () => toast(phrase('Copy it by hand, please.')),
            )
          }
        >
          {phrase('copy')}
        </Button>
        <Button className="min-h-6" onClick={done}>
          {phrase('I have it')}
        </Button>
      </p>
    </section>
  );
}
