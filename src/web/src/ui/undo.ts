import { toast } from 'sonner';
import { phrase } from '../words/phrase';

/** Something that was done at once, and how it is taken back. Gives back what to say afterwards; nothing for “Taken back.” */
type Undo = () => Promise<unknown>;

/** What was done on this page since it was loaded, the newest last. */
const done: { words: string; undo: Undo }[] = [];

async function takeBack(entry: (typeof done)[number]) {
  const at = done.indexOf(entry);
  if (at < 0) return;
  done.splice(at, 1);
  try {
    const words = await entry.undo();
    toast(typeof words === 'string' ? words : phrase('Taken back: {words}', { words: entry.words }));
  } catch (e) {
    toast.error(e instanceof Error ? e.message : String(e));
  }
}

/** Says what was done. With an undo it can be taken back from there, and by Ctrl+Z for as long as it is the last. */
export function said(words: string, undo?: Undo) {
  if (!undo) {
    toast(words);
    return;
  }
  const entry = { words, undo };
  done.push(entry);
  toast(words, { action: { label: phrase('Undo'), onClick: () => takeBack(entry) } });
}

/** Takes the last thing back that was done on this page. */
export function undoLast() {
  const entry = done.at(-1);
  if (entry) takeBack(entry);
  else toast(phrase('There is nothing to take back. What was done earlier can be taken back where it stands, in the thread.'));
}
