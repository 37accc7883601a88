import fs from 'node:fs';
import { QueryClient } from '@tanstack/react-query';
import { afterEach, beforeEach, describe, expect, test, vi } from 'vitest';
import { shownBy, teller } from './changes';

beforeEach(() => {
  vi.useFakeTimers();
});
afterEach(() => {
  vi.useRealTimers();
});

function page(...keys: string[][]) {
  const queries = new QueryClient();
  for (const key of keys) queries.setQueryData(key, 'as it was');
  const stale = () => keys.filter((key) => queries.getQueryState(key)?.isInvalidated).map((key) => key.join('/'));
  return { tell: teller(queries), stale, queries };
}

describe('what a change means for the page', () => {
  test('only queries that show something of the table are asked again, once a breath', () => {
    const { tell, stale, queries } = page(['today'], ['people', 'sorted'], ['practice'], ['person', '1']);
    const asked = vi.spyOn(queries, 'invalidateQueries');
    tell([]);
    vi.runAllTimers();
    expect(stale()).toEqual([]);
    for (let i = 0; i < 100; i++) tell(['notices', 'tags']);
    vi.runAllTimers();
    expect(stale()).toEqual(['today', 'people/sorted', 'person/1']);
    expect(asked).toHaveBeenCalledTimes(1);
  });

  test('after a break, or for a table it does not know, everything is asked again', () => {
    const { tell, stale } = page(['today'], ['practice']);
    tell(['everything']);
    vi.runAllTimers();
    expect(stale()).toEqual(['today', 'practice']);
  });

  test('the tables are those the database tells of', () => {
    const folder = '../Germinal.Store/Migrations';
    const told = fs
      .readdirSync(folder)
      .filter((f) => f.endsWith('.cs'))
      .flatMap((f) => [...(fs.readFileSync(`${folder}/${f}`, 'utf8').match(/Told =\s*\[([^\]]*)\]/)?.[1] ?? '').matchAll(/"(\w+)"/g)])
      .map((m) => m[1] as string);
    expect([...told, 'clock'].sort()).toEqual(Object.keys(shownBy).sort());
  });
});
