import { useCallback, useEffect, useRef, useState } from 'react';
import { ApiError } from '../api/client';

const restBeforeSaving = 500;
const beforeAgain = 4_000;

/**
 * Saves what is written shortly after the last change, one save at a time, and when the page is left. What is refused stays written and is told; where
 * nobody answered it is tried again by itself.
 * @param send sends what is written as it stands by then
 * @param settled called where nothing written since is left to be saved
 */
export function useSaving(send: () => Promise<void>, settled?: () => void) {
  const [saved, setSaved] = useState<'saved' | 'writing' | 'saving'>('saved');
  const [error, setError] = useState<ApiError>();
  const calls = useRef({ send, settled });
  calls.current = { send, settled };
  const timer = useRef<ReturnType<typeof setTimeout>>(undefined);
  const dirty = useRef(false);
  const running = useRef<Promise<void>>(undefined);

  const save = useCallback(async () => {
    clearTimeout(timer.current);
    while (running.current) await running.current;
    if (!dirty.current) return;
    dirty.current = false;
    setSaved('saving');
    const work = (async () => {
      try {
        await calls.current.send();
        setError(undefined);
        setSaved(dirty.current ? 'writing' : 'saved');
        if (!dirty.current) calls.current.settled?.();
      } catch (e) {
        dirty.current = true;
        setSaved('writing');
        const problem = e instanceof ApiError ? e : new ApiError(String(e), 0);
        setError(problem);
        if (problem.status === 0) timer.current = setTimeout(save, beforeAgain);
      }
    })();
    running.current = work;
    await work;
    running.current = undefined;
  }, []);

  /** Says that something was written. */
  const written = useCallback(() => {
    dirty.current = true;
    setSaved('writing');
    clearTimeout(timer.current);
    timer.current = setTimeout(save, restBeforeSaving);
  }, [save]);

  useEffect(() => () => void save(), [save]);
  useEffect(() => {
    window.addEventListener('online', save);
    return () => window.removeEventListener('online', save);
  }, [save]);
  return { saved, error, written, save };
}
