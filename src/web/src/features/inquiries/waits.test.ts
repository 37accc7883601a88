import { describe, expect, it } from 'vitest';
import { waited } from './waits';

describe('how long somebody has waited', () => {
  it('says it in minutes, hours and days of the practice', () => {
    expect([0, 59, 60, 509, 510, 600, 1020, 5100].map((m) => waited(m, 510))).toEqual([
      'just now',
      '59 min',
      '1 h',
      '8 h',
      '1 day',
      '1 day 1 h',
      '2 days',
      '10 days',
    ]);
  });

  it('never says more hours than a day has', () => {
    for (let m = 0; m < 4000; m += 7) {
      const hours = /(\d+) h$/.exec(waited(m, 450))?.[1];
      expect(Number(hours ?? 0)).toBeLessThan(7.5);
    }
  });
});
