import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useRef, useState } from 'react';
import { api, type Schemas, take, upload } from '../../api/client';
import { useNow } from '../../app/session';
import { Button, Field, fieldError, Trouble } from '../../ui/bits';
import { Stretch } from '../../ui/DayPage';
import { moment, nearDay, time } from '../../ui/when';
import { phrase } from '../../words/phrase';

type Own = Schemas['OwnCalendarDto'];

/** The calendars one keeps elsewhere: what stands in them is in the way of times one can choose, and of calls. */
export function OwnCalendars() {
  const queries = useQueryClient();
  const { now, zone } = useNow();
  const calendars = useQuery({ queryKey: ['own-calendars'], queryFn: () => take(api.GET('/api/own-calendars')) });
  const put = (all: Own[]) => {
    queries.setQueryData(['own-calendars'], all);
    for (const key of ['meetings', 'today', 'almanac']) queries.invalidateQueries({ queryKey: [key] });
  };
  const read = useMutation({
    meta: { says: () => phrase('a calendar read again') },
    mutationFn: (id: string) => take(api.POST('/api/own-calendars/{id}/read', { params: { path: { id } } })),
    onSuccess: put,
  });
  const remove = useMutation({
    meta: { says: () => phrase('a calendar taken out') },
    mutationFn: (id: string) => take(api.DELETE('/api/own-calendars/{id}', { params: { path: { id } } })),
    onSuccess: put,
  });
  const all = calendars.data ?? [];
  return (
    <section aria-label={phrase('Calendars you keep elsewhere')}>
      <Stretch title={phrase('Calendars you keep elsewhere')} />
      <p className="m-0 px-7 pb-2 text-small text-soft max-[699px]:px-4">
        {phrase(
          'When you are busy there, nobody can choose that time here, and there is room for fewer calls. Only from when to when is kept, never what it is; nobody else sees which calendars you have.',
        )}
      </p>
      <div className="px-7 max-[699px]:px-4">
        <Trouble error={calendars.error ?? read.error ?? remove.error} />
      </div>
      {all.map((c) => (
        <div key={c.id} className="row flex flex-wrap items-baseline gap-x-4 gap-y-1">
          <span className="min-w-0 flex-1">
            {c.name}{' '}
            <span className="text-small text-soft">
              {c.host ? phrase('read at {host}', { host: c.host }) : phrase('a file, read once')}
              {c.host &&
                c.readAt &&
                phrase(', last {readAt} {readAt2}', { readAt: nearDay(c.readAt, zone, now), readAt2: time(c.readAt, zone) })}
              {' · '}
              {c.next
                ? phrase('{busy, plural, one {# busy stretch} other {# busy stretches}} ahead, the next {from} to {until}', {
                    busy: c.busy,
                    from: moment(c.next.from, zone, now),
                    until: time(c.next.until, zone),
                  })
                : phrase('nothing ahead')}
            </span>
            {c.problem && (
              <span className="block text-small text-ember">
                {phrase('It could not be read last: {problem} What it took of your days still holds.', { problem: c.problem })}
              </span>
            )}
          </span>
          <span className="flex gap-3 text-small">
            {c.host && (
              <Button
                look="plain"
                disabled={read.isPending}
                aria-label={phrase('Read “{name}” again', { name: c.name })}
                onClick={() => read.mutate(c.id)}
              >
                {phrase('read it now')}
              </Button>
            )}
            <Button
              look="plain"
              disabled={remove.isPending}
              aria-label={phrase('Take “{name}” out', { name: c.name })}
              onClick={() => remove.mutate(c.id)}
            >
              {phrase('take out')}
            </Button>
          </span>
        </div>
      ))}
      <AddCalendar put={put} />
    </section>
  );
}

function AddCalendar({ put }: { put: (all: Own[]) => void }) {
  const [address, setAddress] = useState('');
  const file = useRef<HTMLInputElement>(null);
  const add = useMutation({
    meta: { says: () => phrase('a calendar of yours') },
    mutationFn: () => take(api.POST('/api/own-calendars', { body: { name: '', address } })),
    onSuccess: (all) => {
      setAddress('');
      put(all);
    },
  });
  const addFile = useMutation({
    mutationFn: (chosen: File) => upload<Own[]>('/api/own-calendars/file', chosen),
    onSuccess: put,
  });
  const wrong = ['address', 'name'].map((f) => fieldError(add.error, f)).find(Boolean);
  const wrongFile = ['file', 'name'].map((f) => fieldError(addFile.error, f)).find(Boolean);
  return (
    <form
      className="flex flex-wrap items-end gap-3 border-t border-dotted border-rule px-7 py-3 max-[699px]:px-4"
      onSubmit={(e) => {
        e.preventDefault();
        if (address.trim()) add.mutate();
      }}
    >
      <Field label={phrase('Address of a calendar')} error={wrong ?? wrongFile}>
        {(id, by) => (
          <input
            id={id}
            aria-describedby={by}
            className="w-80 max-w-full"
            placeholder="https://calendar.example.com/mine.ics"
            value={address}
            onChange={(e) => setAddress(e.target.value)}
          />
        )}
      </Field>
      <Button type="submit" look="main" disabled={!address.trim() || add.isPending}>
        {add.isPending ? phrase('Reading it …') : phrase('Read it from there')}
      </Button>
      <input
        ref={file}
        type="file"
        accept=".ics,text/calendar"
        className="sr-only"
        aria-label={phrase('A calendar as a file')}
        tabIndex={-1}
        onChange={(e) => {
          const chosen = e.target.files?.[0];
          e.target.value = '';
          if (chosen) addFile.mutate(chosen);
        }}
      />
      <Button disabled={addFile.isPending} onClick={() => file.current?.click()}>
        {phrase('or take a file')}
      </Button>
      {!wrong && !wrongFile && <Trouble error={add.error ?? addFile.error} />}
    </form>
  );
}
