/** The program file (`germinal.program/1`) as the page edits it, and its parts in words. */

export type Trigger =
  | { kind: 'by-hand' }
  | { kind: 'tag-added'; tag: string }
  | { kind: 'stage-entered'; stage: string }
  | { kind: 'occasion'; date: string; offset: string; grace?: number; years?: number[] };

export type Stop = { kind: 'replied'; channel?: string } | { kind: 'stage-entered'; stage: string } | { kind: 'tag-added'; tag: string };

export type When =
  | { from: 'start'; offset: string; at?: string }
  | { from: 'previous'; offset: string; at?: string }
  | { from: 'occasion'; offset: string; at?: string }
  | { from: 'on'; date: string; at?: string }
  | { from: 'yearly'; date: string; at?: string }
  | { from: 'key-date'; date: string; offset: string; at?: string };

type StepBase = { id: string; when: When; lateLimit?: string; purpose?: string; topic?: string; onlyIf?: Rule };
export type Step = StepBase &
  (
    | { kind: 'email'; subject: string; body: string }
    | { kind: 'call'; script: string; slack: string; holds: boolean }
    | { kind: 'hand-over'; program: string }
  );

export type Rule = { all: Rule[] } | { any: Rule[] } | { not: Rule } | { field: string; op: string; value?: string };

export type Window = { days: string[]; from: string; to: string; holidays: 'skip' | 'ignore'; roll: string };

export type ProgramFile = {
  format: 'germinal.program/1';
  name: string;
  description?: string;
  group?: string;
  purpose: 'commercial' | 'transactional';
  topic?: string;
  priority: number;
  clock: 'person' | 'practice';
  at?: string;
  window?: Window;
  startsWhen: Trigger[];
  onlyIf?: Rule;
  again: 'never' | 'after-finished' | 'each-time' | { kind: 'after-finished'; gap: string };
  stopsWhen: Stop[];
  keepTasks: boolean;
  steps: Step[];
};

export const dayNames = ['mon', 'tue', 'wed', 'thu', 'fri', 'sat', 'sun'];

/** Whole days of an offset of days or weeks; null for one that the page only shows. */
export function offsetDays(offset: string): number | null {
  const m = /^(-?)P(?:(\d+)W)?(?:(\d+)D)?$/.exec(offset);
  return m ? (m[1] === '-' ? -1 : 1) * (Number(m[2] ?? 0) * 7 + Number(m[3] ?? 0)) : null;
}

/** Days as an offset: `P7D`, `-P1D`. */
export function daysOffset(days: number) {
  return days < 0 ? `-P${-days}D` : `P${days}D`;
}

/** “7 days”, “a month”, as written for offsets the page does not count. */
export function span(offset: string) {
  const days = offsetDays(offset);
  if (days !== null) return Math.abs(days) === 1 ? 'a day' : `${Math.abs(days)} days`;
  const m = /^-?P(?:(\d+)Y)?(?:(\d+)M)?(?:(\d+)D)?(?:T(?:(\d+)H)?(?:(\d+)M)?)?$/.exec(offset);
  if (!m) return offset;
  const part = (n: string | undefined, one: string, many: string) => (n && Number(n) > 0 ? (n === '1' ? one : `${n} ${many}`) : '');
  return [
    part(m[1], 'a year', 'years'),
    part(m[2], 'a month', 'months'),
    part(m[3], 'a day', 'days'),
    part(m[4], 'an hour', 'hours'),
    part(m[5], 'a minute', 'minutes'),
  ]
    .filter(Boolean)
    .join(' and ');
}

export const stageName = (stage: string) => stage.split('/')[1] ?? stage;

const clock = (time: string) => time.replace(/^0/, '').replace(/:00$/, '');

export function sayTrigger(t: Trigger) {
  switch (t.kind) {
    case 'by-hand':
      return 'a member starts it';
    case 'tag-added':
      return `is tagged “${t.tag}”`;
    case 'stage-entered':
      return `reaches ${stageName(t.stage)}`;
    case 'occasion': {
      const days = offsetDays(t.offset) ?? 0;
      const what = t.date === 'birthday' ? 'has a birthday' : `comes to “${t.date}”`;
      return days === 0 ? what : `${what}, ${span(t.offset)} ${days < 0 ? 'before' : 'after'}`;
    }
  }
}

export function sayStop(s: Stop) {
  if (s.kind === 'replied') return s.channel ? `answer by ${s.channel}` : 'answer';
  if (s.kind === 'stage-entered') return `reach ${stageName(s.stage)}`;
  return `are tagged “${s.tag}”`;
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

export function sayWhen(w: When, first: boolean) {
  const at = w.at ? ` at ${clock(w.at)}` : '';
  if (w.from === 'on') return `on ${w.date}${at}`;
  if (w.from === 'yearly') return `each year on ${w.date.slice(2)}${at}`;
  const days = offsetDays(w.offset);
  const side = w.offset.startsWith('-') ? 'before' : 'after';
  const zero = days === 0;
  if (w.from === 'start' || (w.from === 'previous' && first))
    return zero ? (w.at ? `the same day${at}` : 'at once') : `${span(w.offset)} after the start${at}`;
  if (w.from === 'previous') return zero ? `right after that${at}` : `${span(w.offset)} later${at}`;
  if (w.from === 'occasion') return zero ? `on the day itself${at}` : `${span(w.offset)} ${side} the day${at}`;
  return zero ? `on their ${w.date}${at}` : `${span(w.offset)} ${side} their ${w.date}${at}`;
}

/** A rule the page can take apart: conditions that must all hold. Null for a richer one, which is shown as it is. */
export type Condition = { what: 'has-email' | 'tag' | 'not-tag' | 'stage'; value: string };

export function conditionsOf(rule: Rule | undefined): Condition[] | null {
  if (!rule) return [];
  if (!('all' in rule)) return null;
  const list: Condition[] = [];
  for (const part of rule.all) {
    if ('field' in part && part.field === 'email' && part.op === 'exists') list.push({ what: 'has-email', value: '' });
    else if ('field' in part && part.field === 'tags' && part.op === 'has') list.push({ what: 'tag', value: part.value ?? '' });
    else if ('field' in part && part.field === 'stage' && part.op === 'is') list.push({ what: 'stage', value: part.value ?? '' });
    else if ('not' in part && 'field' in part.not && part.not.field === 'tags' && part.not.op === 'has')
      list.push({ what: 'not-tag', value: part.not.value ?? '' });
    else return null;
  }
  return list;
}

export function ruleOf(conditions: Condition[]): Rule | undefined {
  if (conditions.length === 0) return undefined;
  return {
    all: conditions.map((c): Rule => {
      if (c.what === 'has-email') return { field: 'email', op: 'exists' };
      if (c.what === 'stage') return { field: 'stage', op: 'is', value: c.value };
      const has: Rule = { field: 'tags', op: 'has', value: c.value };
      return c.what === 'tag' ? has : { not: has };
    }),
  };
}

export function sayCondition(c: Condition) {
  if (c.what === 'has-email') return 'have an email address';
  if (c.what === 'stage') return `stand in ${stageName(c.value)}`;
  return c.what === 'tag' ? `have the tag “${c.value}”` : `do not have the tag “${c.value}”`;
}

/** A step id that no step has, made of a word. */
export function newId(steps: Step[], word: string) {
  for (let n = steps.length + 1; ; n++) {
    const id = `${word}-${n}`;
    if (steps.every((s) => s.id !== id)) return id;
  }
}
