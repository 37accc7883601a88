import { useQueryClient } from '@tanstack/react-query';
import { useCallback, useRef, useState } from 'react';
import { api, type Schemas, take } from '../../api/client';
import { useSaving } from '../../ui/useSaving';
import type { FormFile } from './formFile';

/** The form as it is written: each change stands on the page at once and is saved shortly after. */
export function useFormDraft(loaded: Schemas['FormDto']) {
  const queries = useQueryClient();
  const [draft, setDraft] = useState(loaded.draft as unknown as FormFile);
  const [findings, setFindings] = useState(loaded.findings);
  const edition = useRef(loaded.edition);
  const latest = useRef(draft);
  const { saved, error, written, save } = useSaving(async () => {
    const answer = await take(
      api.PUT('/api/forms/{id}', {
        params: { path: { id: loaded.id } },
        body: { edition: edition.current, draft: latest.current as never },
      }),
    );
    edition.current = answer.edition;
    setFindings(answer.findings);
    queries.setQueryData(['form', loaded.id], answer);
  });
  const change = useCallback(
    (next: FormFile) => {
      latest.current = next;
      setDraft(next);
      written();
    },
    [written],
  );
  return { draft, change, findings, saved, error, save };
}
