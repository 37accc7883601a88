import { type QueryClient, useQueryClient } from '@tanstack/react-query';
import { useEffect, useRef } from 'react';
import { undoLast } from './undo';

/** A box that picks a line: nobody types into it, and one goes on by key from there. Those of a form belong to what is written. */
const picks = (target: HTMLElement) => target instanceof HTMLInputElement && target.type === 'checkbox' && target.form === null;

/** True where what is pressed belongs to a field or something that floats. */
export function typing(target: EventTarget | null) {
  return (
    target instanceof HTMLElement &&
    (target.isContentEditable ||
      (/^(INPUT|TEXTAREA|SELECT)$/.test(target.tagName) && !picks(target)) ||
      target.closest('[role=dialog],[role=menu],[role=listbox]') !== null)
  );
}

/** Enter on a button or a link presses it. Only what stands for a picked line (`data-pick`) leaves Enter to the page. */
const presses = (event: KeyboardEvent) =>
  event.key === 'Enter' && event.target instanceof Element && event.target.closest('button:not([data-pick]), a, summary') !== null;

/** Single keys that work while nobody is typing and no dialog is open. Keys as `KeyboardEvent.key`. */
export function useKeys(keys: Record<string, (event: KeyboardEvent) => void>) {
  const latest = useRef(keys);
  latest.current = keys;
  useEffect(() => {
    function press(event: KeyboardEvent) {
      if (event.ctrlKey || event.metaKey || event.altKey || event.defaultPrevented || typing(event.target) || presses(event)) return;
      const action = latest.current[event.key];
      if (action) {
        event.preventDefault();
        action(event);
      }
    }
    window.addEventListener('keydown', press);
    return () => window.removeEventListener('keydown', press);
  }, []);
}

/** Ctrl+Enter (or its like on a Mac) saves what one writes: it sends the form the cursor is in. */
export function useSaveKey() {
  useEffect(() => {
    function press(event: KeyboardEvent) {
      if (event.key !== 'Enter' || !(event.ctrlKey || event.metaKey) || event.defaultPrevented) return;
      const form = event.target instanceof Element ? event.target.closest('form') : null;
      if (!form) return;
      event.preventDefault();
      form.requestSubmit();
    }
    window.addEventListener('keydown', press);
    return () => window.removeEventListener('keydown', press);
  }, []);
}

/** Resolves when nothing is on its way to the server any more. What waits for a line to come back is not waited for. */
function allArrived(queries: QueryClient) {
  const arrived = () => queries.isMutating({ predicate: (m) => !m.state.isPaused }) === 0;
  return new Promise<void>((resolve) => {
    if (arrived()) return resolve();
    const leave = queries.getMutationCache().subscribe(() => {
      if (!arrived()) return;
      leave();
      resolve();
    });
  });
}

/**
 * Ctrl+Z (or its like on a Mac) takes back what was done last; in a field it stays the field's own.
 * Pressed while something is on its way it means that, and takes it back as soon as it has arrived.
 */
export function useUndoKey() {
  const queries = useQueryClient();
  useEffect(() => {
    function press(event: KeyboardEvent) {
      if (event.key !== 'z' || !(event.ctrlKey || event.metaKey) || event.shiftKey || event.defaultPrevented || typing(event.target))
        return;
      event.preventDefault();
      allArrived(queries).then(undoLast);
    }
    window.addEventListener('keydown', press);
    return () => window.removeEventListener('keydown', press);
  }, [queries]);
}
