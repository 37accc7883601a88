import type { AgainInFile, StopInFile, TriggerInFile, WhenInFile, WindowInFile } from '../../api/program';
import { offsetDays, span } from '../../ui/span';
import { keyDate } from '../../ui/when';
import { listed, phrase, quoted } from '../../words/phrase';
import { type Names, type Rule, sayRule } from '../rules/ruleLanguage';

/** The program file (`germinal.program/1`) as the page edits it, and its parts in words. */

/** What starts a program; the kinds and their keys are those of the published schema. */
export type Trigger = Known<TriggerInFile>;

/** What stops it. */
export type Stop = Known<StopInFile>;

/** Keys that are not in the schema are kept, but the page's own code names only those that are. */
type Known<T> = T extends unknown ? { [K in keyof T as string extends K ? never : K]: T[K] } : never;

/** One thing a start or stop needs to know; optional ones may stay empty. */
export type Needed = {
  key: string;
  label: string;
  placeholder?: string;
  optional?: boolean;
  /** What is asked for, where it is not a few words. */
  as?:
    | 'key-date'
    | 'stage'
    | 'tag'
    | 'span'
    | 'distance'
    | 'dates'
    | 'channel'
    | 'unless'
    | 'numbers'
    | 'number'
    | 'date'
    | 'link'
    | 'segment';
};

/** Every kind of start, in the order they are offered in, and what each needs to know. */
export const triggers: Record<Trigger['kind'], { label: string; needs: Needed[] }> = {
  'stage-entered': { label: phrase('reaches a stage'), needs: [{ key: 'stage', label: phrase('Stage'), as: 'stage' }] },
  'tag-added': { label: phrase('gets a tag'), needs: [{ key: 'tag', label: phrase('Tag'), as: 'tag' }] },
  appointment: {
    label: phrase('has an appointment'),
    needs: [
      { key: 'type', label: phrase('Of which kind'), optional: true },
      { key: 'offset', label: phrase('How long from it'), as: 'distance' },
    ],
  },
  occasion: {
    label: phrase('has a birthday or another date'),
    needs: [
      { key: 'date', label: phrase('Date'), as: 'key-date' },
      { key: 'offset', label: phrase('How long from the date'), as: 'dates' },
      { key: 'years', label: phrase('At which ages or anniversaries'), as: 'numbers', optional: true },
      { key: 'grace', label: phrase('How many days late it still begins'), as: 'number', optional: true },
    ],
  },
  'by-hand': { label: phrase('is started by a member'), needs: [] },
  'segment-joined': { label: phrase('begins to be in a segment'), needs: [{ key: 'segment', label: phrase('Segment'), as: 'segment' }] },
  'list-joined': { label: phrase('joins a list'), needs: [{ key: 'list', label: phrase('List') }] },
  'stage-age': {
    label: phrase('has stood in a stage for a while'),
    needs: [
      { key: 'stage', label: phrase('Stage'), as: 'stage' },
      { key: 'after', label: phrase('For how long'), as: 'span' },
    ],
  },
  'inquiry-received': { label: phrase('asks for something'), needs: [{ key: 'form', label: phrase('By which form'), optional: true }] },
  'inquiry-unanswered': {
    label: phrase('has asked and had no answer'),
    needs: [
      { key: 'after', label: phrase('For how long'), as: 'span' },
      { key: 'workingDays', label: phrase('working days and hours only'), as: 'unless' },
    ],
  },
  'opportunity-won': { label: phrase('is won'), needs: [] },
  'opportunity-lost': { label: phrase('is lost'), needs: [{ key: 'reason', label: phrase('For which reason'), optional: true }] },
  'link-followed': { label: phrase('follows a link'), needs: [{ key: 'link', label: phrase('Which'), as: 'link' }] },
  'text-keyword': { label: phrase('texts a word'), needs: [{ key: 'word', label: phrase('Word') }] },
  'program-finished': { label: phrase('has been through a program'), needs: [{ key: 'program', label: phrase('Program') }] },
  'person-added': {
    label: phrase('is new in the database'),
    needs: [{ key: 'source', label: phrase('From which source'), optional: true }],
  },
};

