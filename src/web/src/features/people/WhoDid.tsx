import { Link } from 'react-router';
import { phrase } from '../../words/phrase';
import type { Rule } from '../rules/ruleLanguage';

/**
 * The ways from a message to those who did something with it: they stand in the list of people, where they can be kept as a
 * segment, put on a list, or have something begun for them.
 */
export function WhoDid({ program, step, kind }: { program: string; step: string; kind: string }) {
  if (kind !== 'email' && kind !== 'text') return null;
  const asked = `${program}/${step}`;
  const got: Rule = { field: `got:${asked}`, op: 'exists' };
  const opened: Rule = { field: `opened:${asked}`, op: 'exists' };
  const ways: [string, Rule][] =
    kind === 'email'
      ? [
          [phrase('who got it'), got],
          [phrase('who opened it'), opened],
          [phrase('who did not'), { all: [got, { ...opened, op: 'missing' }] }],
        ]
      : [[phrase('who got it'), got]];
  return (
    <>
      {ways.map(([words, rule]) => (
        <Link
          key={words}
          to={`/people?${new URLSearchParams({ who: JSON.stringify(rule) })}`}
          className="inline-flex min-h-6 items-center no-underline hover:underline"
        >
          {words}
        </Link>
      ))}
    </>
  );
}
