import { span } from '../../ui/span';
import { phrase, quoted } from '../../words/phrase';
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
const shortened = (words: string) => quoted(words.length > 60 ? `${words.slice(0, 57)}…` : words);

/** “A” became “B”, where both can be said in a few words. */
function became(what: string, before: string, now: string) {
  return before === now ? [] : [phrase('{what} {now} instead of {before}.', { what, now: shortened(now), before: shortened(before) })];
}

function sayRuleOf(rule: Rule | undefined) {
  return partsOf(rule).length === 0 ? phrase('everybody') : phrase('those who {sayRule}', { sayRule: sayRule(rule as Rule) });
}

function ofTheWhole(before: ProgramFile, now: ProgramFile): string[] {
  const starts = listChange(before.startsWhen.map(sayStart), now.startsWhen.map(sayStart));
  const stops = listChange(before.stopsWhen.map(sayStop), now.stopsWhen.map(sayStop));
  return [
    ...became(phrase('It is called'), before.name, now.name),
    ...became(phrase('It says of itself'), before.description ?? phrase('nothing'), now.description ?? phrase('nothing')),
    ...starts.added.map((s) => phrase('It now also starts when {s}.', { s })),
    ...starts.gone.map((s) => phrase('It no longer starts when {s}.', { s })),
    ...became(phrase('It is for'), sayRuleOf(before.onlyIf), sayRuleOf(now.onlyIf)),
    ...became(phrase('It writes on'), sayWindow(before), sayWindow(now)),
    ...became(phrase('The same person'), sayAgain(before), sayAgain(now)),
    ...stops.added.map((s) => phrase('It now also stops when they {s}.', { s })),
    ...stops.gone.map((s) => phrase('It no longer stops when they {s}.', { s })),
    ...became(phrase('Its messages are'), before.purpose, now.purpose),
    ...became(phrase('Its topic is'), before.topic ?? phrase('none'), now.topic ?? phrase('none')),
    ...became(
      phrase('Of consent it goes by'),
      before.policy ?? phrase('the practice’s own rules'),
      now.policy ?? phrase('the practice’s own rules'),
    ),
    ...became(phrase('It speaks as'), before.voice ?? phrase('the practice does'), now.voice ?? phrase('the practice does')),
    ...became(
      phrase('A message nobody has read'),
      before.unread === 'waits' ? phrase('waits') : phrase('goes'),
      now.unread === 'waits' ? phrase('waits') : phrase('goes'),
    ),
    ...(before.priority === now.priority
      ? []
      : [
          phrase('Its priority is {priority, number} instead of {priority2, number}.', {
            priority: now.priority,
            priority2: before.priority,
          }),
        ]),
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
    return step ? stepName(step) || things[step.kind] : phrase('a step that is gone');
  };
  const stays = [...here.keys()].filter((id) => then.has(id));
  const moved = movedAmong(
    stays,
    [...then.keys()].filter((id) => here.has(id)),
  );
  return [
    ...[...here.values()]
      .filter((s) => !then.has(s.id))
      .map((s) => phrase('New: {s}, {when}.', { s: called(s), when: sayWhen(s.when, now[0]?.id === s.id) })),
    ...[...then.values()].filter((s) => !here.has(s.id)).map((s) => phrase('Gone: {s}.', { s: called(s) })),
    ...stays.flatMap((id) => {
      const [was, is] = [then.get(id) as Step, here.get(id) as Step];
      const elsewhere =
        standsAt(before, id)?.place.owner !== standsAt(now, id)?.place.owner ||
        standsAt(before, id)?.place.passage !== standsAt(now, id)?.place.passage;
      return [
        ...(elsewhere
          ? [phrase('{is} stands in another passage.', { is: capital(called(is)) })]
          : moved.has(id)
            ? [phrase('{is} stands elsewhere.', { is: capital(called(is)) })]
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
  email: phrase('the email'),
  text: phrase('the text'),
  call: phrase('the call'),
  note: phrase('the note'),
  task: phrase('the task'),
  post: phrase('the post'),
  'tell-me': phrase('the message to the owner'),
  change: phrase('the change'),
  fork: phrase('the fork'),
  split: phrase('the split'),
  'hand-over': phrase('the going on'),
  end: phrase('the end'),
};

/** A step as a sentence names it. */
function called(step: Step) {
  if (step.kind === 'change') return phrase('the change {set}', { set: shortened(sayChange(step.set)) });
  if (step.kind === 'hand-over') return phrase('the going on with {program}', { program: shortened(step.program) });
  if (step.kind === 'fork' || step.kind === 'split' || step.kind === 'end') return things[step.kind];
  return `${things[step.kind]} ${shortened(stepName(step))}`;
}

const capital = (words: string) => words[0]?.toUpperCase() + words.slice(1);

/** What is said of a key whose values are best not printed. */
const spoken: Record<string, string> = {
  body: phrase('has other words'),
  script: phrase('has other words'),
  passages: phrase('is split otherwise'),
};

function ofStep(before: Step, now: Step, nameOf: (id: string) => string): string[] {
  const name = capital(called(now));
  const told: string[] = [];
  if (!same(before.when, now.when))
    told.push(
      phrase('{name} comes {when} instead of {when2}.', { name, when: sayWhen(now.when, false), when2: sayWhen(before.when, false) }),
    );
  if (!same(before.onlyIf, now.onlyIf))
    told.push(
      phrase('{name} is for {onlyIf} instead of {onlyIf2}.', { name, onlyIf: sayRuleOf(now.onlyIf), onlyIf2: sayRuleOf(before.onlyIf) }),
    );
  if (isMessage(before) && isMessage(now) && !same(before.to, now.to)) told.push(`${name}: ${sayTo(now.to)}`);
  if (before.kind === 'fork' && now.kind === 'fork') {
    if (!same(before.if, now.if))
      told.push(
        phrase('{name} asks whether {if} instead of whether {if2}.', {
          name,
          if: sayQuestion(now.if, nameOf),
          if2: sayQuestion(before.if, nameOf),
        }),
      );
    if (before.within !== now.within)
      told.push(phrase('{name} waits {within} for the answer.', { name, within: now.within ? span(now.within) : phrase('for nothing') }));
    return told;
  }
  if (before.kind === 'email' && now.kind === 'email') {
    if (before.letter !== now.letter)
      told.push(
        now.letter === undefined
          ? phrase('{name} has words of its own.', { name })
          : phrase('{email} follows the letter {letter}.', { email: capital(things.email), letter: shortened(now.letter) }),
      );
    else if (before.subject !== now.subject)
      told.push(
        phrase('The subject is {quoted} instead of {quoted2}.', {
          quoted: shortened(now.subject ?? ''),
          quoted2: shortened(before.subject ?? ''),
        }),
      );
  }
  const seen = new Set(['id', 'kind', 'when', 'onlyIf', 'to', 'letter', 'subject', 'then', 'else']);
  const keys = [...new Set([...Object.keys(before), ...Object.keys(now)])].filter((k) => !seen.has(k));
  for (const key of keys) {
    const [was, is] = [(before as Record<string, unknown>)[key], (now as Record<string, unknown>)[key]];
    if (same(key === 'passages' ? shares(was) : was, key === 'passages' ? shares(is) : is)) continue;
    if (key === 'body' && (now as { letter?: string }).letter !== undefined) continue;
    told.push(`${name} ${key === 'attachments' ? carries(is) : (spoken[key] ?? phrase('is set otherwise'))}.`);
  }
  return [...new Set(told)];
}

const carries = (files: unknown) =>
  Array.isArray(files) && files.length > 0
    ? phrase('carries {files}', { files: files.map(quoted).join(', ') })
    : phrase('carries no file any more');

const shares = (passages: unknown) => (Array.isArray(passages) ? passages.map((p: { share: number }) => p.share) : passages);
