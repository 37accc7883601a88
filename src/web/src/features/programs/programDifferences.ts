import { span } from '../../ui/span';
import { partsOf, type Rule, sayRule } from '../rules/ruleLanguage';
import {
  isMessage,
  type ProgramFile,
  type Step,
  sayAgain,
  sayChange,
  sayQuestion,
  sayStart,
  sayStop,
  sayTo,
  sayWhen,
  sayWindow,
  stepName,
} from './programFile';
import { standsAt } from './stepMoves';
import { allSteps } from './stepTree';

/**
 * What is different between two wordings of a program, in sentences: first what it is about, then what is new, gone or moved, then
 * what is otherwise at a step. Steps are the same where their ids are.
 */
export function differences(before: ProgramFile, now: ProgramFile): string[] {
  return [...ofTheWhole(before, now), ...ofSteps(before.steps, now.steps)];
}

const same = (a: unknown, b: unknown) => JSON.stringify(a ?? null) === JSON.stringify(b ?? null);
const quoted = (words: string) => `“${words.length > 60 ? `${words.slice(0, 57)}…` : words}”`;

/** “A” became “B”, where both can be said in a few words. */
function became(what: string, before: string, now: string) {
  return before === now ? [] : [`${what} ${quoted(now)} instead of ${quoted(before)}.`];
}

function sayRuleOf(rule: Rule | undefined) {
  return partsOf(rule).length === 0 ? 'everybody' : `those who ${sayRule(rule as Rule)}`;
}

function ofTheWhole(before: ProgramFile, now: ProgramFile): string[] {
  const starts = listChange(before.startsWhen.map(sayStart), now.startsWhen.map(sayStart));
  const stops = listChange(before.stopsWhen.map(sayStop), now.stopsWhen.map(sayStop));
  return [
    ...became('It is called', before.name, now.name),
    ...became('It says of itself', before.description ?? 'nothing', now.description ?? 'nothing'),
    ...starts.added.map((s) => `It now also starts when ${s}.`),
    ...starts.gone.map((s) => `It no longer starts when ${s}.`),
    ...became('It is for', sayRuleOf(before.onlyIf), sayRuleOf(now.onlyIf)),
    ...became('It writes on', sayWindow(before), sayWindow(now)),
    ...became('The same person', sayAgain(before), sayAgain(now)),
    ...stops.added.map((s) => `It now also stops when they ${s}.`),
    ...stops.gone.map((s) => `It no longer stops when they ${s}.`),
    ...became('Its messages are', before.purpose, now.purpose),
    ...became('Its topic is', before.topic ?? 'none', now.topic ?? 'none'),
    ...became('Of consent it goes by', before.policy ?? 'the practice’s own rules', now.policy ?? 'the practice’s own rules'),
    ...became('It speaks as', before.voice ?? 'the practice does', now.voice ?? 'the practice does'),
    ...became('A message nobody has read', before.unread === 'waits' ? 'waits' : 'goes', now.unread === 'waits' ? 'waits' : 'goes'),
    ...(before.priority === now.priority ? [] : [`Its priority is ${now.priority} instead of ${before.priority}.`]),
  ];
}

function listChange(before: string[], now: string[]) {
  return { added: now.filter((s) => !before.includes(s)), gone: before.filter((s) => !now.includes(s)) };
}

function ofSteps(before: Step[], now: Step[]): string[] {
  const then = new Map(allSteps(before).map((s) => [s.id, s]));
  const here = new Map(allSteps(now).map((s) => [s.id, s]));
  const nameOf = (id: string) => {
    const step = here.get(id) ?? then.get(id);
    return step ? stepName(step) || things[step.kind] : 'a step that is gone';
  };
  const stays = [...here.keys()].filter((id) => then.has(id));
  const moved = movedAmong(
    stays,
    [...then.keys()].filter((id) => here.has(id)),
  );
  return [
    ...[...here.values()].filter((s) => !then.has(s.id)).map((s) => `New: ${called(s)}, ${sayWhen(s.when, now[0]?.id === s.id)}.`),
    ...[...then.values()].filter((s) => !here.has(s.id)).map((s) => `Gone: ${called(s)}.`),
    ...stays.flatMap((id) => {
      const [was, is] = [then.get(id) as Step, here.get(id) as Step];
      const elsewhere =
        standsAt(before, id)?.place.owner !== standsAt(now, id)?.place.owner ||
        standsAt(before, id)?.place.passage !== standsAt(now, id)?.place.passage;
      return [
        ...(elsewhere
          ? [`${capital(called(is))} stands in another passage.`]
          : moved.has(id)
            ? [`${capital(called(is))} stands elsewhere.`]
            : []),
        ...ofStep(was, is, nameOf),
      ];
    }),
  ];
}

