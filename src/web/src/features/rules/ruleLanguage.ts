import type { Schemas } from '../../api/client';
import { type ruleFields, ruleOps } from '../../api/program';
import { choicesOf } from '../../ui/OwnFieldInput';
import { span } from '../../ui/span';
import { keyDate, monthNames } from '../../ui/when';

/** The rule language (`onlyIf`, forks) in words: what a rule asks, as the rest of a sentence that begins with “they”. */

export type RuleOp = (typeof ruleOps)[number];
export type Leaf = { field: string; op: RuleOp; value?: RuleValue };
export type RuleValue = string | number | boolean | (string | number | boolean)[];
export type Rule = { all: Rule[] } | { any: Rule[] } | { not: Rule } | Leaf;

/** What a field holds; several texts are read with other words than one. */
export type FieldKind = 'text' | 'texts' | 'date' | 'moment' | 'number' | 'flag';

/** Where the values of a field come from, for those that are chosen. */
export type Choices = 'stages' | 'tags' | 'programs' | 'members' | 'consent' | 'own';

type Field = {
  /** After “their”, or for flags the whole. */
  words: string;
  kind: FieldKind;
  choices?: Choices;
  /** Of `own`: what may be chosen. */
  options?: readonly string[];
  /** For several texts: “have the tag”, “do not have the tag”, “have a tag”, “have no tag”. */
  has?: { one: string; not: string; any: string; none: string };
  /** For moments: “heard from us last”, “have not heard from us”, “have heard from us”, “have never heard from us”. */
  did?: { yes: string; no: string; ever: string; never: string };
};

/** Every field of the language but the practice's own, in the order they are offered in. */
export const fields: Record<(typeof ruleFields)[number], Field> = {
  stage: { words: 'stage', kind: 'text', choices: 'stages' },
  tags: {
    words: 'tags',
    kind: 'texts',
    choices: 'tags',
    has: { one: 'have the tag', not: 'do not have the tag', any: 'have any tag', none: 'have no tag' },
  },
  lists: {
    words: 'lists',
    kind: 'texts',
    has: { one: 'are on the list', not: 'are not on the list', any: 'are on a list', none: 'are on no list' },
  },
  email: { words: 'email address', kind: 'text' },
  mobile: { words: 'mobile number', kind: 'text' },
  address: { words: 'postal address', kind: 'text' },
  age: { words: 'age', kind: 'number' },
  birthday: { words: 'birthday', kind: 'date' },
  owner: { words: 'owner', kind: 'text', choices: 'members' },
  'last-touch': {
    words: 'last touch',
    kind: 'moment',
    did: {
      yes: 'last heard from us',
      no: 'have not heard from us',
      ever: 'have heard from us',
      never: 'have never heard from us',
    },
  },
  'last-reply': {
    words: 'last answer',
    kind: 'moment',
    did: { yes: 'last answered', no: 'have not answered', ever: 'have answered', never: 'have never answered' },
  },
  'next-touch': {
    words: 'next touch',
    kind: 'moment',
    did: {
      yes: 'are next to hear from us',
      no: 'are not to hear from us',
      ever: 'have something coming',
      never: 'have nothing coming',
    },
  },
  'stage-since': {
    words: 'first day in their stage',
    kind: 'moment',
    did: {
      yes: 'reached their stage',
      no: 'have not reached their stage',
      ever: 'have reached a stage',
      never: 'have reached no stage',
    },
  },
  added: {
    words: 'day of being added',
    kind: 'moment',
    did: { yes: 'were added', no: 'were not added', ever: 'were added on a day we know', never: 'were added on a day we do not know' },
  },
  programs: {
    words: 'programs',
    kind: 'texts',
    choices: 'programs',
    has: { one: 'are on the program', not: 'are not on the program', any: 'are on a program', none: 'are on no program' },
  },
  'been-in': {
    words: 'programs, ever',
    kind: 'texts',
    choices: 'programs',
    has: {
      one: 'have been on the program',
      not: 'have never been on the program',
      any: 'have been on a program',
      none: 'have never been on a program',
    },
  },
  'lost-reason': { words: 'reason for being lost', kind: 'text' },
  source: { words: 'source', kind: 'text' },
  first_name: { words: 'first name', kind: 'text' },
  last_name: { words: 'last name', kind: 'text' },
  zone: { words: 'clock', kind: 'text' },
  email_consent: { words: 'word on email', kind: 'text', choices: 'consent' },
  text_consent: { words: 'word on texts', kind: 'text', choices: 'consent' },
  call_consent: { words: 'word on calls', kind: 'text', choices: 'consent' },
  post_consent: { words: 'word on post', kind: 'text', choices: 'consent' },
  do_not_contact: { words: 'must not be contacted', kind: 'flag' },
  id: { words: 'number in the people file', kind: 'text' },
};

