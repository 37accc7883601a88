import { useState } from 'react';
import { useSession } from '../../app/session';
import { Button, Field } from '../../ui/bits';
import {
  type Condition,
  dayNames,
  daysOffset,
  type Needed,
  offsetDays,
  type ProgramFile,
  type Stop,
  type Trigger,
  type When,
  type Window,
  wordStops,
  wordTriggers,
} from './programFile';

/** The small forms behind the words of a program's sentences. */

const dates = ['birthday', 'client since', 'yearly review', 'policy renewal', 'mortgage fixed until'];

export function StageSelect({ value, set }: { value: string; set: (stage: string) => void }) {
  const stages = useSession().data?.stages ?? [];
  return (
    <Field label="Stage">
      {(id) => (
        <select id={id} required className="w-full" value={value} onChange={(e) => set(e.target.value)}>
          <option value="">choose</option>
          {stages.map((s) => (
            <option key={s} value={s}>
              {s.split('/')[1]}
            </option>
          ))}
        </select>
      )}
    </Field>
  );
}

export function TagInput({ value, set }: { value: string; set: (tag: string) => void }) {
  const tags = useSession().data?.tags ?? [];
  return (
    <Field label="Tag">
      {(id) => (
        <>
          <input id={id} required list={`${id}-list`} className="w-full" value={value} onChange={(e) => set(e.target.value)} />
          <datalist id={`${id}-list`}>
            {tags.map((t) => (
              <option key={t} value={t} />
            ))}
          </datalist>
        </>
      )}
    </Field>
  );
}

export function Take({ children, done }: { children: React.ReactNode; done: () => void }) {
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault();
        e.stopPropagation();
        done();
      }}
    >
      {children}
      <Button type="submit" look="main">
        Take it
      </Button>
    </form>
  );
}

/** What a start or stop says already, as words. */
function wordsOf(item: object | undefined): Record<string, string> {
  return Object.fromEntries(Object.entries(item ?? {}).filter((e): e is [string, string] => typeof e[1] === 'string'));
}

function withWords(kind: string, needs: Needed[], words: Record<string, string>) {
  return { kind, ...Object.fromEntries(needs.map((n) => [n.key, words[n.key]?.trim() ?? '']).filter(([, v]) => v !== '')) };
}

function WordFields({
  needs,
  words,
  set,
}: {
  needs: Needed[];
  words: Record<string, string>;
  set: (words: Record<string, string>) => void;
}) {
  return needs.map((n) => (
    <Field key={n.key} label={n.optional ? `${n.label} (any, if empty)` : n.label}>
      {(id) => (
        <input
          id={id}
          className="w-full"
          required={!n.optional}
          placeholder={n.placeholder}
          value={words[n.key] ?? ''}
          onChange={(e) => set({ ...words, [n.key]: e.target.value })}
        />
      )}
    </Field>
  ));
}

