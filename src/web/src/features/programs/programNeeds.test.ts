import { describe, expect, test } from 'vitest';
import type { ProgramFile } from './programFile';
import { insteadOf, needsOf } from './programNeeds';

const when = { from: 'start', offset: 'P0D' } as const;
const draft: ProgramFile = {
  format: 'germinal.program/1',
  name: 'From elsewhere',
  purpose: 'commercial',
  topic: 'rates',
  policy: 'Strict',
  priority: 50,
  clock: 'person',
  startsWhen: [
    { kind: 'stage-entered', stage: 'Sales/Lead' },
    { kind: 'tag-added', tag: 'warm' },
  ],
  onlyIf: {
    all: [
      { field: 'stage', op: 'is', value: 'Sales/Lead' },
      { field: 'tags', op: 'has', value: 'Warm' },
    ],
  },
  again: 'never',
  stopsWhen: [{ kind: 'stage-entered', stage: 'Sales/Won' }],
  keepTasks: false,
  steps: [
    { id: 'a', kind: 'email', when, letter: 'Spring news', attachments: ['Prices.pdf'] },
    {
      id: 'b',
      kind: 'email',
      when,
      subject: 's',
      body: '<div data-part="offer" data-of="Talk &amp; tea"></div><div data-of="Prices" data-part="figures"></div>',
    },
    {
      id: 'c',
      kind: 'fork',
      when,
      if: { kind: 'opened', step: 'b' },
      then: [{ id: 'd', kind: 'change', when, set: [{ tag: 'read' }] }],
      else: [],
    },
    { id: 'e', kind: 'hand-over', when, program: 'Twelve letters' },
  ],
};
const nothing = { stage: [], tag: [], letter: [], offer: [], figures: [], file: [], program: [], policy: [], topic: [] };

describe('what a program asks for', () => {
  test('is found wherever it stands, each once', () => {
    expect(needsOf(draft, nothing)).toEqual([
      { kind: 'topic', name: 'rates' },
      { kind: 'policy', name: 'Strict' },
      { kind: 'stage', name: 'Sales/Lead' },
      { kind: 'tag', name: 'warm' },
      { kind: 'stage', name: 'Sales/Won' },
      { kind: 'letter', name: 'Spring news' },
      { kind: 'file', name: 'Prices.pdf' },
      { kind: 'offer', name: 'Talk & tea' },
      { kind: 'figures', name: 'Prices' },
      { kind: 'tag', name: 'read' },
      { kind: 'program', name: 'Twelve letters' },
    ]);
  });

  test('is not missed where it is there, however it is spelt, nor where nobody knows yet', () => {
    const there = { ...nothing, stage: ['SALES/lead', 'sales/won'], tag: ['Warm', 'Read'], offer: ['talk & TEA'], topic: undefined };
    expect(needsOf(draft, there).map((n) => n.kind)).toEqual(['policy', 'letter', 'file', 'figures', 'program']);
  });

  test('is asked for under another name everywhere, and nothing else changes', () => {
    let mapped = draft;
    for (const need of needsOf(draft, nothing)) mapped = insteadOf(mapped, need, `my ${need.name}`);
    expect(needsOf(mapped, nothing).every((n) => n.name.startsWith('my '))).toBe(true);
    expect(needsOf(mapped, nothing)).toHaveLength(needsOf(draft, nothing).length);
    // Back again it is what it was.
    for (const need of needsOf(mapped, nothing)) mapped = insteadOf(mapped, need, need.name.slice(3));
    expect(mapped).toEqual({
      ...draft,
      onlyIf: {
        all: [
          { field: 'stage', op: 'is', value: 'Sales/Lead' },
          { field: 'tags', op: 'has', value: 'warm' },
        ],
      },
    });
  });
});