/** What somebody said of a channel, as the rule language names it. */
export const consentWords: Record<string, string> = {
  in: 'yes, in so many words',
  inquiry: 'yes, by an inquiry',
  client: 'yes, as a client',
  out: 'no',
};

/** Begin of the fields a practice has of its own; the name stands after it. */
export const ownText = 'custom:';
export const ownDate = 'date:';

/** A field that the practice named itself, as the server tells of it. */
export type OwnField = Schemas['OwnFieldDto'];

/** What a field of the practice's own is to a rule, by what it holds; several choices are kept in one text. */
const ownKinds: Record<string, FieldKind> = { number: 'number', money: 'number', date: 'date', 'yearly-date': 'date' };

/** A field of any name: the language's, or one of the practice's own. */
export function fieldOf(name: string, own: readonly OwnField[] = []): Field {
  if (name.startsWith(ownText)) {
    const key = name.slice(ownText.length);
    const known = own.find((f) => f.key.toLowerCase() === key.toLowerCase());
    if (!known) return { words: key, kind: 'text' };
    const options = choicesOf(known);
    return { words: known.name, kind: ownKinds[known.kind] ?? 'text', ...(options && { choices: 'own', options }) };
  }
  if (name.startsWith(ownDate)) return { words: name.slice(ownDate.length), kind: 'date' };
  return fields[name as keyof typeof fields] ?? { words: name, kind: 'text' };
}

/** What a value is asked for as, by its op. */
export type ValueKind = 'none' | 'words' | 'several' | 'date' | 'number' | 'span' | 'month';

export function valueKind(op: RuleOp): ValueKind {
  switch (op) {
    case 'exists':
    case 'missing':
      return 'none';
    case 'in':
    case 'not-in':
      return 'several';
    case 'before':
    case 'after':
      return 'date';
    case 'less':
    case 'more':
      return 'number';
    case 'in-last':
    case 'not-in-last':
      return 'span';
    case 'month-is':
      return 'month';
    default:
      return 'words';
  }
}

const common: RuleOp[] = ['is', 'is-not', 'in', 'not-in', 'exists', 'missing', 'contains', 'starts-with'];

/** The ops that make sense for what a field holds, the likeliest first; the language allows any. */
export const opsOf: Record<FieldKind, RuleOp[]> = {
  text: common,
  texts: ['has', 'has-not', 'in', 'not-in', 'exists', 'missing', 'contains', 'starts-with'],
  date: ['month-is', 'before', 'after', 'in-last', 'not-in-last', 'exists', 'missing', 'is'],
  moment: ['in-last', 'not-in-last', 'before', 'after', 'month-is', 'exists', 'missing'],
  number: ['more', 'less', 'is', 'is-not', 'in', 'not-in', 'exists', 'missing'],
  flag: ['exists', 'missing'],
};

/** Every op there is, for a field whose rule was written elsewhere. */
export const allOps: readonly RuleOp[] = ruleOps;

/** An op as it is chosen from a list, for a field. */
export function opWords(op: RuleOp, kind: FieldKind): string {
  if (kind === 'texts') return textsOps[op] ?? plainOps[op];
  if (kind === 'flag') return op === 'missing' ? 'is not so' : 'is so';
  return kind === 'number' ? (numberOps[op] ?? plainOps[op]) : plainOps[op];
}

