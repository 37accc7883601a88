import { useQuery } from '@tanstack/react-query';
import { useRef, useState } from 'react';
import { type FieldValues, useForm } from 'react-hook-form';
import type { z } from 'zod';
import { api, take } from '../../api/client';
import { stop, trigger, when } from '../../api/program';
import { useSession } from '../../app/session';
import { Button, Field } from '../../ui/bits';
import { monthNames } from '../../ui/when';
import { phrase } from '../../words/phrase';
import { FieldsMenu, putIn } from '../letters/FieldsMenu';
import { dayNames, type Needed, type ProgramFile, type Stop, stops, type Trigger, triggers, type When, type Window } from './programFile';
import { SpanField, type Unit } from './SpanField';

/** The small forms behind the words of a program's sentences. */

export function StageSelect({ value, set }: { value: string; set: (stage: string) => void }) {
  const stages = useSession().data?.stages ?? [];
  return (
    <Field label={phrase('Stage')}>
      {(id) => (
        <select id={id} required className="w-full" value={value} onChange={(e) => set(e.target.value)}>
          <option value="">{phrase('choose')}</option>
          {value && !stages.includes(value) && <option value={value}>{value}</option>}
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

/** A link by its name, picked from those the letters hold; one that none holds any more stays to be seen. */
export function LinkSelect({
  label,
  value,
  links,
  optional = false,
  set,
}: {
  label: string;
  value: string;
  links: readonly string[];
  optional?: boolean;
  set: (link: string) => void;
}) {
  return (
    <Field label={label} hint={links.length === 0 ? phrase('No letter holds a link yet.') : undefined}>
      {(id, by) => (
        <select id={id} aria-describedby={by} required={!optional} className="w-full" value={value} onChange={(e) => set(e.target.value)}>
          <option value="">{optional ? phrase('any') : phrase('choose')}</option>
          {[...new Set([...links, ...(value ? [value] : [])])].map((l) => (
            <option key={l} value={l}>
              {l}
              {links.includes(l) ? '' : phrase(' (no letter holds it)')}
            </option>
          ))}
        </select>
      )}
    </Field>
  );
}

/** Every link of the practice's letters. */
function AnyLink(props: { label: string; value: string; optional?: boolean; set: (link: string) => void }) {
  const links = useQuery({ queryKey: ['programs', 'links'], queryFn: () => take(api.GET('/api/programs/links')) });
  return <LinkSelect {...props} links={links.data ?? []} />;
}

export function TagInput({ value, set }: { value: string; set: (tag: string) => void }) {
  const tags = useSession().data?.tags ?? [];
  return (
    <Field label={phrase('Tag')}>
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
        {phrase('Use this')}
      </Button>
    </form>
  );
}

/**
 * A start or a stop: its kind, and what that kind needs to know. It edits a copy of what it was given, so that what is not asked
 * here (a grace, working days, a key of a later version) stays; another kind begins anew.
 */
function KindForm<T extends { kind: string }>({
  label,
  item,
  first,
  kinds,
  schema,
  done,
}: {
  label: string;
  item?: T;
  first: T;
  kinds: Record<string, { label: string; needs: Needed[] }>;
  schema: z.ZodType;
  done: (item: T) => void;
}) {
  const given = (item ?? first) as FieldValues;
  const form = useForm<FieldValues>({ defaultValues: given });
  const kind = form.watch('kind') as string;
  const [wrong, setWrong] = useState<string>();
  return (
    <Take
      done={() => {
        const made = withoutEmpty(form.getValues()) as T;
        const read = schema.safeParse(made);
        if (read.success) done(made);
        else setWrong(phrase('{path} is not complete yet.', { path: read.error.issues[0]?.path.join('.') || 'This' }));
      }}
    >
      <Field label={label} error={wrong}>
        {(id, by) => (
          <select
            id={id}
            aria-describedby={by}
            className="w-full"
            value={kind}
            onChange={(e) => form.reset(e.target.value === given.kind ? given : { kind: e.target.value, ...beginning[e.target.value] })}
          >
            {Object.entries(kinds).map(([k, t]) => (
              <option key={k} value={k}>
                {t.label}
              </option>
            ))}
          </select>
        )}
      </Field>
      {(kinds[kind]?.needs ?? []).map((need) => (
        <NeededField
          key={`${kind}.${need.key}`}
          need={need}
          value={form.watch(need.key)}
          set={(value) => form.setValue(need.key, value, { shouldDirty: true })}
        />
      ))}
    </Take>
  );
}

/** What a kind begins with where nothing else would be sensible. */
const beginning: Record<string, object> = {
  occasion: { date: 'birthday', offset: 'P0D' },
  appointment: { offset: '-P7D' },
  'stage-age': { after: 'P30D' },
  'inquiry-unanswered': { after: 'P3D' },
};

/** Fields that were emptied are no part of the file. */
function withoutEmpty(values: FieldValues) {
  return Object.fromEntries(Object.entries(values).filter(([, v]) => v !== undefined && v !== ''));
}

function NeededField({ need, value, set }: { need: Needed; value: unknown; set: (value: unknown) => void }) {
  const words = typeof value === 'string' ? value : '';
  const label = need.optional && need.as === undefined ? phrase('{need} (any, if empty)', { need: need.label }) : need.label;
  switch (need.as) {
    case 'stage':
      return <StageSelect value={words} set={set} />;
    case 'tag':
      return <TagInput value={words} set={set} />;
    case 'span':
      return <SpanField label={label} value={words || undefined} set={set} units={['hours', 'days', 'weeks', 'months', 'years']} />;
    case 'distance':
      return <SpanField label={label} value={words || undefined} set={set} sides units={['hours', 'days', 'weeks', 'months', 'years']} />;
    case 'dates':
      return <SpanField label={label} value={words || undefined} set={set} sides />;
    case 'channel':
      return (
        <Field label={label}>
          {(id) => (
            <select id={id} className="w-full" value={words} onChange={(e) => set(e.target.value || undefined)}>
              <option value="">{phrase('any way')}</option>
              <option value="email">{phrase('by email')}</option>
              <option value="text">{phrase('by text')}</option>
              <option value="call">{phrase('on the phone')}</option>
              <option value="post">{phrase('by post')}</option>
            </select>
          )}
        </Field>
      );
    case 'unless':
      return (
        <label className="mb-3 flex min-h-7 items-center gap-2 text-small">
          <input type="checkbox" checked={value !== false} onChange={(e) => set(e.target.checked)} /> {label}
        </label>
      );
    case 'numbers':
      return (
        <NumbersField
          label={label}
          value={Array.isArray(value) ? (value as number[]) : []}
          set={(n) => set(n.length > 0 ? n : undefined)}
        />
      );
    case 'number':
      return (
        <Field label={label}>
          {(id) => (
            <input
              id={id}
              type="number"
              min={0}
              max={365}
              className="w-20"
              value={typeof value === 'number' ? value : ''}
              onChange={(e) => set(e.target.value === '' ? undefined : Number(e.target.value))}
            />
          )}
        </Field>
      );
    case 'segment':
      return <SegmentSelect label={label} value={value} set={set} />;
    case 'key-date':
      return <KeyDateInput label={label} value={words} set={set} />;
    case 'link':
      return <AnyLink label={label} optional={need.optional} value={words} set={set} />;
    default:
      return (
        <Field label={label}>
          {(id) => (
            <input
              id={id}
              className="w-full"
              required={!need.optional}
              placeholder={need.placeholder}
              type={need.as === 'date' ? 'date' : 'text'}
              value={words}
              onChange={(e) => set(e.target.value)}
            />
          )}
        </Field>
      );
  }
}

/** A saved segment by its name; a rule that the file gives in its place stays as it is. */
function SegmentSelect({ label, value, set }: { label: string; value: unknown; set: (segment: unknown) => void }) {
  const segments = useQuery({
    queryKey: ['rule-values', 'segment'],
    queryFn: () => take(api.GET('/api/rules/values', { params: { query: { field: 'segment' } } })),
  }).data;
  const given = typeof value === 'object';
  return (
    <Field
      label={label}
      hint={
        given ? phrase('The file gives the rule itself. A segment picked here takes its place.') : phrase('kept under People, Segments')
      }
    >
      {(id, by) => (
        <select
          id={id}
          aria-describedby={by}
          required={!given}
          className="w-full"
          value={given ? '' : String(value ?? '')}
          onChange={(e) => e.target.value && set(e.target.value)}
        >
          <option value="">{given ? phrase('the rule of the file') : phrase('choose')}</option>
          {typeof value === 'string' && value && !segments?.some((s) => s.value === value) && <option value={value}>{value}</option>}
          {segments?.map((s) => (
            <option key={s.value} value={s.value}>
              {s.words}
            </option>
          ))}
        </select>
      )}
    </Field>
  );
}

/** A key date by its name: one the practice offers, or any other. */
function KeyDateInput({ label, value, set }: { label: string; value: string; set: (date: string) => void }) {
  const dates = useSession().data?.keyDates ?? [];
  return (
    <Field label={label}>
      {(id) => (
        <>
          <input id={id} required list={`${id}-list`} className="w-full" value={value} onChange={(e) => set(e.target.value)} />
          <datalist id={`${id}-list`}>
            {dates.map((d) => (
              <option key={d} value={d} />
            ))}
          </datalist>
        </>
      )}
    </Field>
  );
}

/** Whole numbers parted by commas. */
function NumbersField({ label, value, set }: { label: string; value: number[]; set: (value: number[]) => void }) {
  const [typed, setTyped] = useState(value.join(', '));
  return (
    <Field label={label} hint={phrase('empty: every year')}>
      {(id, by) => (
        <input
          id={id}
          aria-describedby={by}
          className="w-full"
          pattern="\s*(\d{1,3}\s*(,\s*\d{1,3}\s*)*)?"
          value={typed}
          onChange={(e) => {
            setTyped(e.target.value);
            set(
              e.target.value
                .split(',')
                .filter((n) => n.trim() !== '')
                .map(Number),
            );
          }}
        />
      )}
    </Field>
  );
}

export function TriggerForm({ item, done }: { item?: Trigger; done: (t: Trigger) => void }) {
  return (
    <KindForm<Trigger>
      label={phrase('It starts when someone')}
      item={item}
      first={{ kind: 'stage-entered', stage: '' }}
      kinds={triggers}
      schema={trigger}
      done={done}
    />
  );
}

export function StopForm({ item, done }: { item?: Stop; done: (s: Stop) => void }) {
  return (
    <KindForm<Stop> label={phrase('It stops when they')} item={item} first={{ kind: 'replied' }} kinds={stops} schema={stop} done={done} />
  );
}

export function WindowForm({ program, done }: { program: ProgramFile; done: (changes: Partial<ProgramFile>) => void }) {
  const [always, setAlways] = useState(!program.window);
  const [w, setW] = useState<Window>(
    program.window ?? { days: dayNames.slice(0, 5), from: '09:00', to: '17:30', holidays: 'skip', roll: 'forward' },
  );
  const [at, setAt] = useState(program.at ?? '');
  const [clock, setClock] = useState(program.clock);
  return (
    <Take done={() => done({ window: always ? undefined : w, at: at || undefined, clock })}>
      <label className="mb-2 flex min-h-7 items-center gap-2 text-small">
        <input type="checkbox" checked={always} onChange={(e) => setAlways(e.target.checked)} /> {phrase('any day, any hour')}
      </label>
      {!always && (
        <>
          <fieldset className="mb-3 border-0 p-0 text-small">
            <legend className="mb-0.5 text-soft">{phrase('Days')}</legend>
            {dayNames.map((d) => (
              <label key={d} className="mr-2 inline-flex min-h-7 items-center gap-1">
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
            <Field label={phrase('From')}>
              {(id) => <input id={id} type="time" required value={w.from} onChange={(e) => setW({ ...w, from: e.target.value })} />}
            </Field>
            <Field label={phrase('To')}>
              {(id) => <input id={id} type="time" required value={w.to} onChange={(e) => setW({ ...w, to: e.target.value })} />}
            </Field>
          </div>
          <label className="mb-2 flex min-h-7 items-center gap-2 text-small">
            <input
              type="checkbox"
              checked={w.holidays === 'skip'}
              onChange={(e) => setW({ ...w, holidays: e.target.checked ? 'skip' : 'ignore' })}
            />{' '}
            {phrase('leave out public holidays and closing days')}
          </label>
          <Field label={phrase('A day that is left out moves')}>
            {(id) => (
              <select id={id} className="w-full" value={w.roll} onChange={(e) => setW({ ...w, roll: e.target.value as Window['roll'] })}>
                <option value="forward">{phrase('to the next day that fits')}</option>
                <option value="back">{phrase('to the day before that fits')}</option>
                <option value="nearest">{phrase('to the nearer one')}</option>
                <option value="keep">{phrase('not at all')}</option>
              </select>
            )}
          </Field>
        </>
      )}
      <div className="flex gap-3">
        <Field label={phrase('Usual time')}>
          {(id) => <input id={id} type="time" value={at} onChange={(e) => setAt(e.target.value)} />}
        </Field>
        <Field label={phrase('On whose clock')}>
          {(id) => (
            <select id={id} value={clock} onChange={(e) => setClock(e.target.value as ProgramFile['clock'])}>
              <option value="person">{phrase('theirs')}</option>
              <option value="practice">{phrase('the practice’s')}</option>
            </select>
          )}
        </Field>
      </div>
    </Take>
  );
}

export function WhenForm({ when: given, occasion, done }: { when: When; occasion: boolean; done: (w: When) => void }) {
  const form = useForm<FieldValues>({ defaultValues: given });
  const from = form.watch('from') as When['from'];
  const counted = from === 'start' || from === 'previous' || from === 'occasion' || from === 'key-date';
  const [wrong, setWrong] = useState<string>();
  return (
    <Take
      done={() => {
        const made = withoutEmpty(form.getValues()) as When;
        if (when.safeParse(made).success) done(made);
        else setWrong(phrase('This is not complete yet: a date, or a number of days.'));
      }}
    >
      <Field label={phrase('Counted from')} error={wrong}>
        {(id, by) => (
          <select
            id={id}
            aria-describedby={by}
            className="w-full"
            value={from}
            onChange={(e) =>
              form.reset(e.target.value === given.from ? given : { from: e.target.value, ...placed(e.target.value), at: given.at })
            }
          >
            <option value="start">{phrase('the start')}</option>
            <option value="previous">{phrase('the step before')}</option>
            {(occasion || from === 'occasion') && <option value="occasion">{phrase('the occasion')}</option>}
            <option value="key-date">{phrase('a date of theirs')}</option>
            <option value="on">{phrase('a date')}</option>
            <option value="yearly">{phrase('a date of every year')}</option>
          </select>
        )}
      </Field>
      {from === 'key-date' && (
        <NeededField
          need={{ key: 'date', label: phrase('Which date'), as: 'key-date' }}
          value={form.watch('date')}
          set={(v) => form.setValue('date', v)}
        />
      )}
      {from === 'on' && (
        <NeededField
          need={{ key: 'date', label: phrase('Date'), as: 'date' }}
          value={form.watch('date')}
          set={(v) => form.setValue('date', v)}
        />
      )}
      {from === 'yearly' && (
        <DayOfYearField value={(form.watch('date') as string | undefined) ?? ''} set={(v) => form.setValue('date', v)} />
      )}
      {counted && (
        <SpanField
          key={from}
          label={phrase('How long')}
          value={form.watch('offset') as string | undefined}
          set={(v) => form.setValue('offset', v)}
          sides={from === 'occasion' || from === 'key-date'}
          units={['hours', 'days', 'weeks', 'months', 'years']}
        />
      )}
      <Field label={phrase('Time of its own')}>
        {(id) => (
          <input
            id={id}
            type="time"
            value={(form.watch('at') as string | undefined) ?? ''}
            onChange={(e) => form.setValue('at', e.target.value)}
          />
        )}
      </Field>
    </Take>
  );
}

/** What a place in time begins with. */
function placed(from: string): object {
  if (from === 'on') return { date: '' };
  if (from === 'yearly') return { date: '--01-01' };
  return from === 'key-date' ? { date: 'birthday', offset: 'P0D' } : { offset: 'P0D' };
}

/** A day of every year: `--06-14` is 14 June. */
function DayOfYearField({ value, set }: { value: string; set: (value: string) => void }) {
  const [, month = '01', day = '01'] = /(\d\d)-(\d\d)$/.exec(value) ?? [];
  const two = (n: string) => n.padStart(2, '0');
  return (
    <Field label={phrase('Day and month')}>
      {(id) => (
        <span className="flex gap-2">
          <input
            id={id}
            type="number"
            min={1}
            max={31}
            required
            className="w-16"
            value={Number(day)}
            onChange={(e) => set(`--${month}-${two(e.target.value)}`)}
          />
          <select aria-label={phrase('Month')} value={Number(month)} onChange={(e) => set(`--${two(e.target.value)}-${day}`)}>
            {monthNames.map((m, i) => (
              <option key={m} value={i + 1}>
                {m}
              </option>
            ))}
          </select>
        </span>
      )}
    </Field>
  );
}

/** One span, such as a late limit or the slack of a call. */
export function SpanForm({
  label,
  value,
  none,
  units,
  done,
}: {
  label: string;
  value: string | undefined;
  none?: string;
  units?: Unit[];
  done: (span: string | undefined) => void;
}) {
  const [span, setSpan] = useState(value);
  return (
    <Take done={() => done(span)}>
      <SpanField label={label} hint={none} optional={none !== undefined} units={units} value={span} set={setSpan} />
    </Take>
  );
}

/** Words with fields in them: a text, what to say on a call, a note, a task; `below` says something of them as they are written. */
export function TextForm({
  label,
  value,
  rows = 5,
  below,
  done,
}: {
  label: string;
  value: string;
  rows?: number;
  below?: (text: string) => React.ReactNode;
  done: (text: string) => void;
}) {
  const [text, setText] = useState(value);
  const area = useRef<HTMLTextAreaElement>(null);
  function insert(field: string) {
    const at = area.current;
    const [next, cursor] = putIn(text, field, at?.selectionStart ?? text.length, at?.selectionEnd ?? text.length);
    setText(next);
    // The cursor is set once the words stand there.
    requestAnimationFrame(() => {
      at?.focus();
      at?.setSelectionRange(cursor, cursor);
    });
  }
  return (
    <Take done={() => done(text)}>
      <div className="relative">
        <FieldsMenu className="absolute -top-2 right-0 min-h-6" insert={insert} />
        <Field label={label}>
          {(id) => (
            <textarea ref={area} id={id} rows={rows} className="w-full font-serif" value={text} onChange={(e) => setText(e.target.value)} />
          )}
        </Field>
      </div>
      {below?.(text)}
    </Take>
  );
}

export function AgainForm({ again: given, done }: { again: ProgramFile['again']; done: (again: ProgramFile['again']) => void }) {
  const [value, setValue] = useState(given);
  const kind = typeof value === 'string' ? value : value.kind;
  const gap = typeof value === 'string' ? undefined : value.gap;
  const kept = (k: string) =>
    k === (typeof given === 'string' ? given : given.kind) ? given : (k as 'never' | 'after-finished' | 'each-time');
  return (
    <Take done={() => done(value)}>
      <Field label={phrase('The same person again')}>
        {(id) => (
          <select id={id} className="w-full" value={kind} onChange={(e) => setValue(kept(e.target.value))}>
            <option value="never">{phrase('never')}</option>
            <option value="after-finished">{phrase('when they have been through it')}</option>
            <option value="each-time">{phrase('each time')}</option>
          </select>
        )}
      </Field>
      {kind === 'after-finished' && (
        <SpanField
          label={phrase('At least in between')}
          hint={phrase('empty: nothing needed')}
          optional
          value={gap}
          set={(span) =>
            setValue(span ? { ...(typeof value === 'string' ? {} : value), kind: 'after-finished', gap: span } : 'after-finished')
          }
        />
      )}
    </Take>
  );
}
