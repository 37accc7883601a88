import { readFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import { file, said } from '../../scripts/message-values.mjs';
import { messagesOfPages, messagesOfServer, namesIn, troubleWith } from '../../scripts/words.mjs';

const pages = messagesOfPages();
const all = new Set([...pages.keys(), ...messagesOfServer().keys()]);
const catalogue = (name) => JSON.parse(readFileSync(`../words/${name}.json`, 'utf8'));

describe('the catalogues', () => {
  it.each([
    ['de', true],
    ['en-US', false],
  ])('%s has words for what is said, and for nothing else', (name, whole) => {
    expect(all.size).toBeGreaterThan(5000);
    expect(troubleWith(all, catalogue(name), { whole })).toEqual([]);
  });

  it('are given every value their messages ask for', () => {
    const wanting = [...pages].flatMap(([message, { names }]) => {
      const given = new Set(names.map((n) => n.replace(/'/g, '')));
      return [...namesIn(message)]
        .map((n) => n.replace(/[<>]/g, ''))
        .filter((n) => !given.has(n))
        .map((n) => `{${n}}: ${message}`);
    });
    expect(wanting).toEqual([]);
  });

  it('find what is wrong', () => {
    const wrong = (words) => troubleWith(new Set(['{n} of <b>them</b>']), { '{n} of <b>them</b>': words }, { whole: true });
    expect(wrong('{n} von <b>ihnen</b>')).toEqual([]);
    expect(wrong('{m} von <b>ihnen</b>')).toHaveLength(1);
    expect(wrong('{n} von ihnen')).toHaveLength(1);
    expect(wrong('{n von <b>ihnen</b>')).toHaveLength(1);
    expect(troubleWith(new Set(['said']), { unsaid: 'nie' }, { whole: true })).toHaveLength(2);
  });

  it('are what the server’s own reader is held against', () => expect(JSON.parse(readFileSync(file, 'utf8'))).toEqual(said()));
});
