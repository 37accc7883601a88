import { createContext, useContext } from 'react';
import type { Schemas } from '../../api/client';
import { phrase } from '../../words/phrase';
import type { Step } from './programFile';

/** What the lines of a program's steps share: who it is read as, what is picked, and how it is changed. */
export type Pen = {
  /** All steps of the program, as they stand in the file. */
  steps: Step[];
  /** The program's id, and what its steps have done, by step. */
  id: string;
  deeds: ReadonlyMap<string, Schemas['StepDeed']>;
  /** The program's name, once it has been switched on: then its steps have been got by somebody, or may be. */
  program?: string;
  /** The person in the margin, and when their touches would come. */
  person?: string;
  personId?: string;
  dates: Map<string, string>;
  zone: string;
  now: string;
  /** The day each step falls on, counted from the start. */
  days: Map<string, number>;
  picked?: string;
  pick: (id: string) => void;
  /** The letter that is open, and opening one. */
  writing?: string;
  write: (id: string | undefined) => void;
  /** What stands at a place of the file, or below it. */
  findingsAt: (pointer: string) => Schemas['FindingDto'][];
  /** True where steps may be counted from an occasion. */
  occasion: boolean;
  /** Programs one can go on with. */
  programs: string[];
  set: (step: Step) => void;
  move: (id: string, way: 'up' | 'down' | 'in' | 'out') => void;
  /** Those that are picked together, and picking one with them or not. */
  marked: ReadonlySet<string>;
  mark: (id: string) => void;
  remove: (id: string) => void;
  /** Puts a new step of a kind right after another. */
  addAfter: (id: string, kind: Step['kind']) => void;
  /** Writes a step again after itself: once, or so often and so far apart. */
  copy: (id: string, every?: string, times?: number) => void;
  addInto: (owner: string, place: number, kind: Step['kind']) => void;
};

export const PenContext = createContext<Pen | null>(null);

export function usePen(): Pen {
  const pen = useContext(PenContext);
  if (!pen) throw new Error(phrase('A step line stands in a program page.'));
  return pen;
}