/** Every kind of stop, in the order they are offered in, and what each needs to know. */
export const stops: Record<Stop['kind'], { label: string; needs: Needed[] }> = {
  replied: { label: phrase('answer'), needs: [{ key: 'channel', label: phrase('How'), as: 'channel', optional: true }] },
  'stage-entered': { label: phrase('reach a stage'), needs: [{ key: 'stage', label: phrase('Stage'), as: 'stage' }] },
  'tag-added': { label: phrase('get a tag'), needs: [{ key: 'tag', label: phrase('Tag'), as: 'tag' }] },
  inquired: { label: phrase('ask for something'), needs: [] },
  'stage-left': { label: phrase('leave a stage'), needs: [{ key: 'stage', label: phrase('Stage'), as: 'stage' }] },
  'opportunity-won': { label: phrase('are won'), needs: [] },
  'opportunity-lost': { label: phrase('are lost'), needs: [] },
  'list-left': { label: phrase('leave a list'), needs: [{ key: 'list', label: phrase('List') }] },
  'link-followed': { label: phrase('follow a link'), needs: [{ key: 'link', label: phrase('Which'), as: 'link', optional: true }] },
  'call-ended': {
    label: phrase('are called, and it ends a certain way'),
    needs: [{ key: 'outcome', label: phrase('How it ends'), placeholder: phrase('not interested') }],
  },
  'form-sent': { label: phrase('send a form'), needs: [{ key: 'form', label: phrase('Which') }] },
  'appointment-booked': { label: phrase('make an appointment'), needs: [{ key: 'type', label: phrase('Of which kind'), optional: true }] },
  on: { label: phrase('come to a date'), needs: [{ key: 'date', label: phrase('Date'), as: 'date' }] },
};

/** A place in time; an offset that is not said is none. */
export type When = Known<WhenInFile>;

type StepBase = { id: string; when: When; lateLimit?: string; purpose?: string; topic?: string; onlyIf?: Rule };

/** What reaches people over a channel may go once to each household. */
type Reaching = { onePerHousehold?: boolean };

/** Who reads a message, where that is not the person: their owner, or everybody in a relation to them. */
export type To = 'person' | 'owner' | { relation: string };
type Message = Reaching & { to?: To };
export type Step = StepBase &
  (
    | ({ kind: 'email'; subject?: string; body?: string; letter?: string; attachments?: string[] } & Message)
    | ({ kind: 'call'; script: string; slack: string; holds: boolean; missedAfter?: string } & Reaching)
    | { kind: 'hand-over'; program: string }
    | ({ kind: 'text'; body: string } & Message)
    | { kind: 'tell-me'; body: string }
    | ({ kind: 'note'; body: string; holds?: boolean; missedAfter?: string } & Message)
    | { kind: 'task'; title: string; holds?: boolean; missedAfter?: string }
    | ({ kind: 'post'; body: string; holds?: boolean; missedAfter?: string } & PostPlace)
    | { kind: 'change'; set: Change | Change[] }
    | { kind: 'fork'; if: Question; within?: string; then: Step[]; else?: Step[] }
    | { kind: 'split'; passages: { share: number; steps: Step[] }[] }
    | { kind: 'end' }
  );

/** Where a post is to stand, with which picture, and who puts it there. */
type PostPlace = { picture?: string; pictureWords?: string; place?: string; byItself?: boolean };

export type ReachingStep = Extract<Step, { kind: 'email' | 'text' | 'call' | 'note' }>;

/** True where a step reaches people over a channel. */
export const reaches = (step: Step): step is ReachingStep => ['email', 'text', 'call', 'note'].includes(step.kind);

export type MessageStep = Extract<Step, { kind: 'email' | 'text' | 'note' }>;

/** True where a step's words may go to somebody else than the person it is about. */
export const isMessage = (step: Step): step is MessageStep => ['email', 'text', 'note'].includes(step.kind);

/** True where somebody else reads a step. */
export const readByOthers = (step: Step) => isMessage(step) && step.to !== undefined && step.to !== 'person';

/** Who reads it, as a sentence. */
export function sayTo(to: To | undefined) {
  if (to === undefined || to === 'person') return phrase('It goes to them.');
  return to === 'owner'
    ? phrase('It goes to whoever looks after them.')
    : phrase('It goes to their {relation}.', { relation: to.relation });
}

export type Change = Record<string, string>;

/** What a fork asks: a question about a step, by its kind, or a rule. */
export type Question = Record<string, unknown>;

export type Window = Required<Known<WindowInFile>>;

export type ProgramFile = {
  format: 'germinal.program/1';
  name: string;
  description?: string;
  group?: string;
  purpose: 'commercial' | 'transactional';
  topic?: string;
  policy?: string;
  voice?: 'I' | 'we';
  priority: number;
  clock: 'person' | 'practice';
  at?: string;
  window?: Window;
  startsWhen: Trigger[];
  onlyIf?: Rule;
  again: Extract<AgainInFile, string> | { kind: 'never' | 'after-finished' | 'each-time'; gap?: string };
  stopsWhen: Stop[];
  keepTasks: boolean;
  /** Whether messages nobody has read by their time go, or wait for a yes; goes where it is not said. */
  unread?: 'goes' | 'waits';
  steps: Step[];
};

