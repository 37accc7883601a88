import type { FormInFile, QuestionInFile } from '../../api/form';
import { phrase } from '../../words/phrase';

/** The form file (`germinal.form/1`) as the page edits it, and its parts in words. */
export type FormFile = Known<FormInFile>;

/** A question of it. */
export type Question = Known<QuestionInFile>;

/** Keys that are not in the schema are kept, but the page's own code names only those that are. */
type Known<T> = { [K in keyof T as string extends K ? never : K]: T[K] };

export type Kind = NonNullable<Question['kind']>;

/** Each kind of question: what it is called, and what it is called in a sentence. */
export const kinds: Record<Kind, string> = {
  text: phrase('a line of words'),
  'long-text': phrase('several lines'),
  email: phrase('an email address'),
  phone: phrase('a telephone number'),
  choice: phrase('one of several'),
  choices: phrase('any of several'),
  date: phrase('a day'),
  'yes-no': phrase('yes or no'),
  number: phrase('a number'),
  address: phrase('a postal address'),
  file: phrase('a file'),
  consent: phrase('a yes to being written to'),
  hidden: phrase('a value nobody sees'),
};

/** Where an answer can go that everybody has. */
export const places: Record<string, string> = {
  'first-name': phrase('first name'),
  'last-name': phrase('last name'),
  email: phrase('email'),
  mobile: phrase('mobile number'),
  'other-phone': phrase('other number'),
  address: phrase('address'),
};

/** What is known already, in the three ways. */
export const ways: Record<NonNullable<FormFile['known']>, string> = {
  fill: phrase('only what was not known is put in'),
  'take-over': phrase('the newer value counts, and the older stays in the thread'),
  ask: phrase('nothing is changed until somebody of us decides'),
};

/** When an inquiry is answered by itself. */
export const answering: Record<NonNullable<FormFile['answersItself']>, string> = {
  never: phrase('never'),
  'outside-hours': phrase('when nobody is in'),
  always: phrase('always'),
};

export const chooses = (kind: Kind | undefined) => kind === 'choice' || kind === 'choices';

/** An id that no question has yet, out of its words. */
export function newId(ask: string, taken: readonly string[]) {
  const base =
    ask
      .toLowerCase()
      .normalize('NFD')
      .replace(/[^a-z0-9]+/g, '-')
      .replace(/^[^a-z]+|-+$/g, '')
      .slice(0, 30)
      .replace(/-+$/, '') || 'question';
  for (let n = 1; ; n++) {
    const id = n === 1 ? base : `${base}-${n}`;
    if (!taken.includes(id)) return id;
  }
}

const first: Partial<Record<Kind, Partial<Question>>> = {
  text: { ask: phrase('A question') },
  'long-text': { ask: phrase('What would you like to know?') },
  email: { ask: phrase('Your email address'), into: 'email' },
  phone: { ask: phrase('Your telephone number'), into: 'mobile' },
  choice: { ask: phrase('Which one?'), options: [phrase('One'), phrase('Another')] },
  choices: { ask: phrase('Which of these?'), options: [phrase('One'), phrase('Another')] },
  date: { ask: phrase('On which day?') },
  'yes-no': { ask: phrase('Yes or no?') },
  number: { ask: phrase('How many?') },
  address: { ask: phrase('Your address'), into: 'address' },
  file: { ask: phrase('A file you would like to send') },
  consent: { ask: phrase('Yes, you may write to me by email. I can stop it at any time.'), consent: { channel: 'email' } },
  hidden: { ask: phrase('Where it stands'), value: phrase('our page') },
};

/** A new question of a kind. */
export function newQuestion(kind: Kind, taken: readonly string[]): Question {
  const begun = { ask: phrase('A question'), ...first[kind] };
  return { id: newId(begun.ask, taken), kind, ...begun } as Question;
}

/** A form without a question; what asked for it asks for nothing. */
export function without(form: FormFile, id: string): FormFile {
  return {
    ...form,
    questions: form.questions.filter((q) => q.id !== id).map((q) => (q.shownIf?.question === id ? { ...q, shownIf: undefined } : q)),
    inquiryWhen: form.inquiryWhen?.filter((q) => q !== id),
  };
}

/** A form with a question moved; it stays after the one it waits for, and before those that wait for it. */
export function moved(form: FormFile, id: string, by: -1 | 1): FormFile {
  const at = form.questions.findIndex((q) => q.id === id);
  const other = form.questions[at + by];
  const own = form.questions[at];
  if (!own || !other) return form;
  const [before, after] = by < 0 ? [own, other] : [other, own];
  if (before.shownIf?.question === after.id) return form;
  const questions = [...form.questions];
  questions[at] = other;
  questions[at + by] = own;
  return { ...form, questions };
}
