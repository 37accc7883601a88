import type { AgainInFile, StopInFile, TriggerInFile, WhenInFile, WindowInFile } from '../../api/program';
import { offsetDays, span } from '../../ui/span';
import { keyDate } from '../../ui/when';
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
  'stage-entered': { label: 'reaches a stage', needs: [{ key: 'stage', label: 'Stage', as: 'stage' }] },
  'tag-added': { label: 'gets a tag', needs: [{ key: 'tag', label: 'Tag', as: 'tag' }] },
  appointment: {
    label: 'has an appointment',
    needs: [
      { key: 'type', label: 'Of which kind', optional: true },
      { key: 'offset', label: 'How long from it', as: 'distance' },
    ],
  },
  occasion: {
    label: 'has a birthday or another date',
    needs: [
      { key: 'date', label: 'Date', as: 'key-date' },
      { key: 'offset', label: 'How long from the date', as: 'dates' },
      { key: 'years', label: 'At which ages or anniversaries', as: 'numbers', optional: true },
      { key: 'grace', label: 'How many days late it still begins', as: 'number', optional: true },
    ],
  },
  'by-hand': { label: 'is started by a member', needs: [] },
  'segment-joined': { label: 'begins to be in a segment', needs: [{ key: 'segment', label: 'Segment', as: 'segment' }] },
  'list-joined': { label: 'joins a list', needs: [{ key: 'list', label: 'List' }] },
  'stage-age': {
    label: 'has stood in a stage for a while',
    needs: [
      { key: 'stage', label: 'Stage', as: 'stage' },
      { key: 'after', label: 'For how long', as: 'span' },
    ],
  },
  'inquiry-received': { label: 'asks for something', needs: [{ key: 'form', label: 'By which form', optional: true }] },
  'inquiry-unanswered': {
    label: 'has asked and had no answer',
    needs: [
      { key: 'after', label: 'For how long', as: 'span' },
      { key: 'workingDays', label: 'working days and hours only', as: 'unless' },
    ],
  },
  'opportunity-won': { label: 'is won', needs: [] },
  'opportunity-lost': { label: 'is lost', needs: [{ key: 'reason', label: 'For which reason', optional: true }] },
  'link-followed': { label: 'follows a link', needs: [{ key: 'link', label: 'Which', as: 'link' }] },
  'text-keyword': { label: 'texts a word', needs: [{ key: 'word', label: 'Word' }] },
  'program-finished': { label: 'has been through a program', needs: [{ key: 'program', label: 'Program' }] },
  'person-added': { label: 'is new in the database', needs: [{ key: 'source', label: 'From which source', optional: true }] },
};

