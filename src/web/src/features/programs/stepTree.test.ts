import { describe, expect, test } from 'vitest';
import type { Step } from './programFile';
import { shift, without } from './stepMoves';
import { addAfter, addInto, allSteps, copyStep, passagesOf, replaceStep, stepsBefore } from './stepTree';

const when = { from: 'previous', offset: 'P1D' } as const;
const tell = (id: string): Step => ({ id, kind: 'tell-me', when, body: id });
const tree: Step[] = [
  tell('a'),
  {
    id: 'f',
    kind: 'fork',
    when,
    if: { kind: 'replied' },
    then: [
      tell('b'),
      {
        id: 's',
        kind: 'split',
        when,
        passages: [
          { share: 1, steps: [tell('c')] },
          { share: 3, steps: [] },
        ],
      },
    ],
    else: [tell('d')],
  },
  tell('e'),
];
const ids = (steps: Step[]) => allSteps(steps).map((s) => s.id);

describe('steps inside steps', () => {
  test('are read in order', () => expect(ids(tree)).toEqual(['a', 'f', 'b', 's', 'c', 'd', 'e']));

  test('stand where the file has them', () => {
    const [, fork] = tree as [Step, Step];
    expect(passagesOf(fork).map((p) => p.pointer)).toEqual(['/then', '/else']);
    const split = (fork.kind === 'fork' && fork.then[1]) as Step;
    expect(passagesOf(split).map((p) => p.pointer)).toEqual(['/passages/0/steps', '/passages/1/steps']);
    expect(passagesOf(tell('x'))).toEqual([]);
  });

  test.each(ids(tree))('%s can be replaced by itself, and nothing else changes', (id) => {
    const step = allSteps(tree).find((s) => s.id === id) as Step;
    expect(replaceStep(tree, step)).toEqual(tree);
    expect(
      replaceStep(tree, { ...step, lateLimit: 'P1D' })
        .flatMap((s) => allSteps([s]))
        .filter((s) => s.lateLimit).length,
    ).toBe(1);
  });

  test('are taken out with what stands in them', () => {
    expect(ids(without(tree, new Set(['c'])))).toEqual(['a', 'f', 'b', 's', 'd', 'e']);
    expect(ids(without(tree, new Set(['s'])))).toEqual(['a', 'f', 'b', 'd', 'e']);
    expect(ids(without(tree, new Set(['f'])))).toEqual(['a', 'e']);
  });

  test('move among those they stand with', () => {
    expect(ids(shift(tree, 's', 'up'))).toEqual(['a', 'f', 's', 'c', 'b', 'd', 'e']);
    expect(shift(shift(tree, 'f', 'down'), 'f', 'up')).toEqual(tree);
    for (const id of ['c', 'd']) expect(shift(shift(tree, id, 'down'), id, 'up')).toEqual(tree);
  });

  test('are added after another, into a passage, and at the end', () => {
    expect(ids(addAfter(tree, 'b', tell('x')))).toEqual(['a', 'f', 'b', 'x', 's', 'c', 'd', 'e']);
    expect(ids(addInto(tree, 's', 1, tell('x')))).toEqual(['a', 'f', 'b', 's', 'c', 'x', 'd', 'e']);
    expect(ids(addInto(tree, 'f', 1, tell('x')))).toEqual(['a', 'f', 'b', 's', 'c', 'd', 'x', 'e']);
    expect(ids(addAfter(tree, undefined, tell('x'))).at(-1)).toBe('x');
    expect(without(addInto(tree, 's', 1, tell('x')), new Set(['x']))).toEqual(tree);
  });

  test('a fork asks about what comes before it', () => {
    expect(stepsBefore(tree, 's').map((s) => s.id)).toEqual(['a', 'f', 'b']);
    expect(stepsBefore(tree, 'a')).toEqual([]);
  });
});

describe('copies', () => {
  const letter = { id: 'email-1', kind: 'email', subject: 'Hello', body: 'b', when: { from: 'start', offset: 'P3D' } } as Step;
  const fork = {
    id: 'fork-2',
    kind: 'fork',
    when: { from: 'previous', offset: 'P0D' },
    if: { kind: 'opened', step: 'inner' },
    then: [{ ...letter, id: 'inner' }],
    else: [],
  } as Step;

  test('a copy stands after its original, under an id of its own', () => {
    const copied = copyStep([letter, { ...letter, id: 'email-3' }], 'email-1');
    expect(copied.map((s) => s.id)).toEqual(['email-1', expect.stringMatching(/^email-/), 'email-3']);
    expect(new Set(copied.map((s) => s.id)).size).toBe(3);
    expect({ ...copied[1], id: '' }).toEqual({ ...letter, id: '' });
  });

  test('every month, three times, writes the step three times in all, each a month after the one before', () => {
    const repeated = copyStep([letter], 'email-1', 'P1M', 2);
    expect(repeated).toHaveLength(3);
    expect(repeated.slice(1).map((s) => s.when)).toEqual([
      { from: 'previous', offset: 'P1M' },
      { from: 'previous', offset: 'P1M' },
    ]);
    expect(new Set(repeated.map((s) => s.id)).size).toBe(3);
  });

  test('what stands inside is copied too, and a question about it asks about the copy', () => {
    const [, copy] = copyStep([fork], 'fork-2') as [Step, Step & { kind: 'fork' }];
    const inner = copy.then[0]?.id;
    expect(inner).not.toBe('inner');
    expect(copy.if).toEqual({ kind: 'opened', step: inner });
    expect(copyStep([fork], 'nobody')).toEqual([fork]);
  });
});
