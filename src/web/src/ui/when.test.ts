import { afterEach, describe, expect, test } from 'vitest';
import { speak } from '../words/locale';
import {
  clockFace,
  date,
  day,
  daysBetween,
  keyDate,
  longDay,
  moment,
  monthOf,
  nearDay,
  phone,
  sinceDay,
  smallClockFace,
  time,
} from './when';

const now = '2027-03-01T13:15:00Z';
const newYork = 'America/New_York';

describe('dates are said on the clock of their zone', () => {
  test('a day, a time, a moment', () => {
    expect(day('2027-03-09T14:30:00Z', newYork)).toBe('Tue 9 Mar');
    expect(time('2027-03-09T14:30:00Z', newYork)).toBe('9:30');
    expect(time('2027-03-09T05:05:00Z', newYork)).toBe('0:05');
    expect(moment('2027-03-09T14:30:00Z', 'America/Denver')).toBe('Tue 9 Mar, 7:30');
    expect(moment('2027-03-09T14:30:00Z', 'Australia/Sydney')).toBe('Wed 10 Mar, 1:30');
  });

  test('another year is named', () => {
    expect(day('2028-02-25T14:30:00Z', newYork, now)).toBe('25 Feb 2028');
    expect(day('2027-02-25T14:30:00Z', newYork, now)).toBe('Thu 25 Feb');
  });

  test('across the clock change the hour is the wall clock’s', () => {
    expect(time('2027-03-14T06:59:00Z', newYork)).toBe('1:59');
    expect(time('2027-03-14T07:00:00Z', newYork)).toBe('3:00');
  });

  test('heads', () => {
    expect(longDay(now, newYork)).toBe('Monday, 1 March');
    expect(clockFace(now, newYork)).toBe('Mon 1 March 2027, 8:15');
    expect(smallClockFace(now, newYork)).toBe('1 Mar, 8:15');
  });
});

describe('near days', () => {
  test.each([
    ['2027-03-01T23:00:00Z', 'today'],
    ['2027-03-02T04:59:00Z', 'today'],
    ['2027-03-02T05:00:00Z', 'tomorrow'],
    ['2027-03-01T04:59:00Z', 'yesterday'],
    ['2027-03-04T14:30:00Z', 'Thu 4 Mar'],
  ])('%s is %s', (at, expected) => expect(nearDay(at, newYork, now)).toBe(expected));

  test('days between dates, not between moments', () => {
    expect(daysBetween('2027-03-01T23:00:00Z', '2027-03-02T06:00:00Z', newYork)).toBe(1);
    expect(daysBetween('2027-03-14T04:00:00Z', '2027-03-15T04:00:00Z', newYork)).toBe(2);
    expect(daysBetween(now, '2027-02-22T15:00:00Z', newYork)).toBe(-7);
    expect(date('2027-03-02T04:59:00Z', newYork)).toBe('2027-03-01');
  });

  test('since a week day while it is clear which', () => {
    expect(sinceDay('2027-02-26T14:30:00Z', newYork, now)).toBe('Fri');
    expect(sinceDay('2027-02-22T14:30:00Z', newYork, now)).toBe('Mon 22 Feb');
  });
});

describe('words', () => {
  test.each([
    ['1975-06-14', '14 June 1975'],
    ['--06-14', '14 June'],
    ['--02-29', '29 February'],
    ['1904-02-29', '29 February 1904'],
  ])('the key date %s is %s', (text, expected) => expect(keyDate(text)).toBe(expected));

  test.each([
    ['+12075550117', null, '(207) 555-0117'],
    ['+12075550117', '9', '(207) 555-0117 ext. 9'],
    ['+3512155501', null, '+3512155501'],
  ])('the number %s', (number, extension, expected) => expect(phone(number, extension)).toBe(expected));
});

describe('in other tongues', () => {
  afterEach(() => speak('en-GB'));

  test('American English', () => {
    speak('en-US');
    expect(day('2027-03-09T14:30:00Z', newYork)).toBe('Tue, Mar 9');
    expect(day('2028-02-25T14:30:00Z', newYork, now)).toBe('Feb 25, 2028');
    expect(moment('2027-03-09T05:05:00Z', newYork)).toMatch(/^Tue, Mar 9, 12:05\sAM$/);
    expect(clockFace(now, newYork)).toMatch(/^Mon, March 1, 2027, 8:15\sAM$/);
  });

  test('German', () => {
    speak('de-DE');
    expect(moment('2027-03-09T14:30:00Z', newYork)).toBe('Di., 9. März, 9:30');
    expect(longDay(now, newYork)).toBe('Montag, 1. März');
    expect(keyDate('--06-14')).toBe('14. Juni');
    expect(monthOf('2027-02')).toBe('Feb. 2027');
    expect(phone('+12075550117')).toBe('+1 207 555-0117');
  });
});
