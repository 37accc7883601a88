import { useQueryClient } from '@tanstack/react-query';
import { useCallback, useEffect, useRef, useState } from 'react';
import { ApiError, api, type Schemas, take } from '../../api/client';
import type { FormFile } from './formFile';

const restBeforeSaving = 500;
const beforeAgain = 4_000;

/** The form as it is written: each change stands on the page at once and is saved shortly after, one save at a time. */
export function useFormDraft(loaded: Schemas['FormDto']) {
  const queries = useQueryClient();
  const [draft, setDraft] = useState(loaded.draft as unknown as FormFile);
  const [findings, setFindings] = useState(loaded.findings);
  const [saved, setSaved] = useState<'saved' | 'writing' | 'saving'>('saved');
  const [error, setError] = useState<ApiError>();
  const edition = useRef(loaded.edition);
  const latest = useRef(draft);
  const dirty = useRef(false);
  const running = useRef<Promise<void>>(undefined);
  const timer = useRef<ReturnType<typeof setTimeout>>(undefined);

  const save = useCallback(async () => {
    clearTimeout(timer.current);
    while (running.current) await running.current;
    if (!dirty.current) return;
    dirty.current = false;
    setSaved('saving');
    running.current = (async () => {
      try {
        const answer = await take(
          api.PUT('/api/forms/{id}', {
            params: { path: { id: loaded.id } },
            body: { edition: edition.current, draft: latest.current as never },
          }),
        );
        edition.current = answer.edition;
        setFindings(answer.findings);
        setError(undefined);
        setSaved(dirty.current ? 'writing' : 'saved');
        queries.setQueryData(['form', loaded.id], answer);
      } catch (e) {
        // What is written stays on the page; where nobody answered it is tried again by itself.
        dirty.current = true;
        setSaved('writing');
        const problem = e instanceof ApiError ? e : new ApiError(String(e), 0);
        setError(problem);
        if (problem.status === 0) timer.current = setTimeout(save, beforeAgain);
      }
    })();
    await running.current;
    running.current = undefined;
  }, [loaded.id, queries]);

  const change = useCallback(
    (next: FormFile) => {
      latest.current = next;
      dirty.current = true;
      setDraft(next);
      setSaved('writing');
      clearTimeout(timer.current);
      timer.current = setTimeout(save, restBeforeSaving);
    },
    [save],
  );

  // Leaving the page saves what is written.
  useEffect(() => () => void save(), [save]);
  return { draft, change, findings, saved, error, save };
}
