import { describe, expect, test } from 'vitest';
import { attributesOf, type Effects, effectsOf, effectWords, LetterLink, sayEffects } from './letterLink';

const all: Effects = {
  name: 'the guide',
  tag: 'curious',
  topic: 'mortgages',
  call: 'Ask what they are after',
  'call-to': 'deputy',
  'call-in': 'P2D',
  opportunity: 'Planning/Inquiry',
  program: 'Welcome',
};

describe('what a link sets off', () => {
  test('goes into attributes and comes out again, each word by itself and all together', () => {
    expect(effectsOf(attributesOf(all))).toEqual(all);
    for (const word of effectWords) {
      const one = word.startsWith('call') ? { call: 'Ring', [word]: all[word] } : { [word]: all[word] };
      expect(effectsOf(attributesOf(one))).toEqual(one);
    }
  });

  test('what is emptied is taken off, and nobody is named for a call that is not asked for', () => {
    expect(effectsOf(attributesOf({ ...all, tag: '  ', call: '' }))).toEqual({
      name: all.name,
      topic: all.topic,
      opportunity: all.opportunity,
      program: all.program,
    });
    expect(Object.values(attributesOf({})).every((v) => v === null)).toBe(true);
  });

  test('other attributes of a link are none of it', () => {
    expect(effectsOf({ href: 'https://example.com', target: '_blank', 'data-else': 'x', 'data-tag': 7 })).toEqual({});
  });

  test('the editor keeps every one of them', () => {
    const known = Object.keys(LetterLink.config.addAttributes?.call({ parent: () => ({ href: {} }) } as never) ?? {});
    expect(known).toEqual(['href', ...effectWords.map((w) => `data-${w}`)]);
  });

  test.each([
    [{}, []],
    [{ name: 'only a name' }, []],
    [{ tag: 'warm' }, ['puts on the tag “warm”']],
    [{ call: 'Ring' }, ['asks the owner to call the same day: “Ring”']],
    [{ call: 'Ring', 'call-in': 'P0D' }, ['asks the owner to call the same day: “Ring”']],
    [{ call: 'Ring', 'call-to': 'deputy', 'call-in': 'P1D' }, ['asks the deputy to call in 1 working day: “Ring”']],
    [{ call: 'Ring', 'call-in': 'P3D' }, ['asks the owner to call in 3 working days: “Ring”']],
    [{ opportunity: 'Lending/Inquiry', program: 'Welcome' }, ['opens an opportunity in Lending, Inquiry', 'starts “Welcome”']],
  ] as [Effects, string[]][])('is said in words: %j', (effects, words) => {
    expect(sayEffects(effects)).toEqual(words);
  });
});
