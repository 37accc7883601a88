import { describe, expect, it } from 'vitest';
import { actOn, undoneWords } from './acts';

describe('acts', () => {
  it('puts what is done under its own name and nothing else', () => {
    expect(actOn({ ids: ['a'] }, 'leave', 'Evening')).toEqual({
      ids: ['a'],
      matching: null,
      tag: null,
      stage: null,
      list: 'Evening',
      owner: null,
      program: null,
    });
    expect(actOn({ matching: { search: 'x' } }, 'start', 'p')).toMatchObject({ matching: { search: 'x' }, program: 'p', list: null });
  });

  it('says what taking back came to', () => {
    expect(undoneWords({ people: 60, takenBack: 60, stopped: 0, changed: 0, staysStopped: 0 })).toBe('Taken back for 60 people.');
    expect(undoneWords({ people: 1, takenBack: 0, stopped: 1, changed: 2, staysStopped: 1 })).toBe(
      'Taken back for 1 person. For one of them something had gone out already: the program is stopped there. For 2 people it has been changed since, and was left as it is. 1 program that it stopped stays stopped.',
    );
  });
});
