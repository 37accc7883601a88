import type { Schemas } from '../../api/client';
import { type ruleFields, ruleOps } from '../../api/program';
import { choicesOf } from '../../ui/OwnFieldInput';
import { inLast, span } from '../../ui/span';
import { keyDate, monthNames } from '../../ui/when';
import { phrase, quoted as quote, together } from '../../words/phrase';

/** The rule language (`onlyIf`, forks) in words: what a rule asks, as the rest of a sentence that begins with “they”. */

export type RuleOp = (typeof ruleOps)[number];
export type Leaf = { field: string; op: RuleOp; value?: RuleValue };
export type RuleValue = string | number | boolean | (string | number | boolean)[];
export type Rule = { all: Rule[] } | { any: Rule[] } | { not: Rule } | Leaf;

/** What a field holds; several texts, or several choices, are read with other words than one. */
export type FieldKind = 'text' | 'texts' | 'several' | 'date' | 'moment' | 'number' | 'flag' | 'whether';

/** Where the values of a field come from, for those that are chosen. */
export type Choices = 'stages' | 'tags' | 'programs' | 'members' | 'consent' | 'own' | 'here';

/** Under what a field is offered. */
export const fieldGroups = {
  facts: phrase('What we know of them'),
  place: phrase('Where they live'),
  around: phrase('People around them'),
  deeds: phrase('What they did'),
  saved: phrase('Put together before'),
} as const;

type Field = {
  /** After “their”, or for flags the whole. */
  words: string;
  /** Where it is offered; among the facts where nothing is said. */
  group?: keyof typeof fieldGroups;
  /** How it is offered, where “their …” would not read. */
  offered?: string;
  /** What goes on after a colon, which one; `any` where it may be left open. */
  named?: { label: string; any?: string };
  kind: FieldKind;
  choices?: Choices;
  /** Of `own`: what may be chosen. */
  options?: readonly string[];
  /** For several texts, and for what is so or not: “have the tag”, “do not have the tag”, “have a tag”, “have no tag”. */
  has?: { one: string; not: string; any: string; none: string };
  /** For moments: “heard from us last”, “have not heard from us”, “have heard from us”, “have never heard from us”. */
  did?: { yes: string; no: string; ever: string; never: string; last?: string };
};

/** How it is said of a deed: when it was last, that it was not, ever or never; as the name of a field; else that it was. */
type How = 'last' | 'no' | 'ever' | 'never' | 'time' | 'they' | 'yes';

/** What people did, as it stands after “they”. */
const verbs = {
  got: (how: How, what: string) =>
    phrase(
      '{how, select, last {last got {what}} no {have not got {what}} ever {have got {what}} never {have never got {what}} time {last time they got {what}} they {they got {what}} other {got {what}}}',
      { how, what },
    ),
  opened: (how: How, what: string) =>
    phrase(
      '{how, select, last {last opened {what}} no {have not opened {what}} ever {have opened {what}} never {have never opened {what}} time {last time they opened {what}} they {they opened {what}} other {opened {what}}}',
      { how, what },
    ),
  followed: (how: How, what: string) =>
    phrase(
      '{how, select, last {last followed {what}} no {have not followed {what}} ever {have followed {what}} never {have never followed {what}} time {last time they followed {what}} they {they followed {what}} other {followed {what}}}',
      { how, what },
    ),
  answered: (how: How, what: string) =>
    phrase(
      '{how, select, last {last answered {what}} no {have not answered {what}} ever {have answered {what}} never {have never answered {what}} time {last time they answered {what}} they {they answered {what}} other {answered {what}}}',
      { how, what },
    ),
  began: (how: How, what: string) =>
    phrase(
      '{how, select, last {last began {what}} no {have not begun {what}} ever {have begun {what}} never {have never begun {what}} time {last time they began {what}} they {they began {what}} other {began {what}}}',
      { how, what },
    ),
  finished: (how: How, what: string) =>
    phrase(
      '{how, select, last {last finished {what}} no {have not finished {what}} ever {have finished {what}} never {have never finished {what}} time {last time they finished {what}} they {they finished {what}} other {finished {what}}}',
      { how, what },
    ),
  asked: (how: How, what: string) =>
    phrase(
      '{how, select, last {last asked {what}} no {have not asked {what}} ever {have asked {what}} never {have never asked {what}} time {last time they asked {what}} they {they asked {what}} other {asked {what}}}',
      { how, what },
    ),
  had: (how: How, what: string) =>
    phrase(
      '{how, select, last {last had {what}} no {have not had {what}} ever {have had {what}} never {have never had {what}} time {last time they had {what}} they {they had {what}} other {had {what}}}',
      { how, what },
    ),
  missed: (how: How, what: string) =>
    phrase(
      '{how, select, last {last missed {what}} no {have not missed {what}} ever {have missed {what}} never {have never missed {what}} time {last time they missed {what}} they {they missed {what}} other {missed {what}}}',
      { how, what },
    ),
};

