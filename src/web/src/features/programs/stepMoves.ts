import { phrase } from '../../words/phrase';
import { newId, type Step } from './programFile';
import { allSteps, passagesOf, renamed, withPassages } from './stepTree';

/** Moving steps, several at once: within a list, into passages and out of them, from one program to another. */

/** Where steps are put: in the program itself or in a passage of a step, before a step or at the end. */
export type Place = { owner?: string; passage: number; before?: string };

/** A place as a word, and back: what a drop names. */
export const placeWord = (place: Place) => JSON.stringify([place.owner ?? null, place.passage, place.before ?? null]);
export function placeOf(word: string): Place {
  const [owner, passage, before] = JSON.parse(word) as [string | null, number, string | null];
  return { owner: owner ?? undefined, passage, before: before ?? undefined };
}

/** Those of the steps that are picked, in the order one reads them; what stands inside a picked step comes with it. */
export function pickedOf(steps: Step[], ids: ReadonlySet<string>): Step[] {
  return steps.flatMap((s) => (ids.has(s.id) ? [s] : passagesOf(s).flatMap((p) => pickedOf(p.steps, ids))));
}

/** The steps without those that are picked. */
export function without(steps: Step[], ids: ReadonlySet<string>): Step[] {
  return steps.filter((s) => !ids.has(s.id)).map((s) => withPassages(s, (list) => without(list, ids)));
}

/** Puts steps at a place. */
function put(steps: Step[], place: Place, what: Step[], owner?: string, passage = 0): Step[] {
  const here = owner === place.owner && passage === place.passage;
  const at = here && place.before !== undefined ? steps.findIndex((s) => s.id === place.before) : -1;
  const inside = steps.map((s) => withPassages(s, (list, i) => put(list, place, what, s.id, i)));
  if (!here) return inside;
  return at < 0 ? [...inside, ...what] : [...inside.slice(0, at), ...what, ...inside.slice(at)];
}

/** Moves what is picked to a place; nothing happens where that is inside of what is moved. */
export function moveTo(steps: Step[], ids: ReadonlySet<string>, place: Place): Step[] {
  const moved = pickedOf(steps, ids);
  const inside = new Set(allSteps(moved).map((s) => s.id));
  if (moved.length === 0 || (place.owner !== undefined && inside.has(place.owner))) return steps;
  // Before a step that moves itself means before the next that stays.
  const siblings = listAt(steps, place);
  const from = siblings.findIndex((s) => s.id === place.before);
  const before = from < 0 ? undefined : siblings.slice(from).find((s) => !ids.has(s.id))?.id;
  return put(without(steps, ids), { ...place, before }, moved);
}

/** The steps of a program or passage. */
function listAt(steps: Step[], place: Place): Step[] {
  if (place.owner === undefined) return steps;
  const owner = allSteps(steps).find((s) => s.id === place.owner);
  return owner ? (passagesOf(owner)[place.passage]?.steps ?? []) : [];
}

/** Where a step stands. */
export function standsAt(steps: Step[], id: string): { place: Place; index: number; list: Step[] } | undefined {
  const find = (list: Step[], owner?: string, passage = 0): ReturnType<typeof standsAt> => {
    const index = list.findIndex((s) => s.id === id);
    if (index >= 0) return { place: { owner, passage, before: id }, index, list };
    for (const step of list)
      for (const [i, p] of passagesOf(step).entries()) {
        const found = find(p.steps, step.id, i);
        if (found) return found;
      }
    return undefined;
  };
  return find(steps);
}

/**
 * Moves a step by key: up or down among those it stands with; *in* to the end of the last passage of the step before it; *out* to
 * after the step whose passage it stands in. Where there is no such place it stays.
 */