export const dayNames: Window['days'] = ['mon', 'tue', 'wed', 'thu', 'fri', 'sat', 'sun'];

export const stageName = (stage: string) => stage.split('/')[1] ?? stage;

const clock = (time: string) => time.replace(/^0/, '').replace(/:00$/, '');

/** A start as it stands after “starts when”. */
export const sayStart = (t: Trigger) => (t.kind === 'by-hand' ? sayTrigger(t) : phrase('someone {t}', { t: sayTrigger(t) }));

export function sayTrigger(t: Trigger) {
  switch (t.kind) {
    case 'by-hand':
      return phrase('a member starts it');
    case 'tag-added':
      return phrase('is tagged “{tag}”', { tag: t.tag });
    case 'stage-entered':
      return phrase('reaches {stage}', { stage: stageName(t.stage) });
    case 'occasion': {
      const offset = t.offset ?? 'P0D';
      const days = offsetDays(offset) ?? 0;
      const what = t.date === 'birthday' ? phrase('has a birthday') : phrase('comes to “{date}”', { date: t.date });
      const years = t.years && t.years.length > 0 ? phrase(', at {years}', { years: listed(t.years.map(String), 'disjunction') }) : '';
      if (days === 0 && !/[HMY]/.test(offset)) return what + years;
      return `${what}${years}, ${offset === '-P1D' ? phrase('the day before') : `${span(offset)} ${offset.startsWith('-') ? phrase('before') : phrase('after')}`}`;
    }
    case 'list-joined':
      return phrase('joins the list “{list}”', { list: t.list });
    case 'stage-age':
      return phrase('has stood in {stage} for {after}', { stage: stageName(t.stage), after: span(t.after) });
    case 'inquiry-received':
      return t.form ? phrase('sends the form “{form}”', { form: t.form }) : phrase('asks for something');
    case 'inquiry-unanswered':
      return phrase('has asked and had no answer for {after}{workingDays, select, true {} other { of work}}', {
        after: span(t.after),
        workingDays: String(t.workingDays === false),
      });
    case 'opportunity-won':
      return phrase('is won');
    case 'opportunity-lost':
      return t.reason ? phrase('is lost for “{reason}”', { reason: t.reason }) : phrase('is lost');
    case 'appointment':
      return phrase('has {type} {span} {startsWith, select, true {ahead} other {ago}}', {
        type: t.type ? quoted(t.type) : phrase('an appointment'),
        span: span(t.offset ?? 'P0D'),
        startsWith: String(Boolean(t.offset?.startsWith('-'))),
      });
    case 'link-followed':
      return phrase('follows “{link}”', { link: t.link });
    case 'text-keyword':
      return phrase('texts “{word}”', { word: t.word });
    case 'program-finished':
      return phrase('has been through “{program}”', { program: t.program });
    case 'segment-joined':
      return typeof t.segment === 'string'
        ? phrase('begins to be in the segment “{segment}”', { segment: t.segment })
        : phrase('begins to be one of those who {sayRule}', { sayRule: sayRule(t.segment as Rule) });
    case 'person-added':
      return t.source ? phrase('is new, from “{source}”', { source: t.source }) : phrase('is new in the database');
  }
}

export function sayStop(s: Stop) {
  if (s.kind === 'replied') return s.channel ? phrase('answer by {channel}', { channel: s.channel }) : phrase('answer');
  if (s.kind === 'stage-entered') return phrase('reach {stage}', { stage: stageName(s.stage) });
  if (s.kind === 'tag-added') return phrase('are tagged “{tag}”', { tag: s.tag });
  if (s.kind === 'stage-left') return phrase('leave {stage}', { stage: stageName(s.stage) });
  if (s.kind === 'list-left') return phrase('leave the list “{list}”', { list: s.list });
  if (s.kind === 'link-followed') return s.link ? phrase('follow “{link}”', { link: s.link }) : phrase('follow a link');
  if (s.kind === 'call-ended') return phrase('are called and it ends with “{outcome}”', { outcome: s.outcome });
  if (s.kind === 'form-sent') return phrase('send the form “{form}”', { form: s.form });
  if (s.kind === 'appointment-booked')
    return s.type ? phrase('make an appointment for “{type}”', { type: s.type }) : phrase('make an appointment');
  if (s.kind === 'on') return phrase('come to {date}', { date: s.date });
  return stops[s.kind]?.label ?? s.kind;
}

/** What a change does, in words. */
export function sayChange(set: Change | Change[]) {
  return (Array.isArray(set) ? set : [set])
    .map((c) => {
      if (c.tag) return phrase('put the tag “{tag}” on', { tag: c.tag });
      if (c.tagOff) return phrase('take the tag “{tagOff}” off', { tagOff: c.tagOff });
      if (c.list) return phrase('put them on the list “{list}”', { list: c.list });
      if (c.listOff) return phrase('take them off the list “{listOff}”', { listOff: c.listOff });
      if (c.stage) return phrase('move them to {stage}', { stage: stageName(c.stage) });
      return phrase('set “{field}” to “{value}”', { field: c.field?.replace('custom:', ''), value: c.value });
    })
    .join(', ');
}

