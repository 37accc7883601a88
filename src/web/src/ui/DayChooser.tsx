import { useState } from 'react';
import { useNow } from '../app/session';
import { phrase } from '../words/phrase';
import { Button } from './bits';
import { date, nextDay } from './when';

/**
 * A button that asks for a day, today at the earliest, and hands it on.
 * @param words what the button says
 * @param after the day on which it stands now: the one after it is offered first
 */
export function DayChooser({
  words,
  after,
  choose,
  busy,
}: {
  words: string;
  after?: string;
  choose: (day: string) => void;
  busy?: boolean;
}) {
  const { now, zone } = useNow();
  const today = date(now, zone);
  const [open, setOpen] = useState(false);
  const [day, setDay] = useState(nextDay(after && after > today ? after : today));
  if (!open)
    return (
      <Button disabled={busy} onClick={() => setOpen(true)}>
        {words}
      </Button>
    );
  return (
    <form
      className="inline-flex flex-wrap items-center gap-2"
      onSubmit={(e) => {
        e.preventDefault();
        setOpen(false);
        choose(day);
      }}
      onKeyDown={(e) => {
        if (e.key !== 'Escape') return;
        e.stopPropagation();
        setOpen(false);
      }}
    >
      <input
        type="date"
        aria-label={phrase('To which day')}
        required
        autoFocus
        min={today}
        value={day}
        onChange={(e) => setDay(e.target.value)}
      />
      <Button type="submit" look="main">
        {phrase('Move')}
      </Button>
      <Button onClick={() => setOpen(false)}>{phrase('leave it')}</Button>
    </form>
  );
}
