// @vitest-environment jsdom
import { afterEach, beforeEach, expect, test, vi } from 'vitest';
import { playedOf, tellSeen } from './film';

const ranges = (...pairs: [number, number][]) =>
  ({ length: pairs.length, start: (i: number) => pairs[i]?.[0] ?? 0, end: (i: number) => pairs[i]?.[1] ?? 0 }) as TimeRanges;

let told: string[];
beforeEach(() => {
  vi.useFakeTimers();
  told = [];
  Object.defineProperty(navigator, 'sendBeacon', { configurable: true, value: (_: string, body: string) => told.push(body) });
});
afterEach(() => vi.useRealTimers());

test('a second that has begun counts', () => {
  expect(playedOf(ranges([0.4, 3.2], [10, 11.01]))).toEqual([0, 4, 10, 12]);
  expect(playedOf(ranges())).toEqual([]);
});

test('what was seen is told while it plays and when it rests, the same once', () => {
  document.body.innerHTML = '<video data-tell="/film/x/seen" data-key="k1" data-by="who"></video>';
  const film = document.querySelector('video') as HTMLVideoElement;
  let played = ranges();
  Object.defineProperty(film, 'played', { get: () => played });
  tellSeen(film);
  film.dispatchEvent(new Event('pause'));
  expect(told).toEqual([]);
  film.dispatchEvent(new Event('play'));
  played = ranges([0, 9.5]);
  vi.advanceTimersByTime(10_000);
  film.dispatchEvent(new Event('pause'));
  film.dispatchEvent(new Event('ended'));
  expect(told).toEqual(['{"key":"k1","by":"who","seen":[0,10]}']);
  vi.advanceTimersByTime(60_000);
  expect(told).toHaveLength(1);
});

test('a film that tells nobody is left alone', () => {
  document.body.innerHTML = '<video></video>';
  tellSeen(document.querySelector('video') as HTMLVideoElement);
  expect(told).toEqual([]);
});