export function TriggerForm({ item, done }: { item?: Trigger; done: (t: Trigger) => void }) {
  const [kind, setKind] = useState(item?.kind ?? 'stage-entered');
  const [stage, setStage] = useState(item?.kind === 'stage-entered' ? item.stage : '');
  const [tag, setTag] = useState(item?.kind === 'tag-added' ? item.tag : '');
  const [date, setDate] = useState(item?.kind === 'occasion' ? item.date : 'birthday');
  const [days, setDays] = useState(String(item?.kind === 'occasion' ? (offsetDays(item.offset) ?? 0) : 0));
  const [words, setWords] = useState<Record<string, string>>(() => wordsOf(item));
  const worded = wordTriggers[kind];
  return (
    <Take
      done={() =>
        done(
          worded
            ? (withWords(kind, worded.needs, words) as Trigger)
            : kind === 'by-hand'
              ? { kind }
              : kind === 'tag-added'
                ? { kind, tag: tag.trim() }
                : kind === 'stage-entered'
                  ? { kind, stage }
                  : { ...(item?.kind === 'occasion' ? item : {}), kind: 'occasion', date, offset: daysOffset(Number(days)) },
        )
      }
    >
      <Field label="It starts when someone">
        {(id) => (
          <select id={id} className="w-full" value={kind} onChange={(e) => setKind(e.target.value as Trigger['kind'])}>
            <option value="stage-entered">reaches a stage</option>
            <option value="tag-added">gets a tag</option>
            <option value="occasion">has a birthday or another date</option>
            <option value="by-hand">is started by a member</option>
            {Object.entries(wordTriggers).map(([k, t]) => (
              <option key={k} value={k}>
                {t.label}
              </option>
            ))}
          </select>
        )}
      </Field>
      {worded && <WordFields needs={worded.needs} words={words} set={setWords} />}
      {kind === 'stage-entered' && <StageSelect value={stage} set={setStage} />}
      {kind === 'tag-added' && <TagInput value={tag} set={setTag} />}
      {kind === 'occasion' && (
        <>
          <Field label="Date">
            {(id) => (
              <select id={id} className="w-full" value={date} onChange={(e) => setDate(e.target.value)}>
                {dates.map((d) => (
                  <option key={d}>{d}</option>
                ))}
              </select>
            )}
          </Field>
          <Field label="Days from the date" hint="-1 is the day before">
            {(id, by) => (
              <input
                id={id}
                aria-describedby={by}
                type="number"
                min={-365}
                max={365}
                required
                className="w-24"
                value={days}
                onChange={(e) => setDays(e.target.value)}
              />
            )}
          </Field>
        </>
      )}
    </Take>
  );
}

export function StopForm({ item, done }: { item?: Stop; done: (s: Stop) => void }) {
  const [kind, setKind] = useState(item?.kind ?? 'replied');
  const [stage, setStage] = useState(item?.kind === 'stage-entered' ? item.stage : '');
  const [tag, setTag] = useState(item?.kind === 'tag-added' ? item.tag : '');
  const [words, setWords] = useState<Record<string, string>>(() => wordsOf(item));
  const worded = wordStops[kind];
  return (
    <Take
      done={() =>
        done(
          worded
            ? (withWords(kind, worded.needs, words) as Stop)
            : kind === 'replied'
              ? { kind }
              : kind === 'stage-entered'
                ? { kind, stage }
                : { kind: 'tag-added', tag: tag.trim() },
        )
      }
    >
      <Field label="It stops when they">
        {(id) => (
          <select id={id} className="w-full" value={kind} onChange={(e) => setKind(e.target.value as Stop['kind'])}>
            <option value="replied">answer</option>
            <option value="stage-entered">reach a stage</option>
            <option value="tag-added">get a tag</option>
            {Object.entries(wordStops).map(([k, t]) => (
              <option key={k} value={k}>
                {t.label}
              </option>
            ))}
          </select>
        )}
      </Field>
      {worded && <WordFields needs={worded.needs} words={words} set={setWords} />}
      {kind === 'stage-entered' && <StageSelect value={stage} set={setStage} />}
      {kind === 'tag-added' && <TagInput value={tag} set={setTag} />}
    </Take>
  );
}

/** The one condition the page knows how to ask for. */
export function ConditionFields({ label, condition, set }: { label: string; condition: Condition; set: (c: Condition) => void }) {
  const value = (word: string) => set({ ...condition, value: word });
  return (
    <>
      <Field label={label}>
        {(id) => (
          <select
            id={id}
            className="w-full"
            value={condition.what}
            onChange={(e) => set({ what: e.target.value as Condition['what'], value: '' })}
          >
            <option value="has-email">have an email address</option>
            <option value="tag">have a tag</option>
            <option value="not-tag">do not have a tag</option>
            <option value="stage">stand in a stage</option>
          </select>
        )}
      </Field>
      {(condition.what === 'tag' || condition.what === 'not-tag') && <TagInput value={condition.value} set={value} />}
      {condition.what === 'stage' && <StageSelect value={condition.value} set={value} />}
    </>
  );
}

