import { describe, expect, test } from 'vitest';
import type { Schemas } from '../../api/client';
import { fits, startsOf, stepsOf } from './ProgramList';

const program = {
  id: '1',
  name: 'Eight weeks',
  description: 'For those who asked.',
  group: 'Beginnings',
  status: 'on',
  line: [
    { day: 0, kind: 'email', stepId: 'a' },
    { day: 3, kind: 'email', stepId: 'b' },
    { day: 7, kind: 'call', stepId: 'c' },
  ],
  starts: [{ kind: 'tag-added', tag: 'warm' }, { kind: 'by-hand' }],
} as unknown as Schemas['ProgramLine'];

describe('a line of the list of programs', () => {
  test('says what starts it and how many steps there are of each kind', () => {
    expect(startsOf(program)).toBe('when someone is tagged “warm” or a member starts it');
    expect(stepsOf(program)).toBe('2 emails, one call');
    expect(startsOf({ starts: [] as never })).toBe('');
  });

  test.each([
    ['', true],
    ['eight', true],
    ['WARM weeks', true],
    ['beginnings asked', true],
    ['warm winter', false],
  ])('is found by its words: %s', (wanted, found) => expect(fits(program, wanted)).toBe(found));

  test('one that nothing describes is found by its name', () =>
    expect(fits({ ...program, description: null, group: null, starts: [] as never }, 'eight')).toBe(true));
});
