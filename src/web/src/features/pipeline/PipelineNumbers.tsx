import { useQuery } from '@tanstack/react-query';
import { api, type Schemas, take } from '../../api/client';
import { Trouble } from '../../ui/bits';
import { Stretch } from '../../ui/DayPage';
import { money } from '../../ui/money';
import { TableBehind } from '../../ui/TableBehind';
import { phrase } from '../../words/phrase';

type Numbers = Schemas['PipelineNumbersDto'];

/** A place along a line, for a style. */
const along = (share: number) => `${(100 * share).toFixed(1)}%`;

const percent = (share: number) => `${Math.round(100 * share)} %`;

/** The pipeline's numbers, in sentences: how long, how many, and what may come in; each with what it may be off by. */
export function PipelineNumbers({ name }: { name: string }) {
  const numbers = useQuery({
    queryKey: ['pipeline', 'numbers', name],
    queryFn: () => take(api.GET('/api/pipeline/numbers', { params: { query: { name } } })),
  });
  const n = numbers.data;
  return (
    <section aria-label={phrase('Its numbers')}>
      <Stretch title={phrase('Its numbers')} note={phrase('from the last three years')} />
      <div className="px-7 py-3 max-[699px]:px-4">
        <Trouble error={numbers.error} />
        {n && <Sentences of={n} />}
      </div>
    </section>
  );
}

