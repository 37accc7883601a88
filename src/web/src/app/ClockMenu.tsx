import { useMutation, useQueryClient } from '@tanstack/react-query';
import { Popover } from 'radix-ui';
import { useEffect, useRef, useState } from 'react';
import { api, take } from '../api/client';
import { Button, Field, fieldError, ProgressBar, Trouble } from '../ui/bits';
import { clockFace, date, smallClockFace } from '../ui/when';
import { phrase } from '../words/phrase';
import { Sentence } from '../words/Sentence';
import { useClock } from './session';

/** The practice's date and time; in the demo, the place where time is moved on. */
export function ClockMenu() {
  const clock = useClock();
  const queries = useQueryClient();
  const [open, setOpen] = useState(false);
  const [to, setTo] = useState('');
  const moving = Boolean(clock.data?.moveTo);
  const wasMoving = useRef(false);

  const move = useMutation({
    mutationFn: (target: string) => take(api.POST('/api/clock/move', { body: { to: target } })),
    onSuccess: (c) => {
      queries.setQueryData(['clock'], c);
      setTo('');
    },
  });
  const stop = useMutation({ mutationFn: () => take(api.POST('/api/clock/stop')) });

  // When it stands again, everything on the page is asked for anew.
  useEffect(() => {
    if (wasMoving.current && !moving) queries.invalidateQueries();
    wasMoving.current = moving;
  }, [moving, queries]);

  if (!clock.data) return <span className="w-40" />;
  const { now, zone, real, moveFrom, moveTo } = clock.data;
  const share =
    moveFrom && moveTo ? Math.round((100 * (Date.parse(now) - Date.parse(moveFrom))) / (Date.parse(moveTo) - Date.parse(moveFrom))) : 0;
  const face = (
    <span className="block text-right text-small leading-tight whitespace-nowrap text-soft max-[699px]:text-[11px]">
      <b className="font-semibold text-ink max-[699px]:hidden">{clockFace(now, zone)}</b>
      <b className="hidden font-semibold text-ink max-[699px]:inline">{smallClockFace(now, zone)}</b>
      <br />
      {real ? (
        phrase('practice time')
      ) : moving ? (
        phrase('moving on, {share, number} %', { share })
      ) : (
        <Sentence m="<span>Clock stands · </span>move on" v={{ span: (c) => <span className="max-[699px]:hidden">{c}</span> }} />
      )}
    </span>
  );
  if (real) return face;

  return (
    <Popover.Root open={open} onOpenChange={setOpen}>
      <Popover.Trigger>
        <span className="sr-only">{phrase('Practice clock, ')}</span>
        {face}
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content className="float w-72 p-4" align="end" sideOffset={10} aria-label={phrase('Move the clock on')}>
          <h2>{phrase('Let time pass')}</h2>
          <p className="mt-1 text-small text-soft">
            {phrase('Everything due in between is done in its order: letters go to the mail stand-in, calls come onto the sheet.')}
          </p>
          {moving ? (
            <div className="mt-3">
              <ProgressBar share={share} label={phrase('How far the clock has moved')} />
              <p className="mt-2 text-small">{clockFace(now, zone)}</p>
              <Button look="danger" onClick={() => stop.mutate()} disabled={stop.isPending}>
                {phrase('Stop here')}
              </Button>
            </div>
          ) : (
            <>
              <div className="mt-3 flex gap-4">
                <Button onClick={() => move.mutate('PT1H')}>{phrase('an hour')}</Button>
                <Button onClick={() => move.mutate('tomorrow')}>{phrase('to tomorrow morning')}</Button>
                <Button onClick={() => move.mutate('P7D')}>{phrase('a week')}</Button>
              </div>
              <form
                className="mt-3"
                onSubmit={(e) => {
                  e.preventDefault();
                  move.mutate(to);
                }}
              >
                <Field label={phrase('to the morning of')} error={fieldError(move.error, 'to')}>
                  {(id, by) => (
                    <span className="flex gap-2">
                      <input
                        id={id}
                        aria-describedby={by}
                        type="date"
                        required
                        min={date(now, zone)}
                        value={to}
                        onChange={(e) => setTo(e.target.value)}
                        className="flex-1 text-small"
                      />
                      <Button type="submit" look="main" disabled={!to || move.isPending}>
                        {phrase('Move')}
                      </Button>
                    </span>
                  )}
                </Field>
              </form>
              {!fieldError(move.error, 'to') && <Trouble error={move.error} />}
            </>
          )}
          <Popover.Arrow className="fill-[var(--rule)]" />
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
