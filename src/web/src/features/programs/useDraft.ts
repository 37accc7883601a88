import { useCallback, useEffect, useRef, useState } from 'react';
import { api, type Schemas, take } from '../../api/client';
import { keep, keptUnder } from '../../ui/kept';
import { useSaving } from '../../ui/useSaving';
import type { ProgramFile } from './programFile';
import { allSteps } from './stepTree';

/** What is written in one go is taken back in one go: changes of one kind that follow each other so fast (milliseconds). */
const oneGo = 900;

/** A draft on this machine, and the number of the one it was made from. */
type Kept = { draft: ProgramFile; number: number };
const nameOf = (id: string) => `program.${id}`;

/**
 * The draft as it is written: every change is kept at once on the page and saved shortly after. A refused save keeps what
 * was written; a conflict with another member is told, never overwritten.
 */
export function useDraft(id: string, loaded: Schemas['ProgramDto']) {
  // What was written and could not be saved before the page was left: taken up where nobody has changed the program since.
  const [left] = useState(() => keptUnder<Kept>(nameOf(id)));
  const [unsaved, setUnsaved] = useState(left && left.number !== loaded.draftNumber ? left.draft : undefined);
  const takenUp = left && left.number === loaded.draftNumber ? left.draft : undefined;
  const [draft, setDraft] = useState(takenUp ?? (loaded.draft as unknown as ProgramFile));
  const [findings, setFindings] = useState(loaded.findings);
  const [line, setLine] = useState(loaded.line);
  const [changed, setChanged] = useState(!loaded.draftIsPublished);
  const number = useRef(loaded.draftNumber);
  const [shownNumber, setShownNumber] = useState(loaded.draftNumber);
  const latest = useRef(draft);
  const { saved, error, written, save } = useSaving(
    async () => {
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
    },
    () => keep(nameOf(id), undefined),
  );

  // Everything since the page was opened, to be taken back and done again.
  const past = useRef<ProgramFile[]>([]);
  const undone = useRef<ProgramFile[]>([]);
  const changedAt = useRef(0);
  const [steps, setSteps] = useState({ back: 0, again: 0 });
  const counted = useCallback(() => setSteps({ back: past.current.length, again: undone.current.length }), []);

  const put = useCallback(
    (next: ProgramFile) => {
      latest.current = next;
      setDraft(latest.current);
      setChanged(true);
      keep(nameOf(id), { draft: latest.current, number: number.current } satisfies Kept);
      written();
    },
    [id, written],
  );

  const change = useCallback(
    (next: ProgramFile | ((before: ProgramFile) => ProgramFile)) => {
      const before = latest.current;
      const after = typeof next === 'function' ? next(before) : next;
      const now = Date.now();
      // Written on in the same steps: part of what went before. Steps that come, go or move are each their own.
      const goesOn = now - changedAt.current < oneGo && past.current.length > 0 && idsOf(before) === idsOf(after);
      changedAt.current = idsOf(before) === idsOf(after) ? now : 0;
      if (!goesOn) past.current.push(before);
      undone.current = [];
      counted();
      put(after);
    },
    [put, counted],
  );

  /** Takes the last change back; false where there is none. */
  const undo = useCallback(() => travel(past.current, undone.current, latest.current, put, counted), [put, counted]);
  /** Does again what was taken back last; false where there is nothing. */
  const redo = useCallback(() => travel(undone.current, past.current, latest.current, put, counted), [put, counted]);

  useEffect(() => {
    if (takenUp) change(takenUp);
  }, []);

  /** What was written here before and never saved, where the program has been changed since: to be used, or thrown away. */
  const settleUnsaved = useCallback(
    (use: boolean) => {
      if (use && unsaved) change(unsaved);
      else keep(nameOf(id), undefined);
      setUnsaved(undefined);
    },
    [change, id, unsaved],
  );

  /** Saves what is not saved and gives the draft's number. */
  const ready = useCallback(async () => {
    await save();
    return number.current;
  }, [save]);

  return {
    draft,
    change,
    findings,
    line,
    saved,
    error,
    changed,
    number: shownNumber,
    ready,
    unsaved: unsaved !== undefined,
    settleUnsaved,
    undo,
    redo,
    mayUndo: steps.back > 0,
    mayRedo: steps.again > 0,
  };
}

/** The steps by their order, to tell writing in them from moving them about. */
const idsOf = (file: ProgramFile) =>
  allSteps(file.steps)
    .map((s) => s.id)
    .join();

function travel(from: ProgramFile[], to: ProgramFile[], now: ProgramFile, put: (file: ProgramFile) => void, counted: () => void) {
  const there = from.pop();
  if (!there) return false;
  to.push(now);
  counted();
  put(there);
  return true;
}