const plainOps: Record<RuleOp, string> = {
  is: 'is',
  'is-not': 'is not',
  in: 'is one of',
  'not-in': 'is none of',
  has: 'has',
  'has-not': 'does not have',
  contains: 'contains',
  'starts-with': 'begins with',
  exists: 'is known',
  missing: 'is not known',
  before: 'is before',
  after: 'is after',
  less: 'is under',
  more: 'is over',
  'in-last': 'lies in the last',
  'not-in-last': 'does not lie in the last',
  'month-is': 'is in the month of',
};
const textsOps: Partial<Record<RuleOp, string>> = {
  in: 'has one of',
  'not-in': 'has none of',
  exists: 'has any',
  missing: 'has none at all',
  contains: 'has one that contains',
  'starts-with': 'has one that begins with',
};
const numberOps: Partial<Record<RuleOp, string>> = { is: 'is exactly' };

/** A leaf for a field as it is before anything is chosen. */
export function blankLeaf(field: string, own: readonly OwnField[] = []): Leaf {
  const op = opsOf[fieldOf(field, own).kind][0] ?? 'is';
  return withOp({ field, op }, op);
}

/** The same leaf with another op; its value stays where the new op asks for the same. */
export function withOp(leaf: Leaf, op: RuleOp): Leaf {
  const to = valueKind(op);
  const { value, ...rest } = leaf;
  if (to === 'none') return { ...rest, op };
  if (to === valueKind(leaf.op) && value !== undefined) return { ...leaf, op };
  const begin: Record<Exclude<ValueKind, 'none'>, RuleValue> = { words: '', several: [], date: '', number: '', span: 'P30D', month: 1 };
  return { ...rest, op, value: begin[to] };
}

/** True for a leaf that says all it needs to. */
export function isComplete(rule: Rule): boolean {
  if ('all' in rule) return rule.all.length > 0 && rule.all.every(isComplete);
  if ('any' in rule) return rule.any.length > 0 && rule.any.every(isComplete);
  if ('not' in rule) return isComplete(rule.not);
  if (/^(custom|date):$/.test(rule.field)) return false;
  if (valueKind(rule.op) === 'none') return true;
  return Array.isArray(rule.value) ? rule.value.length > 0 : rule.value !== undefined && String(rule.value).trim() !== '';
}

/** The parts of a rule that must all hold; none where there is no rule. */
export const partsOf = (rule: Rule | undefined): Rule[] => (rule === undefined ? [] : 'all' in rule ? rule.all : [rule]);

/** A rule of parts that must all hold; undefined for none. */
export const ruleOf = (parts: Rule[]): Rule | undefined => (parts.length === 0 ? undefined : { all: parts });

const or = (words: string[]) => (words.length < 2 ? words.join('') : `${words.slice(0, -1).join(', ')} or ${words.at(-1)}`);
const listed = (value: RuleValue | undefined) => (Array.isArray(value) ? value : value === undefined ? [] : [value]).map(String);

/** What members and the practice's own fields are called, by what the file calls them. */
export type Names = { member: (id: string) => string; own: readonly OwnField[] };
const asWritten: Names = { member: (id) => id, own: [] };

/** A rule as it reads after “they”: <i>have the tag “warm”</i>; what stands inside another is put in brackets where it would be misread. */
export function sayRule(rule: Rule, names: Names = asWritten, inside = false): string {
  if ('all' in rule || 'any' in rule) {
    const parts = 'all' in rule ? rule.all : rule.any;
    if (parts.length === 0) return 'all' in rule ? 'are anybody' : 'are nobody';
    if (parts.length === 1 && parts[0]) return sayRule(parts[0], names, inside);
    const words = parts.map((p) => sayRule(p, names, true)).join('all' in rule ? ' and ' : ' or ');
    return inside ? `(${words})` : words;
  }
  if ('not' in rule) {
    const part = rule.not;
    const opposite = 'field' in part ? opposites[part.op] : undefined;
    // A missing value makes an op and its opposite the same only for those that are each other's negation (the judge says which).
    if (opposite && 'field' in part) return sayLeaf({ ...part, op: opposite }, names);
    return `are not those who ${sayRule(part, names, true)}`;
  }
  return sayLeaf(rule, names);
}