function Sentences({ of: n }: { of: Numbers }) {
  const notYet = (have: number) =>
    phrase('not enough yet to say ({have, number} of the {least, number} it takes)', { have, least: n.least });
  return (
    <>
      <h3>{phrase('What may come in')}</h3>
      <p className="mt-1 mb-1">
        {n.open === 0
          ? phrase('No open opportunity has a worth yet. Give them one, and what may come in stands here.')
          : n.ahead.every((a) => a.range === null)
            ? phrase('Not enough yet: from one of the stages fewer than {least, number} have been closed.', { least: n.least })
            : phrase(
                'Of the {open, plural, one {# opportunity} other {# opportunities}} that are open now, played {value, number} times by how those before went:',
                { open: n.open, value: 10_000 },
              )}
      </p>
      {n.ahead.some((a) => a.range !== null) && (
        <table className="mb-2 text-small">
          <thead>
            <tr className="text-soft">
              {[phrase('within'), phrase('in eight of ten between'), phrase('and'), phrase('half of the time under')].map((h, i) => (
                <th key={h} scope="col" className={`pr-6 font-normal last:pr-0 max-[699px]:pr-3 ${i === 0 ? 'text-left' : 'text-right'}`}>
                  {h}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {n.ahead.map(
              (a) =>
                a.range && (
                  <tr key={a.days}>
                    <th scope="row" className="pr-6 text-left font-normal">
                      {phrase('{days, number} days', { days: a.days })}
                    </th>
                    {[a.range.low, a.range.high, a.range.middle].map((sum, i) => (
                      <td key={i} className="pr-6 text-right tabular-nums last:pr-0 max-[699px]:pr-3">
                        {money(sum, n.currency)}
                      </td>
                    ))}
                  </tr>
                ),
            )}
          </tbody>
        </table>
      )}
      {n.unvalued > 0 && n.open > 0 && (
        <p className="mb-2 text-small text-soft">
          {phrase('{unvalued, number} more are open without a worth; they are not in it.', { unvalued: n.unvalued })}
        </p>
      )}

      <h3 className="mt-4">{phrase('How many are won')}</h3>
      <ul className="m-0 mt-1 mb-2 list-none p-0">
        <ShareLine share={n.won} words={phrase('of all that were closed')} least={n.least} />
        {n.bySource.map((s) => (
          <ShareLine
            key={`s${s.name}`}
            share={s}
            words={s.name ? phrase('who came by {name}', { name: s.name }) : phrase('of whom nobody knows where they came from')}
            least={n.least}
          />
        ))}
        {n.byOwner.length > 1 &&
          n.byOwner.map((s) => (
            <ShareLine
              key={`o${s.name}`}
              share={s}
              words={s.name ? phrase('with {name}', { name: s.name }) : phrase('with nobody')}
              least={n.least}
            />
          ))}
      </ul>
      {n.reasons.length > 0 && (
        <p className="mb-2 text-small text-soft">
          {phrase('Lost for: {reasons}.', {
            reasons: n.reasons.map((r) => `${r.reason || phrase('no reason given')} ${r.count}`).join(', '),
          })}
        </p>
      )}

      <h3 className="mt-4">{phrase('How long each stage takes')}</h3>
      {n.stages.map((s) => (
        <div key={s.name} className="mt-2">
          <p className="m-0">
            <b className="font-semibold">{s.name}</b>:{' '}
            {!s.enough
              ? notYet(s.count)
              : s.medianDays === null
                ? phrase('fewer than half of {count, number} have gone on.', { count: s.count })
                : phrase('half of {count, number} go on within {medianDays, plural, one {# day} other {# days}}{s}.', {
                    count: s.count,
                    medianDays: s.medianDays,
                    s: rangeOf(s),
                  })}
          </p>
          {s.enough && s.curve.length > 1 && <StageCurve stage={s} />}
        </div>
      ))}
    </>
  );
}

/** Within which days the band says that half have gone on. */
function rangeOf(s: Schemas['StageTimeDto']) {
  const low = s.curve.find((p) => p.low <= 0.5)?.days;
  const high = s.curve.find((p) => p.high <= 0.5)?.days;
  if (low === undefined) return '';
  return high === undefined
    ? phrase(' (with 80 % trust, {low, number} or more)', { low })
    : phrase(' (with 80 % trust, {low, number} to {high, number})', { low, high });
}

function ShareLine({ share, words, least }: { share: Schemas['WonShare']; words: string; least: number }) {
  return (
    <li className="flex flex-wrap items-center gap-x-3 leading-7">
      <span className="w-16 text-right tabular-nums">{share.share === null ? '–' : percent(share.share)}</span>
      <span className="relative inline-block h-2 w-28" aria-hidden="true">
        <span className="absolute inset-y-[3.5px] right-0 left-0 bg-rule" />
        {share.share !== null && (
          <>
            <span
              className="absolute inset-y-[2px] bg-leaf-pale outline outline-1 outline-leaf"
              style={{ left: along(share.low), right: along(1 - share.high) }}
            />
            <span className="absolute inset-y-0 w-[2px] bg-leaf" style={{ left: along(share.share) }} />
          </>
        )}
      </span>
      <span>
        {words}{' '}
        <span className="text-small text-soft">
          {phrase('{won, number} of {closed, number}{share}', {
            won: share.won,
            closed: share.closed,
            share:
              share.share === null
                ? phrase('; not enough yet to say ({closed, number} of {least, number})', { closed: share.closed, least })
                : phrase(', between {low} and {high}', { low: percent(share.low), high: percent(share.high) }),
          })}
        </span>
      </span>
    </li>
  );
}

const width = 560;
const height = 64;

/** How many still stand in the stage after so many days, with the 80 % band; the table behind it. */
function StageCurve({ stage: s }: { stage: Schemas['StageTimeDto'] }) {
  const end = Math.max(1, s.curve.at(-1)?.days ?? 1);
  const x = (days: number) => ((width * days) / end).toFixed(1);
  const y = (share: number) => (height * (1 - share)).toFixed(1);
  let line = `M0 ${y(1)}`;
  let top = `M0 ${y(1)}`;
  for (const p of s.curve) {
    line += `H${x(p.days)}V${y(p.share)}`;
    top += `H${x(p.days)}V${y(p.high)}`;
  }
  let low = '';
  for (let i = s.curve.length - 1; i >= 0; i--) {
    low += `V${y(s.curve[i]?.low ?? 1)}H${x(s.curve[i]?.days ?? 0)}`;
  }
  return (
    <>
      <svg viewBox={`-1 -2 ${width + 2} ${height + 4}`} className="mt-1 block w-full max-w-[560px]" aria-hidden="true">
        <path d={`${top}${low}V${y(1)}Z`} fill="var(--leaf-pale)" />
        <path d={`M0 ${height}H${width}`} stroke="var(--rule)" fill="none" />
        <path d={line} stroke="var(--leaf)" strokeWidth="2" fill="none" />
      </svg>
      <TableBehind
        words={phrase('as a table: how many still stand in {name} after how long', { name: s.name })}
        heads={[phrase('after'), phrase('still there'), phrase('at least'), phrase('at most')]}
        rows={s.curve
          .filter((_, i) => i % Math.ceil(s.curve.length / 12) === 0)
          .map((p) => [
            phrase('{days, plural, one {# day} other {# days}}', { days: p.days }),
            percent(p.share),
            percent(p.low),
            percent(p.high),
          ])}
      />
    </>
  );
}
