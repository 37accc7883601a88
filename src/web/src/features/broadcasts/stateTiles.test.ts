import { expect, test } from 'vitest';
import { stateTiles } from './stateTiles';

test('every state has a tile of its own', () => {
  // The fifty states, the district, and Puerto Rico.
  expect(Object.keys(stateTiles)).toHaveLength(52);
  expect(new Set(Object.values(stateTiles).map(String)).size).toBe(52);
});

test('neighbours stand the right way round', () => {
  const east = (a: string, b: string) => (stateTiles[a]?.[0] ?? 0) > (stateTiles[b]?.[0] ?? 99);
  const south = (a: string, b: string) => (stateTiles[a]?.[1] ?? 0) > (stateTiles[b]?.[1] ?? 99);
  for (const [a, b] of [
    ['ME', 'WA'],
    ['NY', 'OH'],
    ['GA', 'AL'],
    ['CO', 'UT'],
    ['DE', 'VA'],
  ])
    expect(east(a ?? '', b ?? ''), `${a} is east of ${b}`).toBe(true);
  for (const [a, b] of [
    ['TX', 'OK'],
    ['FL', 'GA'],
    ['OR', 'WA'],
    ['AZ', 'UT'],
    ['SC', 'VA'],
  ])
    expect(south(a ?? '', b ?? ''), `${a} is south of ${b}`).toBe(true);
});
