// @vitest-environment jsdom
import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { cleanup, fireEvent, render, screen, within } from '@testing-library/react';
import { afterEach, describe, expect, test, vi } from 'vitest';
import { ruleFields, ruleOps } from '../../api/program';
import { RuleForm } from './RuleForm';
import {
  allOps,
  blankLeaf,
  fieldOf,
  isComplete,
  type Leaf,
  opsOf,
  partsOf,
  type Rule,
  ruleOf,
  sayRule,
  valueKind,
  withOp,
} from './ruleLanguage';

const own = vi.hoisted(() => [
  { key: 'Net worth', name: 'Wealth', kind: 'money', options: [] },
  { key: 'Home', name: 'Home', kind: 'choice', options: ['Flat', 'House'] },
  { key: 'Likes', name: 'Likes', kind: 'choices', options: ['Tax', 'Trusts', 'Wine'] },
]);
vi.mock('../../app/session', () => ({
  useSession: () => ({
    data: { stages: ['Planning/Inquiry', 'Planning/Client'], tags: ['warm'], members: [{ id: 'm1', name: 'Ada Quill' }], ownFields: own },
  }),
}));
afterEach(cleanup);

function open(rule: Rule | undefined) {
  const made: { rule?: Rule } = {};
  render(
    <QueryClientProvider client={new QueryClient()}>
      <RuleForm
        label="Only if"
        rule={rule}
        done={(r) => {
          made.rule = r;
        }}
      />
    </QueryClientProvider>,
  );
  return made;
}
const use = () => fireEvent.submit(screen.getByRole('button', { name: 'Use this' }).closest('form') as HTMLFormElement);
const choose = (label: string, value: string, at = 0) =>
  fireEvent.change(screen.getAllByLabelText(label)[at] as HTMLElement, { target: { value } });

/** A sensible value for an op. */
function leafOf(field: string, op: Leaf['op']): Leaf {
  switch (valueKind(op)) {
    case 'none':
      return { field, op };
    case 'several':
      return { field, op, value: ['one', 'two'] };
    case 'date':
      return { field, op, value: '2027-12-24' };
    case 'number':
      return { field, op, value: 65 };
    case 'span':
      return { field, op, value: 'P90D' };
    case 'month':
      return { field, op, value: 6 };
    default:
      return { field, op, value: 'one' };
  }
}

describe('the whole language stands on the page', () => {
  const every = [...ruleFields, 'custom:shoe size', 'date:house bought', 'relation:solicitor', 'opened:First/hello'].flatMap((field) =>
    ruleOps.map((op) => leafOf(field, op)),
  );

  test('every field with every op is opened and taken unchanged', () => {
    for (const leaf of every) {
      const made = open(leaf);
      use();
      expect(made.rule, JSON.stringify(leaf)).toEqual(leaf);
      cleanup();
    }
  }, 60_000);

  test('every field with every op it is offered with reads as the rest of a sentence, and none like another', () => {
    for (const field of [...ruleFields, 'custom:shoe size', 'date:house bought', 'relation:solicitor', 'opened:First/hello']) {
      const said = opsOf[fieldOf(field).kind].map((op) => sayRule(leafOf(field, op)));
      expect(new Set(said).size, said.join(' | ')).toBe(said.length);
      for (const words of said)
        expect(words).toMatch(
          /^(have|are|stand|do not|may|must|last|were|reached|live|got|opened|followed|answered|began|finished|asked|had|missed)\b/,
        );
      expect(said.join()).not.toMatch(/undefined|P90D|_|--/);
    }
  });

  test('rules inside rules are opened and taken unchanged', () => {
    const rules: Rule[] = [
      { any: [leafOf('stage', 'is'), { all: [leafOf('age', 'more'), { not: leafOf('tags', 'has') }] }] },
      { not: { any: [leafOf('email', 'exists'), leafOf('mobile', 'exists')] } },
      { all: [leafOf('birthday', 'month-is')] },
      { not: { not: { all: [leafOf('last-touch', 'not-in-last')] } } },
    ];
    for (const rule of rules) {
      const made = open(rule);
      use();
      expect(made.rule).toEqual(rule);
      cleanup();
    }
  });
});

describe('what is written by choosing', () => {
  test('an age', () => {
    const made = open(undefined);
    choose('Only if', 'age');
    choose('What of it', 'more');
    choose('Number', '60');
    use();
    expect(made.rule).toEqual({ field: 'age', op: 'more', value: '60' });
  });

  test('several stages, by name', () => {
    const made = open(undefined);
    choose('Only if', 'stage');
    choose('What of it', 'in');
    fireEvent.click(screen.getByLabelText('Planning, Client'));
    use();
    expect(made.rule).toEqual({ field: 'stage', op: 'in', value: ['Planning/Client'] });
  });

  test('one of two things: what was there becomes the first of them', () => {
    const made = open({ field: 'tags', op: 'has', value: 'warm' });
    choose('Only if', 'any');
    fireEvent.click(screen.getByRole('button', { name: 'or another' }));
    const second = within(screen.getAllByRole('listitem')[1] as HTMLElement);
    fireEvent.change(second.getByLabelText('or if'), { target: { value: 'last-reply' } });
    fireEvent.change(second.getByLabelText('What of it'), { target: { value: 'missing' } });
    use();
    expect(made.rule).toEqual({
      any: [
        { field: 'tags', op: 'has', value: 'warm' },
        { field: 'last-reply', op: 'missing' },
      ],
    });
  });

  test('what lacks its value is not taken, and says so', () => {
    const made = open({
      any: [
        { field: 'lists', op: 'has', value: '' },
        { field: 'email', op: 'exists' },
      ],
    });
    use();
    expect(made.rule).toBeUndefined();
    expect(screen.getByRole('alert').textContent).toMatch(/not complete/);
  });

  test('a member is chosen by name and kept by what the file calls them', () => {
    const made = open(blankLeaf('owner'));
    choose('Which', 'm1');
    use();
    expect(made.rule).toEqual({ field: 'owner', op: 'is', value: 'm1' });
    expect(sayRule(made.rule as Rule, { member: () => 'Ada Quill', own: [], state: (code) => code })).toBe('are looked after by Ada Quill');
  });
});

