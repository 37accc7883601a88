// @vitest-environment jsdom
import { act, cleanup, renderHook } from '@testing-library/react';
import { afterEach, expect, it } from 'vitest';
import { forgetAll, keep, keptUnder, useKept } from './kept';

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