/** Ops of which each is exactly what the other is not, missing values included. */
const opposites: Partial<Record<RuleOp, RuleOp>> = {
  is: 'is-not',
  'is-not': 'is',
  in: 'not-in',
  'not-in': 'in',
  has: 'has-not',
  'has-not': 'has',
  exists: 'missing',
  missing: 'exists',
  'in-last': 'not-in-last',
  'not-in-last': 'in-last',
};

const dateWords = (date: string) => (/^\d{4}-\d\d-\d\d$/.test(date) ? keyDate(date) : date);
const monthWords = (month: string) => monthNames[Number(month) - 1] ?? month;

function sayLeaf({ field, op, value }: Leaf, names: Names): string {
  const { words, kind, has, did, choices } = fieldOf(field, names.own);
  const shown = listed(value).map((v) =>
    choices === 'stages'
      ? (v.split('/')[1] ?? v)
      : choices === 'consent'
        ? (consentWords[v] ?? v)
        : choices === 'members'
          ? names.member(v)
          : v,
  );
  const quoted = shown.map((v) => `“${v}”`);
  if (kind === 'flag') return op === 'missing' ? 'may be contacted' : words;
  if (has) {
    if (op === 'exists') return has.any;
    if (op === 'missing') return has.none;
    if (op === 'has' || op === 'is' || op === 'in') return `${has.one} ${or(quoted)}`;
    if (op === 'has-not' || op === 'is-not' || op === 'not-in') return `${has.not} ${or(quoted)}`;
    return `${has.any.replace(/^(have|are on) any /, '$1 a ')} that ${op === 'contains' ? 'contains' : 'begins with'} ${or(quoted)}`;
  }
  if (field === 'stage') {
    if (op === 'is' || op === 'in') return `stand in ${or(shown)}`;
    if (op === 'is-not' || op === 'not-in') return `do not stand in ${or(shown)}`;
    if (op === 'exists') return 'stand in a stage';
    if (op === 'missing') return 'stand in no stage';
  }
  if (field === 'age' && (op === 'more' || op === 'less' || op === 'is')) {
    return `are ${op === 'more' ? 'over ' : op === 'less' ? 'under ' : ''}${shown.join('')}`;
  }
  if (field === 'owner' && (op === 'is' || op === 'in')) return `are looked after by ${or(shown)}`;
  if (field === 'owner' && (op === 'is-not' || op === 'not-in')) return `are not looked after by ${or(shown)}`;
  if (did) {
    if (op === 'exists') return did.ever;
    if (op === 'missing') return did.never;
    if (op === 'in-last') return `${did.yes} in the last ${span(shown.join(''))}`;
    if (op === 'not-in-last') return `${did.no} in the last ${span(shown.join(''))}`;
    if (op === 'before' || op === 'after') return `${did.yes} ${op} ${dateWords(shown.join(''))}`;
    if (op === 'month-is') return `${did.yes} in ${monthWords(shown.join(''))}`;
  }
  const an = /^[aeiou]/.test(words) ? 'an' : 'a';
  const verb = opWords(op, kind);
  const subject = `have ${an} ${words} that`;
  switch (valueKind(op)) {
    case 'none':
      return op === 'exists' ? `have ${an} ${words}` : `have no ${words}`;
    case 'span':
      return `${subject} ${verb} ${span(shown.join(''))}`;
    case 'month':
      return `${subject} ${verb.replace(' the month of', '')} ${monthWords(shown.join(''))}`;
    case 'date':
      return `${subject} ${verb} ${dateWords(shown.join(''))}`;
    case 'number':
      return `${subject} ${verb} ${shown.join('')}`;
    default:
      return `${subject} ${verb} ${or(quoted)}`;
  }
}
