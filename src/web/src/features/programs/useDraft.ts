import { useCallback, useEffect, useRef, useState } from 'react';
import { ApiError, api, type Schemas, take } from '../../api/client';
import type { ProgramFile } from './programFile';

const restBeforeSaving = 500;

/**
 * The draft as it is written: every change is kept at once on the page and saved shortly after. A refused save keeps what
 * was written; a conflict with another member is told, never overwritten.
 */
export function useDraft(id: string, loaded: Schemas['ProgramDto']) {
  const [draft, setDraft] = useState(loaded.draft as unknown as ProgramFile);
  const [findings, setFindings] = useState(loaded.findings);
  const [line, setLine] = useState(loaded.line);
  const [saved, setSaved] = useState<'saved' | 'writing' | 'saving'>('saved');
  const [error, setError] = useState<ApiError>();
  const [changed, setChanged] = useState(!loaded.draftIsPublished);
  const number = useRef(loaded.draftNumber);
  const [shownNumber, setShownNumber] = useState(loaded.draftNumber);
  const latest = useRef(draft);
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
        const answer = await take(
          api.PUT('/api/programs/{id}/draft', {
            params: { path: { id } },
            body: { draftNumber: number.current, draft: latest.current as never },
          }),
        );
        number.current = answer.draftNumber;
        setShownNumber(answer.draftNumber);
        setFindings(answer.findings);
        setLine(answer.line);
        setError(undefined);
        setSaved(dirty.current ? 'writing' : 'saved');
      } catch (e) {
        dirty.current = true;
        setSaved('writing');
        setError(e instanceof ApiError ? e : new ApiError(String(e), 0));
      }
    })();
    running.current = work;
    await work;
    running.current = undefined;
  }, [id]);

  const change = useCallback(
    (next: ProgramFile | ((before: ProgramFile) => ProgramFile)) => {
      latest.current = typeof next === 'function' ? next(latest.current) : next;
      setDraft(latest.current);
      setChanged(true);
      dirty.current = true;
      setSaved('writing');
      clearTimeout(timer.current);
      timer.current = setTimeout(save, restBeforeSaving);
    },
    [save],
  );

  // What is not saved yet is saved when the page is left.
  useEffect(
    () => () => {
      if (dirty.current) save();
    },
    [save],
  );

  /** Saves what is not saved and gives the draft's number. */
  const ready = useCallback(async () => {
    await save();
    return number.current;
  }, [save]);

  return { draft, change, findings, line, saved, error, changed, number: shownNumber, ready };
}
