import type { Schemas } from '../../api/client';
import { phrase } from '../../words/phrase';

type Call = Schemas['CallDto'];

/** How calls end, in the practice’s own words. */
export type Outcomes = readonly Schemas['OutcomeDto'][];

/** How a thing to do can end; the first has the key 1. How calls end is the practice's to say. */
export function endingsOf(call: Call, outcomes: Outcomes): readonly string[] {
  if (call.kind === 'call') return outcomes.map((o) => o.name);
  return call.kind === 'note' ? ['posted', 'printed'] : ['done'];
}

/** Whom it is about; a task may be about nobody. */
export const nameOf = (call: Call) => call.person?.name ?? phrase('For the practice');