/** What a fork asks, in words; the names of the steps come from the program. */
export function sayQuestion(question: Question, stepOf: (id: string) => string, names?: Names) {
  const step = typeof question.step === 'string' ? ` ${quoted(stepOf(question.step))}` : '';
  switch (question.kind) {
    case 'opened':
      return phrase('they opened{step}', { step });
    case 'link-followed':
      return phrase('they followed {link} in{step}', { link: question.link ? quoted(String(question.link)) : phrase('a link'), step });
    case 'replied':
      return phrase('they answered{step}', { step });
    case 'bounced':
      return phrase('{step} came back', { step: step.trim() || phrase('it') });
    case 'call-ended':
      return phrase('the call{step} ended with “{outcome}”', { step, outcome: String(question.outcome) });
    case 'form-sent':
      return phrase('they sent the form “{form}”', { form: String(question.form) });
    default:
      return phrase('they {names}', { names: sayRule(question as Rule, names) });
  }
}

/** What a step is called where another names it. */
export function stepName(step: Step) {
  if (step.kind === 'email') return step.letter ?? step.subject ?? '';
  if (step.kind === 'call') return step.script;
  if (step.kind === 'task') return step.title;
  return 'body' in step ? step.body : step.id;
}

export function sayWindow(p: ProgramFile) {
  const w = p.window;
  const whose = p.clock === 'practice' ? phrase('the practice’s time') : phrase('their time');
  if (!w) return phrase('any day, at {clock}, {whose}', { clock: clock(p.at ?? '09:00'), whose });
  const week =
    w.days.length === 7
      ? phrase('every day')
      : w.days.join() === 'mon,tue,wed,thu,fri'
        ? w.holidays === 'skip'
          ? phrase('working days')
          : phrase('Monday to Friday')
        : w.days.map((d) => d[0]?.toUpperCase() + d.slice(1)).join(', ');
  return phrase('{week}, {from} to {to}, {whose}', { week, from: clock(w.from), to: clock(w.to), whose });
}

/** Whether the same person may start again; what an occasion starts comes round with each date, whatever is said here (rule 5.3). */
export function sayAgain({ again, startsWhen }: ProgramFile) {
  if (startsWhen.length > 0 && startsWhen.every((t) => t.kind === 'occasion' || t.kind === 'appointment'))
    return phrase('starts with each date');
  const kind = typeof again === 'string' ? again : again.kind;
  if (typeof again !== 'string' && again.gap) return phrase('starts again {gap} after the last time', { gap: span(again.gap) });
  return {
    never: phrase('goes through it once'),
    'after-finished': phrase('may start again when through'),
    'each-time': phrase('starts each time'),
  }[kind];
}

export function sayWhen(w: When, first: boolean) {
  const at = w.at ? phrase(' at {at}', { at: clock(w.at) }) : '';
  if (w.from === 'on') return phrase('on {date}{at}', { date: keyDate(w.date), at });
  if (w.from === 'yearly') return phrase('each year on {date}{at}', { date: keyDate(w.date), at });
  const offset = w.offset ?? 'P0D';
  const days = offsetDays(offset);
  const side = offset.startsWith('-') ? phrase('before') : phrase('after');
  const zero = days === 0;
  if (w.from === 'start' || (w.from === 'previous' && first))
    return zero
      ? w.at
        ? phrase('the same day{at}', { at })
        : phrase('at once')
      : phrase('{offset} after the start{at}', { offset: span(offset), at });
  if (w.from === 'previous')
    return zero ? phrase('right after that{at}', { at }) : phrase('{offset} later{at}', { offset: span(offset), at });
  if (w.from === 'occasion')
    return zero
      ? phrase('on the day itself{at}', { at })
      : `${offset === '-P1D' ? phrase('the day before') : phrase('{offset} {side} the day', { offset: span(offset), side })}${at}`;
  return zero
    ? phrase('on their {date}{at}', { date: w.date, at })
    : phrase('{offset} their {date}{at}', {
        offset: offset === '-P1D' ? phrase('the day before') : `${span(offset)} ${side}`,
        date: w.date,
        at,
      });
}

/** A step id that no step has, made of a word. */
export function newId(steps: Step[], word: string) {
  for (let n = steps.length + 1; ; n++) {
    const id = `${word}-${n}`;
    if (steps.every((s) => s.id !== id)) return id;
  }
}
