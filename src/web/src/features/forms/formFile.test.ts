import { describe, expect, it } from 'vitest';
import { type FormFile, moved, newId, newQuestion, without } from './formFile';

const form: FormFile = {
  format: 'germinal.form/1',
  name: 'Ask us',
  questions: [
    { id: 'about', ask: 'What about?', kind: 'choice', options: ['A', 'B'] },
    { id: 'much', ask: 'How much?', kind: 'number', shownIf: { question: 'about', answers: ['A'] } },
    { id: 'words', ask: 'Tell us', kind: 'long-text' },
  ],
  inquiryWhen: ['words', 'about'],
};
const ids = (f: FormFile) => f.questions.map((q) => q.id);

describe('a form being written', () => {
  it('makes ids of words, once in the form', () => {
    expect(newId('Your email address', [])).toBe('your-email-address');
    expect(newId('Où ? 3 × 4', [])).toBe('ou-3-4');
    expect(newId('123', [])).toBe('question');
    expect(newId('Name', ['name', 'name-2'])).toBe('name-3');
    expect(newId('x'.repeat(80), []).length).toBeLessThanOrEqual(30);
  });

  it('gives every id the shape that files ask for', () => {
    for (const kind of ['text', 'consent', 'hidden', 'file', 'yes-no'] as const)
      expect(newQuestion(kind, []).id).toMatch(/^[a-z][a-z0-9-]{0,39}$/);
  });

  it('takes a question out with what asked for it', () => {
    const left = without(form, 'about');
    expect(ids(left)).toEqual(['much', 'words']);
    expect(left.questions[0]?.shownIf).toBeUndefined();
    expect(left.inquiryWhen).toEqual(['words']);
  });

  it('moves one, but never before the one it waits for', () => {
    expect(ids(moved(form, 'words', -1))).toEqual(['about', 'words', 'much']);
    expect(moved(form, 'much', -1)).toBe(form);
    expect(moved(form, 'about', 1)).toBe(form);
    expect(moved(form, 'about', -1)).toBe(form);
    expect(moved(form, 'words', 1)).toBe(form);
  });
});