export function ConditionForm({ item, done }: { item?: Condition; done: (c: Condition) => void }) {
  const [condition, setCondition] = useState<Condition>(item ?? { what: 'has-email', value: '' });
  return (
    <Take done={() => done({ ...condition, value: condition.value.trim() })}>
      <ConditionFields label="Only if they" condition={condition} set={setCondition} />
    </Take>
  );
}

export function WindowForm({ program, done }: { program: ProgramFile; done: (changes: Partial<ProgramFile>) => void }) {
  const [always, setAlways] = useState(!program.window);
  const [w, setW] = useState<Window>(
    program.window ?? { days: dayNames.slice(0, 5), from: '09:00', to: '17:30', holidays: 'skip', roll: 'forward' },
  );
  const [at, setAt] = useState(program.at ?? '09:30');
  const [clock, setClock] = useState(program.clock);
  return (
    <Take done={() => done({ window: always ? undefined : w, at, clock })}>
      <label className="mb-2 flex gap-2 text-small">
        <input type="checkbox" checked={always} onChange={(e) => setAlways(e.target.checked)} /> any day, any hour
      </label>
      {!always && (
        <>
          <fieldset className="mb-3 border-0 p-0 text-small">
            <legend className="mb-0.5 text-soft">Days</legend>
            {dayNames.map((d) => (
              <label key={d} className="mr-2 inline-flex items-center gap-1">
                <input
                  type="checkbox"
                  checked={w.days.includes(d)}
                  onChange={() =>
                    setW({
                      ...w,
                      days: w.days.includes(d) ? w.days.filter((x) => x !== d) : dayNames.filter((x) => x === d || w.days.includes(x)),
                    })
                  }
                />
                {d}
              </label>
            ))}
          </fieldset>
          <div className="flex gap-3">
            <Field label="From">
              {(id) => <input id={id} type="time" required value={w.from} onChange={(e) => setW({ ...w, from: e.target.value })} />}
            </Field>
            <Field label="To">
              {(id) => <input id={id} type="time" required value={w.to} onChange={(e) => setW({ ...w, to: e.target.value })} />}
            </Field>
          </div>
          <label className="mb-2 flex gap-2 text-small">
            <input
              type="checkbox"
              checked={w.holidays === 'skip'}
              onChange={(e) => setW({ ...w, holidays: e.target.checked ? 'skip' : 'ignore' })}
            />{' '}
            leave out public holidays and closing days
          </label>
          <Field label="A day that is left out moves">
            {(id) => (
              <select id={id} className="w-full" value={w.roll} onChange={(e) => setW({ ...w, roll: e.target.value })}>
                <option value="forward">to the next day that fits</option>
                <option value="back">to the day before that fits</option>
                <option value="nearest">to the nearer one</option>
                <option value="keep">not at all</option>
              </select>
            )}
          </Field>
        </>
      )}
      <div className="flex gap-3">
        <Field label="Usual time">
          {(id) => <input id={id} type="time" required value={at} onChange={(e) => setAt(e.target.value)} />}
        </Field>
        <Field label="On whose clock">
          {(id) => (
            <select id={id} value={clock} onChange={(e) => setClock(e.target.value as ProgramFile['clock'])}>
              <option value="person">theirs</option>
              <option value="practice">the practice’s</option>
            </select>
          )}
        </Field>
      </div>
    </Take>
  );
}