describe('sentences', () => {
  test.each<[Rule, string]>([
    [{ field: 'email', op: 'exists' }, 'have an email address'],
    [{ field: 'tags', op: 'has', value: 'VIP' }, 'have the tag “VIP”'],
    [{ not: { field: 'tags', op: 'has', value: 'VIP' } }, 'do not have the tag “VIP”'],
    [{ field: 'stage', op: 'in', value: ['Planning/Inquiry', 'Planning/Client'] }, 'stand in Inquiry or Client'],
    [{ field: 'age', op: 'more', value: 60 }, 'are over 60'],
    [{ field: 'last-touch', op: 'not-in-last', value: 'P90D' }, 'have not heard from us in the last 90 days'],
    [{ field: 'birthday', op: 'month-is', value: 5 }, 'have their birthday in May'],
    [{ field: 'email_consent', op: 'is', value: 'out' }, 'have a word on email that is “no”'],
    [{ field: 'do_not_contact', op: 'missing' }, 'may be contacted'],
    [
      {
        any: [
          { field: 'mobile', op: 'exists' },
          { field: 'lists', op: 'has', value: 'A' },
        ],
      },
      'have a mobile number or are on the list “A”',
    ],
    [
      {
        all: [
          { field: 'age', op: 'less', value: 30 },
          {
            any: [
              { field: 'programs', op: 'missing' },
              { field: 'source', op: 'is', value: 'fair' },
            ],
          },
        ],
      },
      'are under 30 and (are on no program or have a source that is “fair”)',
    ],
  ])('%o', (rule, words) => expect(sayRule(rule)).toBe(words));

  test('only an op that is exactly what the other is not stands for a not: somebody without an age is neither over nor under', () => {
    expect(sayRule({ not: { field: 'age', op: 'more', value: 60 } })).toBe('are not those who are over 60');
    expect(sayRule({ not: { field: 'last-reply', op: 'exists' } })).toBe('have never answered');
  });
});

test('parts that must all hold become a rule and come back', () => {
  const parts: Rule[] = [leafOf('email', 'exists'), leafOf('tags', 'has')];
  expect(partsOf(ruleOf(parts))).toEqual(parts);
  expect(ruleOf([])).toBeUndefined();
  expect(partsOf(undefined)).toEqual([]);
  expect(partsOf({ any: parts })).toEqual([{ any: parts }]);
});

test('another op keeps a value of the same kind and begins anew with another', () => {
  expect(withOp({ field: 'age', op: 'more', value: 60 }, 'less')).toEqual({ field: 'age', op: 'less', value: 60 });
  expect(withOp({ field: 'age', op: 'more', value: 60 }, 'exists')).toEqual({ field: 'age', op: 'exists' });
  expect(isComplete(withOp({ field: 'age', op: 'more', value: 60 }, 'in'))).toBe(false);
  expect(allOps).toEqual(ruleOps);
});

describe('fields of the practice’s own', () => {
  const names = { state: (code: string) => code, member: (id: string) => id, own };

  test('stand by their names and are asked for as what they hold', () => {
    const made = open(undefined);
    choose('Only if', 'custom:Net worth');
    choose('What of it', 'more');
    choose('Number', '400000');
    use();
    expect(made.rule).toEqual({ field: 'custom:Net worth', op: 'more', value: '400000' });
    expect(sayRule(made.rule as Rule, names)).toBe('have a Wealth that is over 400000');
    cleanup();
    const chosen = open(undefined);
    choose('Only if', 'custom:Home');
    choose('Which', 'House');
    use();
    expect(chosen.rule).toEqual({ field: 'custom:Home', op: 'is', value: 'House' });
  });

  test('several choices are asked for one by one, or any of them', () => {
    const made = open(undefined);
    choose('Only if', 'custom:Likes');
    expect([...(screen.getByLabelText('What of it') as HTMLSelectElement).options].map((o) => o.value)).toEqual(
      opsOf.several as unknown as string[],
    );
    choose('Which', 'Wine');
    use();
    expect(made.rule).toEqual({ field: 'custom:Likes', op: 'has', value: 'Wine' });
    expect(sayRule(made.rule as Rule, names)).toBe('have under “Likes” “Wine”');
    expect(sayRule({ field: 'custom:Likes', op: 'not-in', value: ['Wine', 'Tax'] }, names)).toBe(
      'do not have under “Likes” “Wine” or “Tax”',
    );
    expect(sayRule({ field: 'custom:Likes', op: 'missing' }, names)).toBe('have nothing under “Likes”');
  });

  test('one that is gone stays as the file has it', () => {
    const rule: Rule = { field: 'custom:shoe size', op: 'is', value: '42' };
    const made = open(rule);
    expect((screen.getByLabelText('Only if') as HTMLSelectElement).selectedOptions[0]?.textContent).toBe('a field that is gone');
    use();
    expect(made.rule).toEqual(rule);
    expect(sayRule(rule, names)).toBe('have a shoe size that is “42”');
  });
});