/** What people did: the verb, and what it was done to, any or one by name. */
const deeds = {
  got: { verb: verbs.got, any: phrase('a message'), one: (n: string) => n, which: phrase('Which message') },
  opened: { verb: verbs.opened, any: phrase('a message'), one: (n: string) => n, which: phrase('Which message') },
  followed: { verb: verbs.followed, any: phrase('a link‹followed›'), one: (n: string) => n, which: phrase('Which link') },
  answered: { verb: verbs.answered, any: '', one: (n: string) => phrase('by {n}', { n: n.replace(/[“”„]/g, '') }), which: phrase('How') },
  started: { verb: verbs.began, any: phrase('a program'), one: (n: string) => n, which: phrase('Which program') },
  finished: { verb: verbs.finished, any: phrase('a program'), one: (n: string) => n, which: phrase('Which program') },
  inquired: {
    verb: verbs.asked,
    any: phrase('for something'),
    one: (n: string) => phrase('by the form {n}', { n }),
    which: phrase('By which form'),
  },
  met: {
    verb: verbs.had,
    any: phrase('an appointment‹had›'),
    one: (n: string) => phrase('the appointment {n}', { n }),
    which: phrase('Which kind'),
  },
  missed: {
    verb: verbs.missed,
    any: phrase('an appointment‹had›'),
    one: (n: string) => phrase('the appointment {n}', { n }),
    which: phrase('Which kind'),
  },
  won: { verb: verbs.had, any: phrase('an opportunity won'), one: (n: string) => n, which: '' },
  lost: {
    verb: verbs.had,
    any: phrase('an opportunity lost'),
    one: (n: string) => phrase('an opportunity lost for {n}', { n }),
    which: phrase('For which reason'),
  },
};
type DeedName = keyof typeof deeds;
const isDeed = (name: string): name is DeedName => name in deeds;

function deedField(kind: DeedName, name?: string): Field {
  const deed = deeds[kind];
  // A message is named “Program/step”; it reads “Program: step”.
  const object = name === undefined ? deed.any : deed.one(quote(name.replace('/', ': ')));
  // Where nothing is named, nothing stands in its place.
  const said = (how: How, what = object) => deed.verb(how, what).replace(/ {2,}/g, ' ').trim();
  return {
    words: said('time'),
    offered: said('they', deed.any),
    kind: 'moment',
    group: 'deeds',
    ...(deed.which && { named: { label: deed.which, any: phrase('any') } }),
    did: { yes: said('yes'), last: said('last'), no: said('no'), ever: said('ever'), never: said('never') },
  };
}

const deedFields = Object.fromEntries(Object.keys(deeds).map((kind) => [kind, deedField(kind as DeedName)])) as Record<DeedName, Field>;

