import { useQuery } from '@tanstack/react-query';
import { Link } from 'react-router';
import { api, take } from '../../api/client';
import { useNow } from '../../app/session';
import { Button, Trouble } from '../../ui/bits';
import { DayChooser } from '../../ui/DayChooser';
import { dayName, time } from '../../ui/when';
import { phrase, quoted } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';
import { TouchMargin } from '../touches/TouchMargin';
import { asked, type Filter, type GroupAct, type Line } from './AlmanacPage';

/** Who is in the line that is picked; and of one who is picked in turn, what they get and why. */
export function AlmanacMargin({
  line,
  filter,
  today,
  person,
  setPerson,
  act,
  busy,
}: {
  line: Line;
  filter: Filter;
  today: string;
  person?: string;
  setPerson: (touch?: string) => void;
  /** Deals with all of a group; absent where it is only looked at as it would be. */
  act?: (how: GroupAct, to?: string) => void;
  busy: boolean;
}) {
  const { zone } = useNow();
  const { group, calls } = line;
  const names = useQuery({
    queryKey: ['almanac', 'names', line.key, filter],
    queryFn: () =>
      take(
        api.GET('/api/almanac/names', {
          params: {
            query: {
              ...asked(filter),
              date: line.date,
              ofProgram: group?.programId,
              step: group?.stepId,
              ...(calls ? { member: calls.memberId ?? undefined } : {}),
            },
          },
        }),
      ),
  });
  const one = act && names.data?.names.find((n) => n.touchId === person);
  if (one)
    return (
      <>
        <p className="mb-3 text-small">
          <Button onClick={() => setPerson(undefined)}>
            <Sentence m="back to all {count}" v={{ count: names.data?.count }} />
          </Button>
        </p>
        <TouchMargin touchId={one.touchId} personId={one.person.id} />
      </>
    );
  return (
    <section aria-label={phrase('Who it is')}>
      <h3>{group ? quoted(group.words) : phrase('{calls, plural, one {# call} other {# calls}}', { calls: calls?.calls ?? 0 })}</h3>
      <p className="mb-2 text-small text-soft">
        {dayName(line.date, today)}
        {group ? `, ${group.program}` : calls ? phrase(' of {member}', { member: calls.member }) : ''}
      </p>
      {act && group && group.goes + group.held > 0 && (
        <p className="mb-3 flex flex-wrap items-baseline gap-x-4 text-small">
          <Button disabled={busy} onClick={() => act(group.goes > 0 ? 'hold' : 'release')}>
            {group.goes > 0 ? phrase('hold all') : phrase('let all go')}
          </Button>
          <DayChooser words={phrase('move all to another day')} after={line.date} choose={(day) => act('move', day)} busy={busy} />
          <Button disabled={busy} onClick={() => act('drop')}>
            {phrase('drop all')}
          </Button>
        </p>
      )}
      <Trouble error={names.error} />
      {names.isPending && <p role="status">{phrase('Looking it up …')}</p>}
      <ul className="m-0 list-none p-0 leading-7">
        {names.data?.names.map((n) => (
          <li key={n.touchId} className="flex items-baseline gap-3">
            {act === undefined ? (
              <Link to={`/people/${n.person.id}`} className="min-w-0 flex-1 truncate text-ink no-underline hover:underline">
                {n.person.name}
                {n.willNot && <span className="text-small text-ember"> {n.willNot}</span>}
              </Link>
            ) : (
              <button type="button" className="min-w-0 flex-1 truncate text-left hover:underline" onClick={() => setPerson(n.touchId)}>
                {n.person.name}
                {n.held && <span className="text-small text-straw">{phrase(' held')}</span>}
                {n.moved && <span className="text-small text-mist">{phrase(' moved here')}</span>}
                {n.willNot && <span className="text-small text-ember"> {n.willNot}</span>}
                {n.overCapacity && <span className="text-small text-ember">{phrase(' no room on these days')}</span>}
              </button>
            )}
            <span className="text-small text-soft">{group ? time(n.at, zone) : n.program}</span>
          </li>
        ))}
      </ul>
      {names.data && names.data.count > names.data.names.length && (
        <p className="text-small text-soft">
          {phrase('and {count, plural, one {# more} other {# more}}', { count: names.data.count - names.data.names.length })}
        </p>
      )}
    </section>
  );
}
