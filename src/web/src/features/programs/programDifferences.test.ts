import { describe, expect, test } from 'vitest';
import { differences } from './programDifferences';
import type { ProgramFile, Step } from './programFile';
import { moveTo, without } from './stepMoves';

const after = (days: number) => ({ from: 'previous', offset: `P${days}D` }) as const;
const email = (id: string, subject: string, days = 7): Step => ({ id, kind: 'email', when: after(days), subject, body: '<p>words</p>' });
const before: ProgramFile = {
  format: 'germinal.program/1',
  name: 'Eight weeks',
  purpose: 'commercial',
  priority: 50,
  clock: 'person',
  at: '09:30',
  startsWhen: [{ kind: 'by-hand' }],
  again: 'never',
  stopsWhen: [{ kind: 'replied' }],
  keepTasks: false,
  steps: [
    email('a', 'One', 0),
    email('b', 'Two'),
    { id: 'f', kind: 'fork', when: after(3), if: { kind: 'opened', step: 'b' }, within: 'P3D', then: [email('c', 'Three')], else: [] },
    email('d', 'Four'),
  ],
};
const changed = (change: (file: ProgramFile) => Partial<ProgramFile>) => differences(before, { ...before, ...change(before) });
const withStep = (id: string, part: Partial<Step>) =>
  changed((f) => ({ steps: f.steps.map((s) => (s.id === id ? ({ ...s, ...part } as Step) : s)) }));

describe('what is different between two wordings', () => {
  test('is nothing where nothing is', () => expect(differences(before, structuredClone(before))).toEqual([]));

  test('of the whole is said in sentences', () => {
    expect(changed(() => ({ name: 'Nine weeks' }))).toEqual(['It is called “Nine weeks” instead of “Eight weeks”.']);
    expect(changed(() => ({ startsWhen: [{ kind: 'tag-added', tag: 'warm' }] }))).toEqual([
      'It now also starts when someone is tagged “warm”.',
      'It no longer starts when a member starts it.',
    ]);
    expect(changed(() => ({ stopsWhen: [] }))).toEqual(['It no longer stops when they answer.']);
    expect(changed(() => ({ onlyIf: { field: 'email', op: 'exists' } }))).toEqual([
      'It is for “those who have an email address” instead of “everybody”.',
    ]);
    expect(changed(() => ({ priority: 10, voice: 'we', topic: 'rates' }))).toEqual([
      'Its topic is “rates” instead of “none”.',
      'It speaks as “we” instead of “the practice does”.',
      'Its priority is 10 instead of 50.',
    ]);
  });

  test('of steps: new, gone, moved', () => {
    expect(changed((f) => ({ steps: [...f.steps, email('e', 'Five')] }))).toEqual(['New: the email “Five”, 7 days later.']);
    expect(changed((f) => ({ steps: without(f.steps, new Set(['b'])) }))).toEqual(['Gone: the email “Two”.']);
    // Only the one that moved is said to have, not all those it passed.
    expect(changed((f) => ({ steps: moveTo(f.steps, new Set(['d']), { passage: 0, before: 'a' }) }))).toEqual([
      'The email “Four” stands elsewhere.',
    ]);
    expect(changed((f) => ({ steps: moveTo(f.steps, new Set(['d']), { owner: 'f', passage: 1 }) }))).toEqual([
      'The email “Four” stands in another passage.',
    ]);
  });

  test('of one step: when, for whom, its subject and words', () => {
    expect(withStep('b', { when: after(3) })).toEqual(['The email “Two” comes 3 days later instead of 7 days later.']);
    expect(withStep('b', { subject: 'Second' } as Partial<Step>)).toEqual(['The subject is “Second” instead of “Two”.']);
    expect(withStep('b', { body: '<p>other</p>' } as Partial<Step>)).toEqual(['The email “Two” has other words.']);
    expect(withStep('b', { onlyIf: { field: 'email', op: 'exists' } })).toEqual([
      'The email “Two” is for those who have an email address instead of everybody.',
    ]);
    expect(withStep('b', { attachments: ['Our prices.pdf'] } as Partial<Step>)).toEqual(['The email “Two” carries “Our prices.pdf”.']);
    expect(withStep('f', { if: { kind: 'replied' } } as Partial<Step>)).toEqual([
      'The fork asks whether they answered instead of whether they opened “Two”.',
    ]);
  });
});
