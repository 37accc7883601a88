import { describe, expect, test } from 'vitest';
import type { Step } from './programFile';
import { asText, moveTo, paste, pickedOf, placeOf, placeWord, shift, stepsIn, without } from './stepMoves';
import { allSteps } from './stepTree';

const when = { from: 'previous', offset: 'P1D' } as const;
const tell = (id: string): Step => ({ id, kind: 'tell-me', when, body: id });
const tree: Step[] = [
  tell('a'),
  { id: 'f', kind: 'fork', when, if: { kind: 'opened', step: 'a' }, then: [tell('b'), tell('c')], else: [] },
  tell('d'),
  tell('e'),
];
const ids = (steps: Step[]) => allSteps(steps).map((s) => s.id);
const shape = (steps: Step[]): unknown[] => steps.map((s) => (s.kind === 'fork' ? [s.id, shape(s.then), shape(s.else ?? [])] : s.id));

describe('steps that are moved', () => {
  test('several at once keep their order, and one inside another comes with it', () => {
    expect(pickedOf(tree, new Set(['e', 'a', 'f', 'b'])).map((s) => s.id)).toEqual(['a', 'f', 'e']);
    expect(shape(moveTo(tree, new Set(['e', 'a']), { passage: 0, before: 'd' }))).toEqual([['f', ['b', 'c'], []], 'a', 'e', 'd']);
  });

  test('go into a passage and out of it', () => {
    const inside = moveTo(tree, new Set(['d', 'e']), { owner: 'f', passage: 1 });
    expect(shape(inside)).toEqual(['a', ['f', ['b', 'c'], ['d', 'e']]]);
    expect(shape(moveTo(inside, new Set(['d', 'e']), { passage: 0 }))).toEqual(shape(tree));
    expect(shape(moveTo(tree, new Set(['b']), { owner: 'f', passage: 0, before: undefined }))).toEqual([
      'a',
      ['f', ['c', 'b'], []],
      'd',
      'e',
    ]);
  });

  test('never go into themselves', () => {
    expect(moveTo(tree, new Set(['f']), { owner: 'f', passage: 1 })).toBe(tree);
    expect(shape(moveTo(tree, new Set(['d']), { passage: 0, before: 'd' }))).toEqual(shape(tree));
  });

  test('whatever is moved wherever, nothing is lost and nothing doubled', () => {
    const places = [
      ...ids(tree).map((before) => ({ passage: 0, before })),
      { passage: 0 },
      { owner: 'f', passage: 0 },
      { owner: 'f', passage: 1 },
      { owner: 'f', passage: 0, before: 'c' },
    ];
    for (const place of places)
      for (let bits = 1; bits < 64; bits++) {
        const some = new Set(ids(tree).filter((_, i) => bits & (1 << i)));
        expect(ids(moveTo(tree, some, place)).sort()).toEqual(ids(tree).sort());
        expect(placeOf(placeWord(place))).toEqual({ owner: undefined, before: undefined, ...place });
      }
  });

  test('by key go up, down, in and out, and stay where there is no further', () => {
    expect(shape(shift(tree, 'd', 'in'))).toEqual(['a', ['f', ['b', 'c'], ['d']], 'e']);
    expect(shape(shift(tree, 'c', 'out'))).toEqual(['a', ['f', ['b'], []], 'c', 'd', 'e']);
    expect(shape(shift(tree, 'b', 'down'))).toEqual(['a', ['f', ['c', 'b'], []], 'd', 'e']);
    for (const [id, way] of [
      ['a', 'up'],
      ['e', 'down'],
      ['a', 'in'],
      ['a', 'out'],
    ] as const)
      expect(shift(tree, id, way)).toBe(tree);
    for (const way of ['up', 'down', 'in', 'out'] as const) expect(shift(tree, 'gone', way)).toBe(tree);
  });
});

describe('steps that are copied', () => {
  test('come out of a text as they went in, under new ids that ask about the copies', () => {
    const copied = stepsIn(asText(pickedOf(tree, new Set(['a', 'f'])), 'Two')) as Step[];
    const { steps, ids: made } = paste(tree, 'd', copied);
    expect(new Set(ids(steps)).size).toBe(ids(steps).length);
    expect(steps.map((s) => s.id).slice(0, 3)).toEqual(['a', 'f', 'd']);
    const [first, second] = made;
    const fork = steps.find((s) => s.id === second);
    expect(fork?.kind === 'fork' && fork.if.step).toBe(first);
    expect(shape(without(steps, new Set(made)))).toEqual(shape(tree));
  });

  test('stand at the end of a program without steps', () => {
    expect(paste([], undefined, [tell('a')]).steps).toHaveLength(1);
    expect(paste([], 'gone', [tell('a')]).steps).toHaveLength(1);
  });

  test('that are none say what would be', () => {
    for (const text of [
      'Dear Ida',
      '{',
      '{}',
      '{"format":"germinal.program/1","steps":[]}',
      '{"format":"germinal.program/1","steps":[{"id":"a","kind":"rocket","when":{"from":"start"}}]}',
      '{"format":"germinal.program/1","steps":[{"id":"a","kind":"text","when":{"from":"start"}}]}',
      '{"format":"germinal.program/1","steps":[{"id":"a","kind":"fork","when":{"from":"start"},"if":{},"then":"x"}]}',
      '{"format":"germinal.program/1","steps":[null]}',
      `{"format":"germinal.program/1","name":"${'x'.repeat(5_000_000)}"}`,
    ])
      expect(stepsIn(text)).toMatch(/holds no steps/);
    expect(stepsIn('{"format":"germinal.program/9","steps":[{}]}')).toMatch(/newer version/);
  });
});
