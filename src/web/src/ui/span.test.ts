import { describe, expect, test } from 'vitest';
import { offsetDays, span } from './span';

describe('offsets', () => {
  test.each([
    ['P7D', 7],
    ['-P1D', -1],
    ['P2W', 14],
    ['P0D', 0],
    ['P1M', null],
    ['PT2H', null],
  ])('%s is %s days', (offset, days) => expect(offsetDays(offset)).toBe(days));

  test.each([
    ['P1D', 'a day'],
    ['P7D', '7 days'],
    ['P1M', 'a month'],
    ['P1Y6M', 'a year and 6 months'],
    ['PT2H', '2 hours'],
    ['P1DT1H', 'a day and an hour'],
  ])('%s is said “%s”', (offset, words) => expect(span(offset)).toBe(words));
});
