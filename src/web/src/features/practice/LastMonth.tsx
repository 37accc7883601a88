import { useMutation } from '@tanstack/react-query';
import { Link } from 'react-router';
import { api, type Schemas, take } from '../../api/client';
import { Button, Trouble } from '../../ui/bits';
import { dayName } from '../../ui/when';
import { phrase, quoted } from '../../words/phrase';
import type { Draft } from './settings';

type Month = Schemas['LastMonthDto'];
type Body = Schemas['SettingsBody'];

/** What settings as they are written would have changed in the last thirty days: gone through again by the engine, nothing saved. */
export function LastMonth({ changes }: { changes: Partial<Draft> }) {
  const body: Body = { ...changes, mailOut: null, mailIn: null };
  const ask = useMutation({ mutationFn: (b: Body) => take(api.POST('/api/practice/last-month', { body: b })) });
  const nothing = Object.keys(changes).length === 0;
  const stale = ask.data && JSON.stringify(ask.variables) !== JSON.stringify(body);
  return (
    <section aria-label={phrase('What that would have changed')}>
      <h3 className="mt-5">{phrase('What would that have changed?')}</h3>
      <p className="mt-1">
        {nothing
          ? phrase('Change something here, and the last thirty days can be gone through again as if it had been so.')
          : phrase('The last thirty days are gone through again, as if it had been so. Nothing is kept or sent.')}
      </p>
      <Button className="min-h-6" disabled={nothing || ask.isPending} onClick={() => ask.mutate(body)}>
        {ask.isPending ? phrase('Going through them …') : phrase('Go through the last thirty days')}
      </Button>
      <Trouble error={ask.error} />
      <div role="status">{ask.data && !stale && <Found month={ask.data} />}</div>
    </section>
  );
}

function Found({ month: m }: { month: Month }) {
  const same = m.notAtAll + m.besides + m.later + m.earlier === 0;
  const parts = [
    m.notAtAll > 0 &&
      phrase('{notAtAll, plural, one {# message or call} other {# messages and calls}} would not have gone', { notAtAll: m.notAtAll }),
    m.besides > 0 && phrase('{besides, number} would have gone besides', { besides: m.besides }),
    m.later > 0 && phrase('{later, number} later', { later: m.later }),
    m.earlier > 0 && phrase('{earlier, number} earlier', { earlier: m.earlier }),
  ].filter(Boolean);
  return (
    <div className="mt-3">
      <p className="m-0 font-serif text-ink">
        {same
          ? phrase('Nothing. From {from} to {until} everything would have gone as it did.', {
              from: dayName(m.from),
              until: dayName(m.until),
            })
          : phrase('From {from} to {until}, {parts}: for {people, plural, one {# person} other {# people}}.', {
              from: dayName(m.from),
              until: dayName(m.until),
              parts: parts.join(', '),
              people: m.people,
            })}
      </p>
      {Object.entries(m.why).map(([why, n]) => (
        <p key={why} className="m-0">
          {n}: {why}
        </p>
      ))}
      <table className="mt-2 w-full">
        <thead>
          <tr className="text-left">
            <th className="font-normal text-soft">{phrase('went')}</th>
            <th className="text-right font-normal text-soft">{phrase('as it is')}</th>
            <th className="text-right font-normal text-soft">{phrase('so')}</th>
          </tr>
        </thead>
        <tbody>
          {(
            [
              ['emails', 'emails'],
              ['texts', 'texts'],
              ['calls', 'calls'],
              ['notes', phrase('cards and letters')],
            ] as const
          )
            .filter(([key]) => m.asSet[key] + m.asProposed[key] > 0)
            .map(([key, words]) => (
              <tr key={key}>
                <td>{words}</td>
                <td className="text-right">{m.asSet[key]}</td>
                <td className="text-right">{m.asProposed[key]}</td>
              </tr>
            ))}
          {m.programs.map((p) => (
            <tr key={p.name}>
              <td className="break-words">{quoted(p.name)}</td>
              <td className="text-right">{p.asSet}</td>
              <td className="text-right">{p.asProposed}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {m.first.map((f) => (
        <p key={f.person.id} className="m-0 mt-1 break-words">
          <Link className="inline-flex min-h-6 items-center" to={`/people/${f.person.id}`}>
            {f.person.name}
          </Link>{' '}
          {quoted(f.program)} {then(f)}
        </p>
      ))}
      {m.people > m.first.length && (
        <p className="m-0 mt-1">{phrase('and {people, number} more', { people: m.people - m.first.length })}</p>
      )}
      <p className="mt-2">
        {phrase(
          'Gone through as it is, {asSet} went; {really} really did. What somebody’s tags or stage were on a day that has passed is not known any more, so those of today count.',
          { asSet: total(m.asSet), really: total(m.really) },
        )}
      </p>
    </div>
  );
}

/** When somebody’s would have gone, beside when it did. */
const then = ({ was, would }: Month['first'][number]) =>
  was && would
    ? phrase('on {would} instead of {was}', { would: dayName(would), was: dayName(was) })
    : was
      ? phrase('not on {was}', { was: dayName(was) })
      : would
        ? phrase('also on {would}', { would: dayName(would) })
        : '';

const total = (went: Month['really']) => went.emails + went.texts + went.calls + went.notes;
