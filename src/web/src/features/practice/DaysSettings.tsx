import { useState } from 'react';
import { Button, Field } from '../../ui/bits';
import { type WeekDay, week } from '../../ui/week';
import { dayName } from '../../ui/when';
import { phrase } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';
import { chosen, countryName, daysOf, type SettingsForm, stretchesOf } from './settings';

/** The days on which the practice works, and those on which it does not. */
export function DaysSettings({ practice, draft, set, wrong }: SettingsForm) {
  const days = draft.workingDays;
  const [next] = practice.comingHolidays;
  return (
    <>
      <fieldset className="m-0 mb-3 border-0 p-0">
        <legend className="mb-0.5 text-small text-soft">{phrase('We work on')}</legend>
        <div className="flex flex-wrap gap-x-5 gap-y-1">
          {(Object.keys(week) as WeekDay[]).map((day) => (
            <label key={day} className="text-small">
              <input
                type="checkbox"
                className="mr-1.5"
                checked={days.includes(day)}
                onChange={(e) => set({ workingDays: chosen(Object.keys(week) as WeekDay[], days, day, e.target.checked) })}
              />
              {week[day]}
            </label>
          ))}
        </div>
        {wrong('workingDays') && (
          <p role="alert" className="m-0 text-small text-ember">
            {wrong('workingDays')}
          </p>
        )}
      </fieldset>
      <Field label={phrase('but not on the public holidays of')} error={wrong('country')}>
        {(id, by) => (
          <select id={id} aria-describedby={by} value={draft.country} onChange={(e) => set({ country: e.target.value })}>
            <option value="">{phrase('no country')}</option>
            {practice.countries.map((c) => (
              <option key={c} value={c}>
                {countryName(c)}
              </option>
            ))}
          </select>
        )}
      </Field>
      {draft.country === practice.country && next && (
        <details className="mb-4 text-small">
          <summary className="min-h-6 text-leaf">
            {phrase('The next of them: {next}, {date}', { next: next.name, date: dayName(next.date) })}
          </summary>
          <ul className="m-0 mt-1 list-none columns-2 p-0 max-[699px]:columns-1">
            {practice.comingHolidays.map((h) => (
              <li key={h.date}>
                {dayName(h.date)} · {h.name}
              </li>
            ))}
          </ul>
        </details>
      )}
      <DaysOff
        title={phrase('Further public holidays')}
        days={draft.holidays}
        set={(holidays) => set({ holidays })}
        error={wrong('holidays')}
      />
      <DaysOff
        title={phrase('Days on which we are closed')}
        days={draft.closed}
        set={(closed) => set({ closed })}
        error={wrong('closed')}
      />
      <Field label={phrase('A birthday on 29 February is kept, in other years, on')} error={wrong('leapDay')}>
        {(id, by) => (
          <select id={id} aria-describedby={by} value={draft.leapDay} onChange={(e) => set({ leapDay: e.target.value })}>
            <option value="feb28">{phrase('28 February')}</option>
            <option value="mar1">{phrase('1 March')}</option>
          </select>
        )}
      </Field>
    </>
  );
}

function DaysOff({ title, days, set, error }: { title: string; days: readonly string[]; set: (days: string[]) => void; error?: string }) {
  const [from, setFrom] = useState('');
  const [until, setUntil] = useState('');
  const add = () => {
    if (!from) return;
    set([...new Set([...days, ...daysOf(from, until || from)])].sort());
    setFrom('');
    setUntil('');
  };
  return (
    <fieldset className="m-0 mb-4 border-0 p-0">
      <legend className="mb-0.5 text-small text-soft">{title}</legend>
      <ul className="m-0 list-none p-0">
        {stretchesOf(days).map((s) => (
          <li key={s.from} className="flex items-baseline gap-4">
            <span>
              {s.from === s.until ? dayName(s.from) : phrase('{from} to {until}', { from: dayName(s.from), until: dayName(s.until) })}
            </span>
            <Button
              look="danger"
              className="min-h-6"
              aria-label={phrase('Take out {from}', { from: dayName(s.from) })}
              onClick={() => set(days.filter((d) => d < s.from || d > s.until))}
            >
              {phrase('take out')}
            </Button>
          </li>
        ))}
      </ul>
      <p className="m-0 flex flex-wrap items-baseline gap-2 py-1 text-small">
        <Sentence
          m="from{from}to{until}<button>add</button>"
          v={{
            from: (
              <input aria-label={phrase('{title}: from', { title })} type="date" value={from} onChange={(e) => setFrom(e.target.value)} />
            ),
            until: (
              <input
                aria-label={phrase('{title}: to', { title })}
                type="date"
                value={until}
                min={from}
                onChange={(e) => setUntil(e.target.value)}
              />
            ),
            button: (c) => (
              <Button className="min-h-6" disabled={!from || (until !== '' && until < from)} onClick={add}>
                {c}
              </Button>
            ),
          }}
        />
      </p>
      {error && (
        <p role="alert" className="m-0 text-small text-ember">
          {error}
        </p>
      )}
    </fieldset>
  );
}
