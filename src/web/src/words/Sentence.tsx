import { createElement, Fragment, type ReactNode } from 'react';
import { messageOf } from './phrase';

type Part = ReactNode | ((inner: ReactNode) => ReactNode);

/**
 * A message with elements in it, in the tongue spoken: `Its messages are {purpose}; they <b>go first</b>`.
 * @param m The message, in English (see `phrase`).
 * @param v What stands at each name; for a tag, what its words stand in.
 */
export function Sentence({ m, v }: { m: string; v?: Record<string, Part> }) {
  const values = Object.fromEntries(
    Object.entries(v ?? {}).map(([name, part]) => [
      name,
      typeof part === 'function'
        ? (inner: ReactNode[]) => part(inRow(inner))
        : // Nothing, and yes or no, are not shown, as in any element.
          (part ?? ''),
    ]),
  );
  const said = messageOf(m, false).format<ReactNode>(values as never);
  return inRow(said);
}

/** Parts one after another, each in its place as if it had been written there. */
const inRow = (parts: ReactNode | ReactNode[]) => createElement(Fragment, null, ...(Array.isArray(parts) ? parts : [parts]));
