import { describe, expect, it } from 'vitest';
import { whoAsks } from './whoAsks';

describe('who asks, out of one line', () => {
  it.each([
    ['Mara Lind 207 555 0101', 'Mara Lind', '', '207 555 0101'],
    ['Mara Lind, mara@example.com', 'Mara Lind', 'mara@example.com', ''],
    ['mara@example.com', '', 'mara@example.com', ''],
    ['(207) 555-0101 Lind', 'Lind', '', '(207) 555-0101'],
    ['Mara <mara@example.com>; +1 207 555 0101', 'Mara', 'mara@example.com', '+1 207 555 0101'],
    ['Mara 2nd', 'Mara 2nd', '', ''],
    ['', '', '', ''],
  ])('%s', (line, name, email, mobile) => {
    expect(whoAsks(line)).toEqual({ name, email, mobile });
  });
});