/** Every field of the language but the practice's own, in the order they are offered in. */
export const fields: Record<(typeof ruleFields)[number], Field> = {
  stage: { words: phrase('stage'), kind: 'text', choices: 'stages' },
  tags: {
    words: phrase('tags'),
    kind: 'texts',
    choices: 'tags',
    has: { one: phrase('have the tag'), not: phrase('do not have the tag'), any: phrase('have any tag'), none: phrase('have no tag') },
  },
  lists: {
    words: phrase('lists'),
    kind: 'texts',
    choices: 'here',
    has: {
      one: phrase('are on the list'),
      not: phrase('are not on the list'),
      any: phrase('are on a list'),
      none: phrase('are on no list'),
    },
  },
  city: { words: phrase('town'), kind: 'text', group: 'place', choices: 'here' },
  state: { words: phrase('state'), kind: 'text', group: 'place', choices: 'here' },
  'postal-code': { words: phrase('postal code'), kind: 'text', group: 'place' },
  country: { words: phrase('country'), kind: 'text', group: 'place', choices: 'here' },
  household: {
    words: phrase('household'),
    offered: phrase('they live with somebody here'),
    kind: 'whether',
    group: 'around',
    has: {
      one: phrase('live in'),
      not: phrase('do not live in'),
      any: phrase('live with somebody here'),
      none: phrase('live with nobody here'),
    },
  },
  segment: {
    words: phrase('segments'),
    offered: phrase('they are in a segment'),
    kind: 'texts',
    group: 'saved',
    choices: 'here',
    has: {
      one: phrase('are in the segment'),
      not: phrase('are not in the segment'),
      any: phrase('are in a segment'),
      none: phrase('are in no segment'),
    },
  },
  ...deedFields,
  email: { words: phrase('email address'), kind: 'text' },
  mobile: { words: phrase('mobile number'), kind: 'text' },
  'other-phone': { words: phrase('other number'), kind: 'text' },
  address: { words: phrase('postal address'), kind: 'text' },
  age: { words: phrase('age'), kind: 'number' },
  birthday: { words: phrase('birthday'), kind: 'date' },
  owner: { words: phrase('owner'), kind: 'text', choices: 'members' },
  'last-touch': {
    words: phrase('last touch'),
    kind: 'moment',
    did: {
      yes: phrase('last heard from us'),
      no: phrase('have not heard from us'),
      ever: phrase('have heard from us'),
      never: phrase('have never heard from us'),
    },
  },
  'last-reply': {
    words: phrase('last answer'),
    kind: 'moment',
    did: {
      yes: phrase('last answered'),
      no: phrase('have not answered'),
      ever: phrase('have answered'),
      never: phrase('have never answered'),
    },
  },
  'next-touch': {
    words: phrase('next touch'),
    kind: 'moment',
    did: {
      yes: phrase('are next to hear from us'),
      no: phrase('are not to hear from us'),
      ever: phrase('have something coming'),
      never: phrase('have nothing coming'),
    },
  },
  'stage-since': {
    words: phrase('first day in their stage'),
    kind: 'moment',
    did: {
      yes: phrase('reached their stage'),
      no: phrase('have not reached their stage'),
      ever: phrase('have reached a stage'),
      never: phrase('have reached no stage'),
    },
  },
  added: {
    words: phrase('day of being added'),
    kind: 'moment',
    did: {
      yes: phrase('were added'),
      no: phrase('were not added'),
      ever: phrase('were added on a day we know'),
      never: phrase('were added on a day we do not know'),
    },
  },
  programs: {
    words: phrase('programs'),
    kind: 'texts',
    choices: 'programs',
    has: {
      one: phrase('are on the program'),
      not: phrase('are not on the program'),
      any: phrase('are on a program'),
      none: phrase('are on no program'),
    },
  },
  'been-in': {
    words: phrase('programs, ever'),
    kind: 'texts',
    choices: 'programs',
    has: {
      one: phrase('have been on the program'),
      not: phrase('have never been on the program'),
      any: phrase('have been on a program'),
      none: phrase('have never been on a program'),
    },
  },
  'lost-reason': { words: phrase('reason for being lost'), kind: 'text', choices: 'here' },
  source: { words: phrase('source'), kind: 'text', choices: 'here' },
  'inquiry-since': {
    words: phrase('oldest inquiry that waits'),
    offered: phrase('an inquiry of theirs waits'),
    kind: 'moment',
    did: {
      yes: phrase('have an inquiry that has waited since a day'),
      no: phrase('have no inquiry that began to wait'),
      ever: phrase('have an inquiry that waits'),
      never: phrase('have no inquiry that waits'),
    },
  },
  first_name: { words: phrase('first name'), kind: 'text' },
  last_name: { words: phrase('last name'), kind: 'text' },
  zone: { words: phrase('clock'), kind: 'text' },
  email_consent: { words: phrase('word on email'), kind: 'text', choices: 'consent' },
  text_consent: { words: phrase('word on texts'), kind: 'text', choices: 'consent' },
  call_consent: { words: phrase('word on calls'), kind: 'text', choices: 'consent' },
  post_consent: { words: phrase('word on post'), kind: 'text', choices: 'consent' },
  do_not_contact: { words: phrase('must not be contacted'), kind: 'flag' },
  archived: { words: phrase('are archived'), offered: phrase('they are archived'), kind: 'flag' },
  id: { words: phrase('number in the people file'), kind: 'text' },
};

