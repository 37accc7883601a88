import { useEffect, useRef } from 'react';
import { toast } from 'sonner';
import { keep, keptUnder } from '../../ui/kept';
import { phrase } from '../../words/phrase';
import type { Step } from './programFile';
import { asText, stepsIn } from './stepMoves';

/** Steps that were copied last on this machine, for the button that pastes them where the page may not read the clipboard. */
const name = 'steps.copied';
export const copiedSteps = () => keptUnder<string>(name);

/** True where somebody writes, or has picked words to copy: then the keys are theirs. */
function writing() {
  const at = document.activeElement;
  const inField = at instanceof HTMLElement && (at.isContentEditable || /^(INPUT|TEXTAREA|SELECT)$/.test(at.tagName));
  return inField || at?.closest('[role=dialog],[role=menu]') != null || !(window.getSelection()?.isCollapsed ?? true);
}

/**
 * The machine's own keys for copying, cutting and pasting, for the steps that are picked. What is copied is a program file, so that
 * it goes into another program, a mail or an editor as well.
 */
export function useStepClipboard({
  program,
  picked,
  cut,
  paste,
}: {
  program: string;
  picked: () => Step[];
  cut: () => void;
  paste: (steps: Step[]) => void;
}) {
  const latest = useRef({ program, picked, cut, paste });
  latest.current = { program, picked, cut, paste };
  useEffect(() => {
    const copy = (event: ClipboardEvent) => {
      const steps = writing() ? [] : latest.current.picked();
      if (steps.length === 0) return;
      event.preventDefault();
      const text = asText(steps, latest.current.program);
      event.clipboardData?.setData('text/plain', text);
      keep(name, text);
      if (event.type === 'cut') latest.current.cut();
      toast(
        phrase(
          '{steps, plural, one {# step is} other {# steps are}} {type, select, true {taken out} other {copied}}, to be put in here or in another program.',
          { steps: steps.length, type: String(event.type === 'cut') },
        ),
      );
    };
    const take = (event: ClipboardEvent) => {
      if (writing()) return;
      event.preventDefault();
      pasteText(event.clipboardData?.getData('text/plain') ?? '', latest.current.paste);
    };
    document.addEventListener('copy', copy);
    document.addEventListener('cut', copy);
    document.addEventListener('paste', take);
    return () => {
      document.removeEventListener('copy', copy);
      document.removeEventListener('cut', copy);
      document.removeEventListener('paste', take);
    };
  }, []);
}

/** Takes the steps out of a text, or says what is wrong with it. */
export function pasteText(text: string, paste: (steps: Step[]) => void) {
  const steps = stepsIn(text);
  if (typeof steps === 'string') toast.error(steps);
  else paste(steps);
}
