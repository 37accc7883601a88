import type { Schemas } from '../../api/client';
import { useMemberName } from '../../app/session';
import { Button, Field, fieldError } from '../../ui/bits';
import { KeptNumber } from '../../ui/KeptNumber';
import { type WeekDay, week } from '../../ui/week';
import { phrase } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';
import { SayOneOf } from '../programs/Say';
import type { Meeting } from './MeetingsPage';

type Span = Schemas['FreeSpanDto'];

/** A page of times as sentences: what one meets for, how long, how soon, how many, and in which hours. */
export function MeetingWords({
  page: p,
  types,
  set,
  may,
  error,
}: {
  page: Meeting;
  types: readonly string[];
  set: (part: Partial<Schemas['MeetingBody']>) => void;
  may: boolean;
  error: unknown;
}) {
  const name = useMemberName();
  const wrong = ['title', 'type', 'minutes', 'gapMinutes', 'noticeHours', 'mostADay', 'aheadDays']
    .map((f) => fieldError(error, f))
    .find(Boolean);
  return (
    <div className="mt-2">
      <p className="m-0 leading-9">
        <Sentence
          m="One meets {member} for {may} of {minutes} minutes, with {gapMinutes} minutes between two, chosen at least {noticeHours} hours before and at most {aheadDays} days ahead; up to {mostADay} appointments a day{mostADay2, select, true { (as many as there is room for)} other {}}."
          v={{
            member: name(p.member),
            may: may ? (
              <SayOneOf
                words={phrase('a “{type}”', { type: p.type })}
                label={phrase('What kind of appointment')}
                choices={types.map((t) => [t, phrase('a “{type}”', { type: t })] as const)}
                now={p.type}
                choose={(type) => set({ type })}
              />
            ) : (
              phrase('a “{type}”', { type: p.type })
            ),
            minutes: (
              <KeptNumber label={phrase('How many minutes it takes')} value={p.minutes} set={(n) => set({ minutes: n ?? 0 })} may={may} />
            ),
            gapMinutes: (
              <KeptNumber label={phrase('Minutes between two')} value={p.gapMinutes} set={(n) => set({ gapMinutes: n ?? 0 })} may={may} />
            ),
            noticeHours: (
              <KeptNumber label={phrase('Hours before')} value={p.noticeHours} set={(n) => set({ noticeHours: n ?? 0 })} may={may} />
            ),
            aheadDays: <KeptNumber label={phrase('Days ahead')} value={p.aheadDays} set={(n) => set({ aheadDays: n ?? 0 })} may={may} />,
            mostADay: <KeptNumber label={phrase('How many a day')} value={p.mostADay} set={(mostADay) => set({ mostADay })} may={may} />,
            mostADay2: String(p.mostADay === null),
          }}
        />
      </p>
      {wrong && (
        <p className="m-0 text-small text-ember" role="alert">
          {wrong}
        </p>
      )}
      <Hours hours={p.hours} set={(hours) => set({ hours })} may={may} />
      {fieldError(error, 'hours') && (
        <p className="m-0 text-small text-ember" role="alert">
          {fieldError(error, 'hours')}
        </p>
      )}
      <div className="mt-3 flex flex-wrap gap-4">
        {(
          [
            ['title', phrase('Title'), p.title],
            ['place', phrase('Where'), p.place ?? ''],
          ] as const
        ).map(([key, label, value]) => (
          <Field key={key} label={label}>
            {(id) => (
              <input
                id={id}
                className="w-72"
                disabled={!may}
                defaultValue={value}
                key={value}
                placeholder={key === 'place' ? phrase('at our table, or by telephone') : undefined}
                onBlur={(e) => e.target.value.trim() !== value && set({ [key]: e.target.value.trim() })}
              />
            )}
          </Field>
        ))}
      </div>
      <Field label={phrase('Words above the times')}>
        {(id) => (
          <textarea
            id={id}
            rows={2}
            className="w-full font-serif"
            disabled={!may}
            defaultValue={p.words}
            key={p.words}
            onBlur={(e) => e.target.value.trim() !== p.words && set({ words: e.target.value.trim() })}
          />
        )}
      </Field>
    </div>
  );
}

function Hours({ hours, set, may }: { hours: readonly Span[]; set: (hours: Span[]) => void; may: boolean }) {
  const put = (span: Span, part: Partial<Span>) => set(hours.map((h) => (h === span ? { ...h, ...part } : h)));
  return (
    <ul className="m-0 mt-2 list-none p-0">
      {(Object.entries(week) as [WeekDay, string][]).map(([day, name]) => {
        const spans = hours.filter((h) => h.day === day);
        return (
          <li key={day} className="flex flex-wrap items-baseline gap-x-4 border-t border-dotted border-rule py-1">
            <span className="w-28">{name}</span>
            {spans.length === 0 && <span className="text-soft">{phrase('not')}</span>}
            {spans.map((span, i) => {
              const nth = i === 0 ? '' : phrase(', span {i, number}', { i: i + 1 });
              return (
                <span key={`${span.from}-${span.to}`} className="whitespace-nowrap">
                  <Sentence
                    m="{input} to {input2}{may}"
                    v={{
                      input: (
                        <input
                          aria-label={phrase('{name}{nth}, from', { name, nth })}
                          type="time"
                          disabled={!may}
                          defaultValue={span.from}
                          onBlur={(e) => e.target.value && e.target.value !== span.from && put(span, { from: e.target.value })}
                        />
                      ),
                      input2: (
                        <input
                          aria-label={phrase('{name}{nth}, to', { name, nth })}
                          type="time"
                          disabled={!may}
                          defaultValue={span.to}
                          onBlur={(e) => e.target.value && e.target.value !== span.to && put(span, { to: e.target.value })}
                        />
                      ),
                      may: may && (
                        <Button
                          look="plain"
                          className="ml-1 min-h-6 min-w-6"
                          aria-label={phrase('Not on {name}{nth}', { name, nth })}
                          onClick={() => set(hours.filter((h) => h !== span))}
                        >
                          ×
                        </Button>
                      ),
                    }}
                  />
                </span>
              );
            })}
            {may && spans.length < 4 && (
              <Button
                look="plain"
                className="text-small"
                aria-label={phrase('More hours on {name}', { name })}
                onClick={() => set([...hours, next(day, spans)])}
              >
                {phrase('+ hours')}
              </Button>
            )}
          </li>
        );
      })}
    </ul>
  );
}

/** Hours that are not those of the day already: the morning, else the hours after the last. */
export function next(day: WeekDay, spans: readonly Span[]): Span {
  const last = spans
    .map((s) => s.to)
    .sort()
    .at(-1);
  if (!last) return { day, from: '09:00', to: '12:00' };
  const hour = Math.min(22, Number.parseInt(last, 10) + 1);
  const clock = (h: number) => `${String(h).padStart(2, '0')}:00`;
  return { day, from: last < '13:00' ? '14:00' : clock(hour), to: last < '13:00' ? '17:00' : clock(hour + 1) };
}