/** What somebody said of a channel, as the rule language names it. */
export const consentWords: Record<string, string> = {
  in: phrase('yes, in so many words'),
  inquiry: phrase('yes, by an inquiry'),
  client: phrase('yes, as a client'),
  out: phrase('no'),
};

/** Begin of the fields a practice has of its own; the name stands after it. */
export const ownText = 'custom:';
export const ownDate = 'date:';

/** Begin of the fields that ask whom a person has in a role; the role stands after it. */
export const relation = 'relation:';

/** What stands before and after the colon of a field that goes on with which one: `opened`, `relation`. */
export function partsOfField(field: string): { base: string; name?: string } {
  const colon = field.indexOf(':');
  return colon < 0 ? { base: field } : { base: field.slice(0, colon), name: field.slice(colon + 1) };
}

/** A field that the practice named itself, as the server tells of it. */
export type OwnField = Schemas['OwnFieldDto'];

/** What a field of the practice's own is to a rule, by what it holds. */
const ownKinds: Record<string, FieldKind> = { number: 'number', money: 'number', date: 'date', 'yearly-date': 'date' };

/** A field of any name: the language's, or one of the practice's own. */
export function fieldOf(name: string, own: readonly OwnField[] = []): Field {
  if (name.startsWith(ownText)) {
    const key = name.slice(ownText.length);
    const known = own.find((f) => f.key.toLowerCase() === key.toLowerCase());
    if (!known) return { words: key, kind: 'text' };
    if (known.kind === 'choices') return severalField(known);
    const options = choicesOf(known);
    return { words: known.name, kind: ownKinds[known.kind] ?? 'text', ...(options && { choices: 'own', options }) };
  }
  if (name.startsWith(relation)) return relationField(name.slice(relation.length));
  const { base, name: which } = partsOfField(name);
  if (which !== undefined && isDeed(base)) return deedField(base, which);
  if (name.startsWith(ownDate)) return { words: name.slice(ownDate.length), kind: 'date' };
  return fields[name as keyof typeof fields] ?? { words: name, kind: 'text' };
}

/** A field of the practice's own of which several choices may be so. */
function severalField({ name, options }: OwnField): Field {
  return {
    words: name,
    kind: 'several',
    choices: 'own',
    options,
    has: {
      one: phrase('have under “{name}”', { name }),
      not: phrase('do not have under “{name}”', { name }),
      any: phrase('have something under “{name}”', { name }),
      none: phrase('have nothing under “{name}”', { name }),
    },
  };
}

function relationField(role: string): Field {
  const an = /^[aeiou]/i.test(role) ? 'an' : 'a';
  return {
    words: role || phrase('somebody'),
    kind: 'whether',
    group: 'around',
    named: { label: phrase('Who') },
    has: {
      one: phrase('have as their {role}', { role }),
      not: phrase('do not have as their {role}', { role }),
      any: phrase('have {an} {role}', { an, role }),
      none: phrase('have no {role}', { role }),
    },
  };
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
  several: ['has', 'has-not', 'in', 'not-in', 'exists', 'missing'],
  date: ['month-is', 'before', 'after', 'in-last', 'not-in-last', 'exists', 'missing', 'is'],
  moment: ['in-last', 'not-in-last', 'before', 'after', 'month-is', 'exists', 'missing'],
  number: ['more', 'less', 'is', 'is-not', 'in', 'not-in', 'exists', 'missing'],
  flag: ['exists', 'missing'],
  whether: ['exists', 'missing'],
};

