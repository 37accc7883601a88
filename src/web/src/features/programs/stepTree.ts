import { newId, type Step } from './programFile';

/** Steps inside steps: the passages of forks and splits, and what is done to a step wherever it stands. */

/** A passage of a step: its steps, and where they stand in the file below the step. */
export type PassageOf = { pointer: string; steps: Step[] };

/** The passages of a step, in the order of the file; none for a step without. */
export function passagesOf(step: Step): PassageOf[] {
  if (step.kind === 'fork')
    return [
      { pointer: '/then', steps: step.then },
      { pointer: '/else', steps: step.else ?? [] },
    ];
  if (step.kind === 'split') return step.passages.map((p, i) => ({ pointer: `/passages/${i}/steps`, steps: p.steps }));
  return [];
}

/** The step with its passages changed; `place` is the passage's place in {@link passagesOf}. */
export function withPassages(step: Step, change: (steps: Step[], place: number) => Step[]): Step {
  if (step.kind === 'fork') return { ...step, then: change(step.then, 0), else: change(step.else ?? [], 1) };
  if (step.kind === 'split') return { ...step, passages: step.passages.map((p, i) => ({ ...p, steps: change(p.steps, i) })) };
  return step;
}

/** Every list of steps changed, the inner ones first. */
function everywhere(steps: Step[], change: (list: Step[]) => Step[]): Step[] {
  return change(steps.map((s) => withPassages(s, (list) => everywhere(list, change))));
}

/** Every step in the order one reads them, those inside passages too. */
export function allSteps(steps: Step[]): Step[] {
  return steps.flatMap((s) => [s, ...passagesOf(s).flatMap((p) => allSteps(p.steps))]);
}

export function replaceStep(steps: Step[], step: Step) {
  return everywhere(steps, (list) => list.map((s) => (s.id === step.id ? step : s)));
}

/** Puts a step after another, in the same passage; at the end where there is no such step. */
export function addAfter(steps: Step[], after: string | undefined, step: Step) {
  if (!allSteps(steps).some((s) => s.id === after)) return [...steps, step];
  return everywhere(steps, (list) => list.flatMap((s) => (s.id === after ? [s, step] : [s])));
}

/**
 * Writes a step again after itself, with the passages in it: under new ids, questions about steps that were copied along with it asking
 * about the copies.
 * @param every how long after the one before each copy comes; where it is not given the copy comes when its original does
 * @param times how many copies
 */
export function copyStep(steps: Step[], id: string, every?: string, times = 1) {
  let all = steps;
  let after = id;
  for (let n = 0; n < times; n++) {
    const step = allSteps(all).find((s) => s.id === after);
    if (!step) return all;
    const ids = new Map<string, string>();
    for (const inner of allSteps([step])) ids.set(inner.id, newId([...allSteps(all), ...[...ids.values()].map(asStep)], inner.kind));
    const copy = renamed(step, ids);
    all = addAfter(all, after, every ? { ...copy, when: { from: 'previous', offset: every } } : copy);
    after = copy.id;
  }
  return all;
}

const asStep = (id: string) => ({ id, kind: 'end' }) as Step;

/** A step under new ids, with all that stands in its passages; its question asks about the new ones where those were renamed too. */
export function renamed(step: Step, ids: ReadonlyMap<string, string>): Step {
  const copy = { ...withPassages(step, (list) => list.map((s) => renamed(s, ids))), id: ids.get(step.id) ?? step.id };
  if (copy.kind !== 'fork' || !('step' in copy.if)) return copy;
  const asked = copy.if.step;
  return { ...copy, if: { ...copy.if, step: (typeof asked === 'string' && ids.get(asked)) || asked } } as Step;
}

/** Puts a step at the end of a passage. */
export function addInto(steps: Step[], owner: string, place: number, step: Step) {
  return everywhere(steps, (list) =>
    list.map((s) => (s.id === owner ? withPassages(s, (inner, i) => (i === place ? [...inner, step] : inner)) : s)),
  );
}

/** The steps that come before one on every way to it or inside an earlier passage: those a fork can ask about. */
export function stepsBefore(steps: Step[], id: string) {
  const order = allSteps(steps);
  const at = order.findIndex((s) => s.id === id);
  return at < 0 ? order : order.slice(0, at);
}