export function WhenForm({ when, occasion, done }: { when: When; occasion: boolean; done: (w: When) => void }) {
  const counted = when.from === 'start' || when.from === 'previous' || when.from === 'occasion';
  const [from, setFrom] = useState<string>(when.from);
  const [days, setDays] = useState(String(counted ? (offsetDays(when.offset) ?? 0) : 0));
  const [at, setAt] = useState(when.at ?? '');
  const [date, setDate] = useState(when.from === 'on' ? when.date : '');
  return (
    <Take
      done={() => {
        const time = at ? { at } : {};
        if (from === 'on') done({ from, date, ...time });
        else if (from === 'start' || from === 'previous' || from === 'occasion') done({ from, offset: daysOffset(Number(days)), ...time });
        else done(when);
      }}
    >
      <Field label="Counted from">
        {(id) => (
          <select id={id} className="w-full" value={from} onChange={(e) => setFrom(e.target.value)}>
            <option value="start">the start</option>
            <option value="previous">the step before</option>
            {(occasion || from === 'occasion') && <option value="occasion">the occasion</option>}
            <option value="on">a date</option>
            {!counted && from !== 'on' && <option value={from}>as it is</option>}
          </select>
        )}
      </Field>
      <div className="flex gap-3">
        {from === 'on' ? (
          <Field label="Date">
            {(id) => <input id={id} type="date" required value={date} onChange={(e) => setDate(e.target.value)} />}
          </Field>
        ) : (
          (from === 'start' || from === 'previous' || from === 'occasion') && (
            <Field label="Days">
              {(id) => (
                <input
                  id={id}
                  type="number"
                  min={from === 'occasion' ? -365 : 0}
                  max={3650}
                  required
                  className="w-24"
                  value={days}
                  onChange={(e) => setDays(e.target.value)}
                />
              )}
            </Field>
          )
        )}
        <Field label="Time of its own">{(id) => <input id={id} type="time" value={at} onChange={(e) => setAt(e.target.value)} />}</Field>
      </div>
    </Take>
  );
}

export function DaysForm({
  label,
  value,
  none,
  done,
}: {
  label: string;
  value: number | null;
  none?: string;
  done: (days: number | null) => void;
}) {
  const [days, setDays] = useState(value === null ? '' : String(value));
  return (
    <Take done={() => done(days === '' ? null : Number(days))}>
      <Field label={label} hint={none}>
        {(id, by) => (
          <input
            id={id}
            aria-describedby={by}
            type="number"
            min={0}
            max={365}
            required={!none}
            className="w-24"
            value={days}
            onChange={(e) => setDays(e.target.value)}
          />
        )}
      </Field>
    </Take>
  );
}

export function TextForm({ label, value, rows = 4, done }: { label: string; value: string; rows?: number; done: (text: string) => void }) {
  const [text, setText] = useState(value);
  return (
    <Take done={() => done(text)}>
      <Field label={label}>
        {(id) => <textarea id={id} rows={rows} className="w-full font-serif" value={text} onChange={(e) => setText(e.target.value)} />}
      </Field>
    </Take>
  );
}

export function AgainForm({ again, done }: { again: ProgramFile['again']; done: (again: ProgramFile['again']) => void }) {
  const [kind, setKind] = useState<string>(typeof again === 'string' ? again : again.kind);
  const [gap, setGap] = useState(typeof again === 'string' ? '' : String(offsetDays(again.gap) ?? ''));
  return (
    <Take
      done={() =>
        done(
          kind === 'after-finished' && gap
            ? { kind: 'after-finished', gap: daysOffset(Number(gap)) }
            : (kind as 'never' | 'after-finished' | 'each-time'),
        )
      }
    >
      <Field label="The same person again">
        {(id) => (
          <select id={id} className="w-full" value={kind} onChange={(e) => setKind(e.target.value)}>
            <option value="never">never</option>
            <option value="after-finished">when they have been through it</option>
            <option value="each-time">each time</option>
          </select>
        )}
      </Field>
      {kind === 'after-finished' && (
        <Field label="Days in between" hint="empty: none needed">
          {(id, by) => (
            <input
              id={id}
              aria-describedby={by}
              type="number"
              min={1}
              max={3650}
              className="w-24"
              value={gap}
              onChange={(e) => setGap(e.target.value)}
            />
          )}
        </Field>
      )}
    </Take>
  );
}