/** Every op there is, for a field whose rule was written elsewhere. */
export const allOps: readonly RuleOp[] = ruleOps;

/** An op as it is chosen from a list, for a field. */
export function opWords(op: RuleOp, kind: FieldKind): string {
  if (kind === 'texts' || kind === 'several') return textsOps[op] ?? plainOps[op];
  if (kind === 'flag' || kind === 'whether') return op === 'missing' ? phrase('is not so') : phrase('is so');
  return kind === 'number' ? (numberOps[op] ?? plainOps[op]) : plainOps[op];
}

const plainOps: Record<RuleOp, string> = {
  is: phrase('is'),
  'is-not': phrase('is not'),
  in: phrase('is one of'),
  'not-in': phrase('is none of'),
  has: 'has',
  'has-not': phrase('does not have'),
  contains: 'contains',
  'starts-with': phrase('begins with'),
  exists: phrase('is known'),
  missing: phrase('is not known'),
  before: phrase('is before'),
  after: phrase('is after'),
  less: phrase('is under'),
  more: phrase('is over'),
  'in-last': phrase('lies in the last'),
  'not-in-last': phrase('does not lie in the last'),
  'month-is': phrase('is in the month of'),
};
const textsOps: Partial<Record<RuleOp, string>> = {
  in: phrase('has one of'),
  'not-in': phrase('has none of'),
  exists: phrase('has any'),
  missing: phrase('has none at all'),
  contains: phrase('has one that contains'),
  'starts-with': phrase('has one that begins with'),
};
const numberOps: Partial<Record<RuleOp, string>> = { is: phrase('is exactly') };

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
  if (rule.field.endsWith(':')) return false;
  if (valueKind(rule.op) === 'none') return true;
  return Array.isArray(rule.value) ? rule.value.length > 0 : rule.value !== undefined && String(rule.value).trim() !== '';
}

/** The parts of a rule that must all hold; none where there is no rule. */
export const partsOf = (rule: Rule | undefined): Rule[] => (rule === undefined ? [] : 'all' in rule ? rule.all : [rule]);

/** A rule of parts that must all hold; undefined for none. */
export const ruleOf = (parts: Rule[]): Rule | undefined => (parts.length === 0 ? undefined : { all: parts });

const or = (words: string[]) =>
  words.length < 2 ? words.join('') : phrase('{words} or {words2}', { words: words.slice(0, -1).join(', '), words2: words.at(-1) });
const listed = (value: RuleValue | undefined) => (Array.isArray(value) ? value : value === undefined ? [] : [value]).map(String);

/** What members and the practice's own fields are called, by what the file calls them. */
export type Names = { member: (id: string) => string; own: readonly OwnField[]; state: (code: string) => string };
const asWritten: Names = { member: (id) => id, own: [], state: (code) => code };