/** Every kind of stop, in the order they are offered in, and what each needs to know. */
export const stops: Record<Stop['kind'], { label: string; needs: Needed[] }> = {
  replied: { label: 'answer', needs: [{ key: 'channel', label: 'How', as: 'channel', optional: true }] },
  'stage-entered': { label: 'reach a stage', needs: [{ key: 'stage', label: 'Stage', as: 'stage' }] },
  'tag-added': { label: 'get a tag', needs: [{ key: 'tag', label: 'Tag', as: 'tag' }] },
  inquired: { label: 'ask for something', needs: [] },
  'stage-left': { label: 'leave a stage', needs: [{ key: 'stage', label: 'Stage', as: 'stage' }] },
  'opportunity-won': { label: 'are won', needs: [] },
  'opportunity-lost': { label: 'are lost', needs: [] },
  'list-left': { label: 'leave a list', needs: [{ key: 'list', label: 'List' }] },
  'link-followed': { label: 'follow a link', needs: [{ key: 'link', label: 'Which', as: 'link', optional: true }] },
  'call-ended': {
    label: 'are called, and it ends a certain way',
    needs: [{ key: 'outcome', label: 'How it ends', placeholder: 'not interested' }],
  },
  'form-sent': { label: 'send a form', needs: [{ key: 'form', label: 'Which' }] },
  'appointment-booked': { label: 'make an appointment', needs: [{ key: 'type', label: 'Of which kind', optional: true }] },
  on: { label: 'come to a date', needs: [{ key: 'date', label: 'Date', as: 'date' }] },
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
  if (to === undefined || to === 'person') return 'It goes to them.';
  return to === 'owner' ? 'It goes to whoever looks after them.' : `It goes to their ${to.relation}.`;
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
export const sayStart = (t: Trigger) => (t.kind === 'by-hand' ? sayTrigger(t) : `someone ${sayTrigger(t)}`);

export function sayTrigger(t: Trigger) {
  switch (t.kind) {
    case 'by-hand':
      return 'a member starts it';
    case 'tag-added':
      return `is tagged “${t.tag}”`;
    case 'stage-entered':
      return `reaches ${stageName(t.stage)}`;
    case 'occasion': {
      const offset = t.offset ?? 'P0D';
      const days = offsetDays(offset) ?? 0;
      const what = t.date === 'birthday' ? 'has a birthday' : `comes to “${t.date}”`;
      const years = t.years && t.years.length > 0 ? `, at ${t.years.join(' or ')}` : '';
      if (days === 0 && !/[HMY]/.test(offset)) return what + years;
      return `${what}${years}, ${offset === '-P1D' ? 'the day before' : `${span(offset)} ${offset.startsWith('-') ? 'before' : 'after'}`}`;
    }
    case 'list-joined':
      return `joins the list “${t.list}”`;
    case 'stage-age':
      return `has stood in ${stageName(t.stage)} for ${span(t.after)}`;
    case 'inquiry-received':
      return t.form ? `sends the form “${t.form}”` : 'asks for something';
    case 'inquiry-unanswered':
      return `has asked and had no answer for ${span(t.after)}${t.workingDays === false ? '' : ' of work'}`;
    case 'opportunity-won':
      return 'is won';
    case 'opportunity-lost':
      return t.reason ? `is lost for “${t.reason}”` : 'is lost';
    case 'appointment':
      return `has ${t.type ? `“${t.type}”` : 'an appointment'} ${span(t.offset ?? 'P0D')} ${t.offset?.startsWith('-') ? 'ahead' : 'ago'}`;
    case 'link-followed':
      return `follows “${t.link}”`;
    case 'text-keyword':
      return `texts “${t.word}”`;
    case 'program-finished':
      return `has been through “${t.program}”`;
    case 'segment-joined':
      return typeof t.segment === 'string'
        ? `begins to be in the segment “${t.segment}”`
        : `begins to be one of those who ${sayRule(t.segment as Rule)}`;
    case 'person-added':
      return t.source ? `is new, from “${t.source}”` : 'is new in the database';
  }
}

export function sayStop(s: Stop) {
  if (s.kind === 'replied') return s.channel ? `answer by ${s.channel}` : 'answer';
  if (s.kind === 'stage-entered') return `reach ${stageName(s.stage)}`;
  if (s.kind === 'tag-added') return `are tagged “${s.tag}”`;
  if (s.kind === 'stage-left') return `leave ${stageName(s.stage)}`;
  if (s.kind === 'list-left') return `leave the list “${s.list}”`;
  if (s.kind === 'link-followed') return s.link ? `follow “${s.link}”` : 'follow a link';
  if (s.kind === 'call-ended') return `are called and it ends with “${s.outcome}”`;
  if (s.kind === 'form-sent') return `send the form “${s.form}”`;
  if (s.kind === 'appointment-booked') return s.type ? `make an appointment for “${s.type}”` : 'make an appointment';
  if (s.kind === 'on') return `come to ${s.date}`;
  return stops[s.kind]?.label ?? s.kind;
}

/** What a change does, in words. */
export function sayChange(set: Change | Change[]) {
  return (Array.isArray(set) ? set : [set])
    .map((c) => {
      if (c.tag) return `put the tag “${c.tag}” on`;
      if (c.tagOff) return `take the tag “${c.tagOff}” off`;
      if (c.list) return `put them on the list “${c.list}”`;
      if (c.listOff) return `take them off the list “${c.listOff}”`;
      if (c.stage) return `move them to ${stageName(c.stage)}`;
      return `set “${c.field?.replace('custom:', '')}” to “${c.value}”`;
    })
    .join(', ');
}

/** What a fork asks, in words; the names of the steps come from the program. */
export function sayQuestion(question: Question, stepOf: (id: string) => string, names?: Names) {
  const step = typeof question.step === 'string' ? ` “${stepOf(question.step)}”` : '';
  switch (question.kind) {
    case 'opened':
      return `they opened${step}`;
    case 'link-followed':
      return `they followed ${question.link ? `“${question.link}”` : 'a link'} in${step}`;
    case 'replied':
      return `they answered${step}`;
    case 'bounced':
      return `${step.trim() || 'it'} came back`;
    case 'call-ended':
      return `the call${step} ended with “${question.outcome}”`;
    case 'form-sent':
      return `they sent the form “${question.form}”`;
    default:
      return `they ${sayRule(question as Rule, names)}`;
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
  const whose = p.clock === 'practice' ? 'the practice’s time' : 'their time';
  if (!w) return `any day, at ${clock(p.at ?? '09:00')}, ${whose}`;
  const week =
    w.days.length === 7
      ? 'every day'
      : w.days.join() === 'mon,tue,wed,thu,fri'
        ? w.holidays === 'skip'
          ? 'working days'
          : 'Monday to Friday'
        : w.days.map((d) => d[0]?.toUpperCase() + d.slice(1)).join(', ');
  return `${week}, ${clock(w.from)} to ${clock(w.to)}, ${whose}`;
}

/** Whether the same person may start again; what an occasion starts comes round with each date, whatever is said here (rule 5.3). */
export function sayAgain({ again, startsWhen }: ProgramFile) {
  if (startsWhen.length > 0 && startsWhen.every((t) => t.kind === 'occasion' || t.kind === 'appointment')) return 'starts with each date';
  const kind = typeof again === 'string' ? again : again.kind;
  if (typeof again !== 'string' && again.gap) return `starts again ${span(again.gap)} after the last time`;
  return { never: 'goes through it once', 'after-finished': 'may start again when through', 'each-time': 'starts each time' }[kind];
}

export function sayWhen(w: When, first: boolean) {
  const at = w.at ? ` at ${clock(w.at)}` : '';
  if (w.from === 'on') return `on ${keyDate(w.date)}${at}`;
  if (w.from === 'yearly') return `each year on ${keyDate(w.date)}${at}`;
  const offset = w.offset ?? 'P0D';
  const days = offsetDays(offset);
  const side = offset.startsWith('-') ? 'before' : 'after';
  const zero = days === 0;
  if (w.from === 'start' || (w.from === 'previous' && first))
    return zero ? (w.at ? `the same day${at}` : 'at once') : `${span(offset)} after the start${at}`;
  if (w.from === 'previous') return zero ? `right after that${at}` : `${span(offset)} later${at}`;
  if (w.from === 'occasion')
    return zero ? `on the day itself${at}` : `${offset === '-P1D' ? 'the day before' : `${span(offset)} ${side} the day`}${at}`;
  return zero ? `on their ${w.date}${at}` : `${offset === '-P1D' ? 'the day before' : `${span(offset)} ${side}`} their ${w.date}${at}`;
}

/** A step id that no step has, made of a word. */
export function newId(steps: Step[], word: string) {
  for (let n = steps.length + 1; ; n++) {
    const id = `${word}-${n}`;
    if (steps.every((s) => s.id !== id)) return id;
  }
}
