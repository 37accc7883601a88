import { useQuery } from '@tanstack/react-query';
import { api, type Schemas, take } from '../../api/client';
import { Button, Trouble } from '../../ui/bits';
import { dayName } from '../../ui/when';
import { phrase } from '../../words/phrase';

/** So many days are offered. */
const offered = 8;

/** The next working days with the calls that stand there already; one is chosen, Escape leaves the call where it is. */
export function MoveCall({ call, choose, leave }: { call: Schemas['CallDto']; choose: (day: string) => void; leave: () => void }) {
  const ahead = useQuery({
    queryKey: ['almanac', 'room', call.memberId],
    queryFn: () =>
      take(api.GET('/api/almanac', { params: { query: { kind: 'call', member: call.memberId ?? undefined, days: 2 * offered } } })),
  });
  const days =
    ahead.data?.days
      .slice(1)
      .filter((d) => d.isWorkingDay)
      .slice(0, offered) ?? [];
  return (
    <fieldset
      className="mt-2"
      onKeyDown={(e) => {
        if (e.key !== 'Escape') return;
        e.stopPropagation();
        leave();
      }}
    >
      <legend className="text-small text-soft">{phrase('To which day?')}</legend>
      <Trouble error={ahead.error} />
      {ahead.isPending && <p role="status">{phrase('Looking what stands there …')}</p>}
      <div className="flex flex-wrap gap-x-5 gap-y-1">
        {days.map((d, i) => {
          const on = d.calls.find((c) => c.memberId === call.memberId);
          const full = on && on.room !== null && on.calls >= on.room;
          return (
            <Button key={d.date} className="min-h-6" autoFocus={i === 0} onClick={() => choose(d.date)}>
              {dayName(d.date)}{' '}
              <span className={full ? 'text-straw' : 'text-soft'}>
                {on
                  ? on.room === null
                    ? `${on.calls}`
                    : phrase('{calls, number} of {room, number}', { calls: on.calls, room: on.room })
                  : phrase('none yet')}
              </span>
            </Button>
          );
        })}
      </div>
    </fieldset>
  );
}