/** A rule as it reads after “they”: <i>have the tag “warm”</i>; what stands inside another is put in brackets where it would be misread. */
export function sayRule(rule: Rule, names: Names = asWritten, inside = false): string {
  if ('all' in rule || 'any' in rule) {
    const parts = 'all' in rule ? rule.all : rule.any;
    if (parts.length === 0) return 'all' in rule ? phrase('are anybody') : phrase('are nobody');
    if (parts.length === 1 && parts[0]) return sayRule(parts[0], names, inside);
    const words = together(
      parts.map((p) => sayRule(p, names, true)),
      (first, second) =>
        'all' in rule ? phrase('{first} and {second}', { first, second }) : phrase('{first} or {second}', { first, second }),
    );
    return inside ? `(${words})` : words;
  }
  if ('not' in rule) {
    const part = rule.not;
    const opposite = 'field' in part ? opposites[part.op] : undefined;
    // A missing value makes an op and its opposite the same only for those that are each other's negation (the judge says which).
    if (opposite && 'field' in part) return sayLeaf({ ...part, op: opposite }, names);
    return phrase('are not those who {part}', { part: sayRule(part, names, true) });
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
/** “in May”, “this month”. */
const inMonth = (month: string) =>
  monthNames[Number(month) - 1]
    ? phrase('in {monthNames}', { monthNames: monthNames[Number(month) - 1] })
    : phrase('{month} month', { month });

const places = new Set(['city', 'state', 'country', 'postal-code']);

function sayLeaf({ field, op, value }: Leaf, names: Names): string {
  const { words, kind, has, did, choices } = fieldOf(field, names.own);
  const shown = listed(value).map((v) =>
    choices === 'stages'
      ? (v.split('/')[1] ?? v)
      : choices === 'consent'
        ? (consentWords[v] ?? v)
        : choices === 'members'
          ? names.member(v)
          : field === 'state'
            ? names.state(v)
            : v,
  );
  const quoted = shown.map((v) => quote(v));
  if (kind === 'flag') return op !== 'missing' ? words : field === 'archived' ? phrase('are not archived') : phrase('may be contacted');
  if (places.has(field)) {
    if (op === 'is' || op === 'in') return phrase('live in {shown}', { shown: or(shown) });
    if (op === 'is-not' || op === 'not-in') return phrase('do not live in {shown}', { shown: or(shown) });
  }
  if (field === 'birthday' && op === 'month-is') return phrase('have their birthday {shown}', { shown: inMonth(shown.join('')) });
  if (has) {
    if (op === 'exists') return has.any;
    if (op === 'missing') return has.none;
    if (op === 'has' || op === 'is' || op === 'in') return `${has.one} ${or(quoted)}`;
    if (op === 'has-not' || op === 'is-not' || op === 'not-in') return `${has.not} ${or(quoted)}`;
    return phrase('{any} that {op, select, true {contains} other {begins with}} {quoted}', {
      any: has.any.replace(/^(have|are on) any /, '$1 a '),
      op: String(op === 'contains'),
      quoted: or(quoted),
    });
  }
  if (field === 'stage') {
    if (op === 'is' || op === 'in') return phrase('stand in {shown}', { shown: or(shown) });
    if (op === 'is-not' || op === 'not-in') return phrase('do not stand in {shown}', { shown: or(shown) });
    if (op === 'exists') return phrase('stand in a stage');
    if (op === 'missing') return phrase('stand in no stage');
  }
  if (field === 'age' && (op === 'more' || op === 'less' || op === 'is')) {
    return phrase('are {op, select, more {over {years}} less {under {years}} other {{years}}}', { op, years: shown.join('') });
  }
  if (field === 'owner' && (op === 'is' || op === 'in')) return phrase('are looked after by {shown}', { shown: or(shown) });
  if (field === 'owner' && (op === 'is-not' || op === 'not-in')) return phrase('are not looked after by {shown}', { shown: or(shown) });
  if (did) {
    if (op === 'exists') return did.ever;
    if (op === 'missing') return did.never;
    if (op === 'in-last') return `${did.yes} ${inLast(shown.join(''))}`;
    if (op === 'not-in-last') return `${did.no} ${inLast(shown.join(''))}`;
    if (op === 'before') return phrase('{last} before {shown}', { last: did.last ?? did.yes, shown: dateWords(shown.join('')) });
    if (op === 'after') return phrase('{yes} after {shown}', { yes: did.yes, shown: dateWords(shown.join('')) });
    if (op === 'month-is') return `${did.last ?? did.yes} ${inMonth(shown.join(''))}`;
  }
  const an = /^[aeiou]/.test(words) ? 'an' : 'a';
  const verb = opWords(op, kind);
  const subject = phrase('have {an} {words} that', { an, words });
  switch (valueKind(op)) {
    case 'none':
      return op === 'exists' ? phrase('have {an} {words}', { an, words }) : phrase('have no {words}', { words });
    case 'span':
      return `${subject} ${verb} ${span(shown.join(''))}`;
    case 'month':
      return phrase('{subject} is {shown}', { subject, shown: inMonth(shown.join('')) });
    case 'date':
      return `${subject} ${verb} ${dateWords(shown.join(''))}`;
    case 'number':
      return `${subject} ${verb} ${shown.join('')}`;
    default:
      return `${subject} ${verb} ${or(quoted)}`;
  }
}
