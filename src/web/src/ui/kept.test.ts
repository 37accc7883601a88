// @vitest-environment jsdom
import { act, cleanup, renderHook } from '@testing-library/react';
import { afterEach, expect, it } from 'vitest';
import { forgetAll, keep, keptUnder, useKept, useKeptEdit } from './kept';

afterEach(() => {
  cleanup();
  localStorage.clear();
});

it('outlives the page, until it is done', () => {
  const first = renderHook(() => useKept('remark', ''));
  act(() => first.result.current[1]('called about the house'));
  first.unmount();
  const again = renderHook(() => useKept('remark', ''));
  expect(again.result.current[0]).toBe('called about the house');
  act(() => again.result.current[2]());
  expect(again.result.current[0]).toBe('');
  expect(keptUnder('remark')).toBeUndefined();
});

it('forgets everything of its own and nothing else', () => {
  keep('a', { x: 1 });
  localStorage.setItem('theirs', '1');
  forgetAll();
  expect(keptUnder('a')).toBeUndefined();
  expect(localStorage.getItem('theirs')).toBe('1');
});

it('takes what cannot be read for nothing', () => {
  localStorage.setItem('germinal.kept.b', '{');
  expect(keptUnder('b')).toBeUndefined();
});

it('keeps of an edit only what differs, so that what others change meanwhile stays theirs', () => {
  const first = renderHook(() => useKeptEdit('person', { name: 'Ida', source: 'fair', password: 'x' }, ['password']));
  expect(first.result.current.found).toBe(false);
  act(() => first.result.current.set({ name: 'Ida R.', source: 'fair' }));
  act(() => first.result.current.set({ password: 'secret' }));
  expect(first.result.current.value).toEqual({ name: 'Ida R.', source: 'fair', password: 'secret' });
  first.unmount();
  expect(JSON.stringify({ ...localStorage })).not.toContain('secret');

  const again = renderHook(() => useKeptEdit('person', { name: 'Ida', source: 'a friend', password: 'x' }, ['password']));
  expect(again.result.current.found).toBe(true);
  expect(again.result.current.value).toEqual({ name: 'Ida R.', source: 'a friend', password: 'x' });
  act(() => again.result.current.set({ name: 'Ida' }));
  expect(keptUnder('person')).toBeUndefined();
  act(() => again.result.current.set({ name: 'Bo' }));
  act(() => again.result.current.done());
  expect([again.result.current.found, again.result.current.value.name, keptUnder('person')]).toEqual([false, 'Ida', undefined]);
});

it('two changes in one breath both stand', () => {
  const kept = renderHook(() => useKept<Record<string, string>>('words', {}));
  act(() => {
    kept.result.current[1]((before) => ({ ...before, a: '1' }));
    kept.result.current[1]((before) => ({ ...before, b: '2' }));
  });
  expect(keptUnder('words')).toEqual({ a: '1', b: '2' });
});
