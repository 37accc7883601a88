import { beforeAll, expect, test, vi } from 'vitest';
import { ruleFields } from '../../api/program';
import { catalogueOf, speak } from '../../words/locale';

// Words are said as the language is read in: it is read in anew, in German.
let language: typeof import('./ruleLanguage');
beforeAll(async () => {
  vi.resetModules();
  const words = await import('../../words/locale');
  words.speak('de-DE', await catalogueOf('de-DE'));
  language = await import('./ruleLanguage');
  return () => speak('en-GB');
});

test('whatever is asked of people is asked in German, without an English word left in it', () => {
  const values = { none: undefined, span: 'P1M', month: 6, number: 65, date: '2027-12-24' } as Record<string, string | number | undefined>;
  for (const field of [...ruleFields, 'opened:Eins/zwei', 'answered:email', 'lost:Preis']) {
    for (const op of language.opsOf[language.fieldOf(field).kind]) {
      const kind = language.valueKind(op);
      const leaf = { field, op, value: kind in values ? values[kind] : 'Eins' } as Parameters<typeof language.sayRule>[0];
      const said = language.sayRule(leaf);
      expect(said, JSON.stringify(leaf)).not.toMatch(
        /\b(they|have|has|had|the|last|who|whom|opened|got|followed|answered|began|asked|missed|not|never|with|of|from|over|under|a|time)\b|[”]/,
      );
    }
  }
});

test('what they did reads as one says it', () => {
  const { sayRule } = language;
  expect(sayRule({ field: 'opened', op: 'in-last', value: 'P1M' })).toBe('haben eine Nachricht geöffnet im letzten Monat');
  expect(sayRule({ field: 'followed', op: 'missing' })).toBe('haben einen Link nie angeklickt');
  expect(
    sayRule({
      all: [
        { field: 'age', op: 'more', value: 60 },
        { field: 'tags', op: 'has', value: 'Kunde' },
      ],
    }),
  ).toBe('sind über 60 Jahre alt und haben das Schlagwort „Kunde“');
});