/** The fewest steps that must have moved to come from one order to the other: all that are not in their longest common run. */
function movedAmong(now: string[], before: string[]): Set<string> {
  const place = new Map(before.map((id, i) => [id, i]));
  const best: { length: number; from: number }[] = [];
  for (const [i, id] of now.entries()) {
    let mine = { length: 1, from: -1 };
    for (let j = 0; j < i; j++)
      if ((place.get(now[j] as string) ?? 0) < (place.get(id) ?? 0) && (best[j]?.length ?? 0) + 1 > mine.length)
        mine = { length: (best[j]?.length ?? 0) + 1, from: j };
    best.push(mine);
  }
  const kept = new Set<string>();
  let at = best.reduce((top, b, i) => (b.length > (best[top]?.length ?? 0) ? i : top), 0);
  while (at >= 0 && now.length > 0) {
    kept.add(now[at] as string);
    at = best[at]?.from ?? -1;
  }
  return new Set(now.filter((id) => !kept.has(id)));
}

const things: Record<Step['kind'], string> = {
  email: 'the email',
  text: 'the text',
  call: 'the call',
  note: 'the note',
  task: 'the task',
  post: 'the post',
  'tell-me': 'the message to the owner',
  change: 'the change',
  fork: 'the fork',
  split: 'the split',
  'hand-over': 'the going on',
  end: 'the end',
};

/** A step as a sentence names it. */
function called(step: Step) {
  if (step.kind === 'change') return `the change ${quoted(sayChange(step.set))}`;
  if (step.kind === 'hand-over') return `the going on with ${quoted(step.program)}`;
  if (step.kind === 'fork' || step.kind === 'split' || step.kind === 'end') return things[step.kind];
  return `${things[step.kind]} ${quoted(stepName(step))}`;
}

const capital = (words: string) => words[0]?.toUpperCase() + words.slice(1);

/** What is said of a key whose values are best not printed. */
const spoken: Record<string, string> = {
  body: 'has other words',
  script: 'has other words',
  passages: 'is split otherwise',
};

function ofStep(before: Step, now: Step, nameOf: (id: string) => string): string[] {
  const name = capital(called(now));
  const told: string[] = [];
  if (!same(before.when, now.when)) told.push(`${name} comes ${sayWhen(now.when, false)} instead of ${sayWhen(before.when, false)}.`);
  if (!same(before.onlyIf, now.onlyIf)) told.push(`${name} is for ${sayRuleOf(now.onlyIf)} instead of ${sayRuleOf(before.onlyIf)}.`);
  if (isMessage(before) && isMessage(now) && !same(before.to, now.to)) told.push(`${name}: ${sayTo(now.to)}`);
  if (before.kind === 'fork' && now.kind === 'fork') {
    if (!same(before.if, now.if))
      told.push(`${name} asks whether ${sayQuestion(now.if, nameOf)} instead of whether ${sayQuestion(before.if, nameOf)}.`);
    if (before.within !== now.within) told.push(`${name} waits ${now.within ? span(now.within) : 'for nothing'} for the answer.`);
    return told;
  }
  if (before.kind === 'email' && now.kind === 'email') {
    if (before.letter !== now.letter)
      told.push(
        now.letter === undefined ? `${name} has words of its own.` : `${capital(things.email)} follows the letter ${quoted(now.letter)}.`,
      );
    else if (before.subject !== now.subject)
      told.push(`The subject is ${quoted(now.subject ?? '')} instead of ${quoted(before.subject ?? '')}.`);
  }
  const seen = new Set(['id', 'kind', 'when', 'onlyIf', 'to', 'letter', 'subject', 'then', 'else']);
  const keys = [...new Set([...Object.keys(before), ...Object.keys(now)])].filter((k) => !seen.has(k));
  for (const key of keys) {
    const [was, is] = [(before as Record<string, unknown>)[key], (now as Record<string, unknown>)[key]];
    if (same(key === 'passages' ? shares(was) : was, key === 'passages' ? shares(is) : is)) continue;
    if (key === 'body' && (now as { letter?: string }).letter !== undefined) continue;
    told.push(`${name} ${key === 'attachments' ? carries(is) : (spoken[key] ?? 'is set otherwise')}.`);
  }
  return [...new Set(told)];
}

const carries = (files: unknown) =>
  Array.isArray(files) && files.length > 0 ? `carries ${files.map(quoted).join(', ')}` : 'carries no file any more';

const shares = (passages: unknown) => (Array.isArray(passages) ? passages.map((p: { share: number }) => p.share) : passages);
