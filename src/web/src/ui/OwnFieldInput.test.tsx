// @vitest-environment jsdom
import { cleanup, fireEvent, render, screen } from '@testing-library/react';
import { afterEach, expect, test } from 'vitest';
import { OwnFieldInput, sayOwn } from './OwnFieldInput';

afterEach(cleanup);

const show = (kind: string, value: string, options: string[] = []) => {
  const made: string[] = [];
  render(<OwnFieldInput id="f" field={{ name: 'Pets', kind, options }} value={value} set={(v) => made.push(v)} />);
  return made;
};

test('any of several: chosen and taken back, what the list has lost stays to be seen', () => {
  const made = show('choices', 'Cat;Parrot', ['Cat', 'Dog']);
  fireEvent.click(screen.getByLabelText('Dog'));
  fireEvent.click(screen.getByLabelText('Parrot'));
  expect(made).toEqual(['Cat;Parrot;Dog', 'Cat']);
});

test('yes or no, and not known', () => {
  const made = show('yes-no', 'yes');
  fireEvent.change(screen.getByRole('combobox'), { target: { value: '' } });
  expect(made).toEqual(['']);
});

test('a value is read as what it is', () => {
  expect(sayOwn('money', '450000')).toBe('450,000');
  expect(sayOwn('money', 'much')).toBe('much');
  expect(sayOwn('choices', 'Cat;Dog')).toBe('Cat, Dog');
  expect(sayOwn('text', 'a;b')).toBe('a;b');
});