export function shift(steps: Step[], id: string, way: 'up' | 'down' | 'in' | 'out'): Step[] {
  const at = standsAt(steps, id);
  if (!at) return steps;
  const only = new Set([id]);
  const { place, index, list } = at;
  switch (way) {
    case 'up':
      return index === 0 ? steps : moveTo(steps, only, { ...place, before: list[index - 1]?.id });
    case 'down':
      return index === list.length - 1 ? steps : moveTo(steps, only, { ...place, before: list[index + 2]?.id });
    case 'in': {
      const neighbour = list[index - 1];
      const passages = neighbour ? passagesOf(neighbour) : [];
      if (!neighbour || passages.length === 0) return steps;
      const passage = Math.max(
        0,
        passages.findIndex((p) => p.steps.length === 0),
      );
      return moveTo(steps, only, { owner: neighbour.id, passage });
    }
    case 'out': {
      const owner = place.owner === undefined ? undefined : standsAt(steps, place.owner);
      return owner ? moveTo(steps, only, { ...owner.place, before: owner.list[owner.index + 1]?.id }) : steps;
    }
  }
}

/**
 * Puts steps that were copied, here or in another program, after a step: under ids that no step has, questions among them asking about
 * the copies.
 */
export function paste(steps: Step[], after: string | undefined, copied: Step[]): { steps: Step[]; ids: string[] } {
  const ids = new Map<string, string>();
  const taken = allSteps(steps);
  for (const step of allSteps(copied)) {
    const id = newId([...taken, ...[...ids.values()].map((i) => ({ id: i }) as Step)], step.kind);
    ids.set(step.id, id);
  }
  const fresh = copied.map((s) => renamed(s, ids));
  const at = after === undefined ? undefined : standsAt(steps, after);
  const place: Place = at ? { ...at.place, before: at.list[at.index + 1]?.id } : { passage: 0 };
  return { steps: put(steps, place, fresh), ids: fresh.map((s) => s.id) };
}

const kinds = new Set<string>(['email', 'text', 'call', 'note', 'task', 'post', 'tell-me', 'change', 'fork', 'split', 'hand-over', 'end']);

/** Longer than any program is. */
const longest = 2_000_000;

/** Copied steps as text: a program file that holds them and nothing else. */
export const asText = (steps: Step[], name: string) => JSON.stringify({ format: 'germinal.program/1', name, steps }, null, 2);

/** The steps in a text: of a whole program file, or of copied steps; a sentence that says what is wrong where there are none. */
export function stepsIn(text: string): Step[] | string {
  const no = phrase(
    'What you pasted holds no steps of a program. Copy steps in a program, or a program file as a whole, and paste them here.',
  );
  if (text.length > longest || !text.trimStart().startsWith('{')) return no;
  try {
    const file = JSON.parse(text) as { format?: unknown; steps?: unknown };
    if (typeof file.format !== 'string' || !Array.isArray(file.steps) || file.steps.length === 0) return no;
    if (file.format !== 'germinal.program/1')
      return phrase('What you pasted is written as “{format}”; this page reads “germinal.program/1”. It may come from a newer version.', {
        format: file.format.slice(0, 40),
      });
    return file.steps.every(isStep) ? (file.steps as Step[]) : no;
  } catch {
    return no;
  }
}

/** Whether something can be shown as a step at all; what is wrong in it is said beside it, as with any other. */
function isStep(it: unknown): boolean {
  if (typeof it !== 'object' || it === null) return false;
  const { id, kind, when } = it as Record<string, unknown>;
  if (typeof id !== 'string' || typeof kind !== 'string' || !kinds.has(kind)) return false;
  if (typeof when !== 'object' || when === null || typeof (when as { from?: unknown }).from !== 'string') return false;
  const step = it as Record<string, unknown>;
  const texts: Record<string, string[]> = {
    text: ['body'],
    note: ['body'],
    'tell-me': ['body'],
    call: ['script', 'slack'],
    task: ['title'],
    'hand-over': ['program'],
  };
  if (!(texts[kind] ?? []).every((key) => typeof step[key] === 'string')) return false;
  if (kind === 'fork') {
    const ways = [step.then, step.else ?? []];
    return typeof step.if === 'object' && step.if !== null && ways.every((w) => Array.isArray(w) && w.every(isStep));
  }
  if (kind === 'change') return typeof step.set === 'object' && step.set !== null;
  if (kind !== 'split') return true;
  return (
    Array.isArray(step.passages) &&
    step.passages.every(
      (p: { share?: unknown; steps?: unknown } | null) => typeof p?.share === 'number' && Array.isArray(p.steps) && p.steps.every(isStep),
    )
  );
}
