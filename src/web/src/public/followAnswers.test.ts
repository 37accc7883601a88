// @vitest-environment jsdom
import { beforeEach, describe, expect, it } from 'vitest';
import { followAnswers } from './followAnswers';

const page = `<form>
  <select name="about"><option value=""></option><option>A loan</option><option>A house</option></select>
  <div id="much" data-if="about" data-answers="a loan;both"><p class="only">Only if</p><input name="much" value="5"></div>
  <div id="why" data-if="much" data-answers=""><input name="why"></div>
</form>`;

describe('questions that follow answers', () => {
  let form: HTMLFormElement;
  const shown = (id: string) => !document.getElementById(id)?.hidden;
  const choose = (value: string) => {
    const select = form.elements.namedItem('about') as HTMLSelectElement;
    select.value = value;
    select.dispatchEvent(new Event('input', { bubbles: true }));
  };
  beforeEach(() => {
    document.body.innerHTML = page;
    form = document.querySelector('form') as HTMLFormElement;
    followAnswers(form);
  });

  it('hides what is not asked, and does not send it', () => {
    expect(shown('much')).toBe(false);
    expect(new FormData(form).has('much')).toBe(false);
  });

  it('shows what an answer asks for, whatever its letters’ size, and what follows from that', () => {
    choose('A loan');
    expect(shown('much')).toBe(true);
    expect(shown('why')).toBe(true);
    expect(new FormData(form).get('much')).toBe('5');
  });

  it('takes it back, with all that followed', () => {
    choose('A loan');
    choose('A house');
    expect(shown('much')).toBe(false);
    expect(shown('why')).toBe(false);
  });

  it('leaves the notes for those without script to them', () => {
    expect(document.querySelector<HTMLElement>('.only')?.hidden).toBe(true);
  });
});
