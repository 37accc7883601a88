import { describe, expect, test } from 'vitest';
import type { Step } from './programFile';
import { addAfter, addInto, allSteps, moveStep, passagesOf, removeStep, replaceStep, stepsBefore } from './stepTree';

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
    expect(ids(removeStep(tree, 'c'))).toEqual(['a', 'f', 'b', 's', 'd', 'e']);
    expect(ids(removeStep(tree, 's'))).toEqual(['a', 'f', 'b', 'd', 'e']);
    expect(ids(removeStep(tree, 'f'))).toEqual(['a', 'e']);
  });

  test('move among those they stand with', () => {
    expect(ids(moveStep(tree, 's', -1))).toEqual(['a', 'f', 's', 'c', 'b', 'd', 'e']);
    expect(moveStep(moveStep(tree, 'f', 1), 'f', -1)).toEqual(tree);
    for (const id of ['c', 'd']) expect(moveStep(moveStep(tree, id, 1), id, -1)).toEqual(tree);
  });

  test('are added after another, into a passage, and at the end', () => {
    expect(ids(addAfter(tree, 'b', tell('x')))).toEqual(['a', 'f', 'b', 'x', 's', 'c', 'd', 'e']);
    expect(ids(addInto(tree, 's', 1, tell('x')))).toEqual(['a', 'f', 'b', 's', 'c', 'x', 'd', 'e']);
    expect(ids(addInto(tree, 'f', 1, tell('x')))).toEqual(['a', 'f', 'b', 's', 'c', 'd', 'x', 'e']);
    expect(ids(addAfter(tree, undefined, tell('x'))).at(-1)).toBe('x');
    expect(removeStep(addInto(tree, 's', 1, tell('x')), 'x')).toEqual(tree);
  });

  test('a fork asks about what comes before it', () => {
    expect(stepsBefore(tree, 's').map((s) => s.id)).toEqual(['a', 'f', 'b']);
    expect(stepsBefore(tree, 'a')).toEqual([]);
  });
});
