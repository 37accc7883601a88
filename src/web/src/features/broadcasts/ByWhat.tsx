import { useQuery } from '@tanstack/react-query';
import { api, type Schemas, take } from '../../api/client';
import { Loading, Trouble } from '../../ui/bits';
import { Stretch } from '../../ui/DayPage';
import { money } from '../../ui/money';
import { Scrolls } from '../../ui/Scrolls';
import { span } from '../../ui/span';
import { TableBehind } from '../../ui/TableBehind';
import { locale, phrase } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';
import { goals } from './plan';
import { percent } from './ShareBar';
import { stateTiles, tileSize } from './stateTiles';

type Breakdown = Schemas['BreakdownDto'];

/** By link, by place where people live, by mail provider, and what followed. */
export function ByWhat({ id, goal }: { id: string; goal: Schemas['BroadcastGoal'] | null | undefined }) {
  const found = useQuery({
    queryKey: ['broadcast-numbers', id, 'breakdown'],
    queryFn: () => take(api.GET('/api/broadcasts/{id}/breakdown', { params: { path: { id } } })),
  });
  if (!found.data) return found.error ? <Trouble error={found.error} /> : <Loading what={phrase('Counting')} />;
  const { links, places, providers, followed } = found.data;
  return (
    <>
      <Stretch
        title={phrase('What followed')}
        note={phrase('within {within} of it; each person once, and nothing of it is said to be an effect', {
          within: span(followed.within),
        })}
      />
      <p className="px-7 py-1 max-[699px]:px-4">
        <Sentence
          m="{goal}{opened, plural, one {# opportunity was} other {# opportunities were}} opened, {won, number} won{money}; {appointments, plural, one {# appointment was} other {# appointments were}} made."
          v={{
            goal: followed.goal !== null && followed.goal !== undefined && (
              <>
                <b>{phrase('{goal, plural, one {# person} other {# people}}', { goal: followed.goal })}</b>:{' '}
                {goals.find(([k]) => k === goal?.kind)?.[1] ?? phrase('its goal')}
                {goal?.what && ` (${goal.what})`}.{' '}
              </>
            ),
            opened: followed.opened,
            won: followed.won,
            money: followed.money > 0 && phrase(' with {money}', { money: money(followed.money, followed.currency) }),
            appointments: followed.appointments,
          }}
        />
      </p>
      {links.length > 0 && (
        <>
          <Stretch title={phrase('Links')} />
          <table className="w-full text-small" aria-label={phrase('Links')}>
            <tbody>
              {links.map((l) => (
                <tr key={l.name + l.address} className="border-t border-rule">
                  <th scope="row" className="py-1.5 pr-3 pl-7 text-left font-normal max-[699px]:pl-4">
                    {l.name && l.name !== l.address && `${l.name} `}
                    <span className="break-all text-soft">{l.address}</span>
                  </th>
                  <td className="py-1.5 pr-7 text-right whitespace-nowrap tabular-nums">
                    {phrase('{people, plural, one {# person} other {# people}}', { people: l.people })}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </>
      )}
      <Places places={places} />
      {providers.length > 0 && (
        <>
          <Stretch title={phrase('Mail providers')} note={phrase('by the domain people are written to at')} />
          <Scrolls label={phrase('Mail providers')} className="px-7 pb-4 max-[699px]:px-4">
            <table className="text-small" aria-label={phrase('Mail providers')}>
              <thead>
                <tr className="text-soft">
                  {[phrase('domain'), phrase('went'), phrase('came back'), phrase('opened'), phrase('complained')].map((h, i) => (
                    <th key={h} scope="col" className={`pr-6 font-normal ${i === 0 ? 'text-left' : 'text-right'}`}>
                      {h}
                    </th>
                  ))}
                </tr>
              </thead>
              <tbody>
                {providers.map((p) => (
                  <tr key={p.domain} className="border-t border-rule">
                    <th scope="row" className="py-1 pr-6 text-left font-normal">
                      {p.domain}
                    </th>
                    <td className="pr-6 text-right tabular-nums">{p.sent.toLocaleString(locale())}</td>
                    <td className="pr-6 text-right tabular-nums">{p.bounced || ''}</td>
                    <td className="pr-6 text-right tabular-nums">{p.sent > p.bounced ? percent(p.opened / (p.sent - p.bounced)) : ''}</td>
                    <td className="pr-6 text-right tabular-nums">{p.complained || ''}</td>
                  </tr>
                ))}
              </tbody>
            </table>
          </Scrolls>
        </>
      )}
    </>
  );
}

const tile = 34;

/** Where people live, as tiles of states: the darker, the more of them opened it; the table behind has every place. */
function Places({ places }: { places: Breakdown['places'] }) {
  const states = new Map<string, { delivered: number; opened: number }>();
  for (const p of places.filter((x) => x.state in stateTiles)) {
    const known = states.get(p.state) ?? { delivered: 0, opened: 0 };
    states.set(p.state, { delivered: known.delivered + p.delivered, opened: known.opened + p.opened });
  }
  if (places.length === 0) return null;
  const [columns, rows] = tileSize;
  return (
    <>
      <Stretch title={phrase('Where people live')} note={phrase('by their address, never by where they read it')} />
      <div className="px-7 pb-4 max-[699px]:px-4">
        {states.size > 0 && (
          <svg
            viewBox={`0 0 ${columns * tile} ${rows * tile}`}
            className="block w-full max-w-[440px]"
            role="img"
            aria-label={phrase('Opened by state: {value}', {
              value: [...states]
                .map(([s, n]) => phrase('{s} {opened, number} of {delivered, number}', { s, opened: n.opened, delivered: n.delivered }))
                .join(', '),
            })}
          >
            {Object.entries(stateTiles).map(([code, [x, y]]) => {
              const n = states.get(code);
              return (
                <g key={code}>
                  <rect x={x * tile + 1} y={y * tile + 1} width={tile - 2} height={tile - 2} fill="var(--sheet)" stroke="var(--rule)" />
                  {n && (
                    <rect
                      x={x * tile + 1}
                      y={y * tile + 1}
                      width={tile - 2}
                      height={tile - 2}
                      fill="var(--leaf)"
                      opacity={0.12 + 0.5 * (n.opened / n.delivered)}
                    />
                  )}
                  <text
                    x={x * tile + tile / 2}
                    y={y * tile + 15}
                    fontSize="11"
                    textAnchor="middle"
                    fill={n ? 'var(--ink)' : 'var(--ink-soft)'}
                  >
                    {code}
                  </text>
                  {n && (
                    <text x={x * tile + tile / 2} y={y * tile + 27} fontSize="9" textAnchor="middle" fill="var(--ink)">
                      {Math.round((100 * n.opened) / n.delivered)} %
                    </text>
                  )}
                </g>
              );
            })}
          </svg>
        )}
        <TableBehind
          words={phrase('every place, as a table')}
          heads={[phrase('place'), phrase('arrived'), phrase('opened'), phrase('followed a link')]}
          rows={places.map((p) => [
            [p.city, p.state, p.country].filter(Boolean).join(', ') || phrase('not known'),
            p.delivered.toLocaleString(locale()),
            p.opened.toLocaleString(locale()),
            p.followed.toLocaleString(locale()),
          ])}
        />
      </div>
    </>
  );
}
