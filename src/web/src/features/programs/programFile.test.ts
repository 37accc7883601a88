import { describe, expect, test } from 'vitest';
import {
  newId,
  type ProgramFile,
  readByOthers,
  type Step,
  sayStop,
  sayTo,
  sayTrigger,
  sayWhen,
  sayWindow,
  type When,
  type Window,
} from './programFile';

const program: ProgramFile = {
  format: 'germinal.program/1',
  name: 'P',
  purpose: 'commercial',
  priority: 50,
  clock: 'person',
  startsWhen: [],
  again: 'never',
  stopsWhen: [],
  keepTasks: false,
  steps: [],
};

describe('sentences', () => {
  test.each<[When, boolean, string]>([
    [{ from: 'start', offset: 'P0D' }, true, 'at once'],
    [{ from: 'start', offset: 'P7D' }, false, '7 days after the start'],
    [{ from: 'start', offset: 'P7D', at: '09:30' }, false, '7 days after the start at 9:30'],
    [{ from: 'start', offset: 'P0D', at: '16:00' }, true, 'the same day at 16'],
    [{ from: 'previous', offset: 'P3D' }, false, '3 days later'],
    [{ from: 'previous', offset: 'P3D' }, true, '3 days after the start'],
    [{ from: 'previous', offset: 'P0D' }, false, 'right after that'],
    [{ from: 'occasion', offset: 'P0D' }, true, 'on the day itself'],
    [{ from: 'occasion', offset: '-P1D' }, true, 'the day before'],
    [{ from: 'on', date: '2027-12-24' }, false, 'on 24 December 2027'],
    [{ from: 'yearly', date: '--12-24' }, false, 'each year on 24 December'],
    [{ from: 'key-date', date: 'renewal', offset: 'P1M' }, false, 'a month after their renewal'],
  ])('%j', (when, first, words) => expect(sayWhen(when, first)).toBe(words));

  test('what starts and what stops', () => {
    expect(sayTrigger({ kind: 'stage-entered', stage: 'Planning/Inquiry' })).toBe('reaches Inquiry');
    expect(sayTrigger({ kind: 'tag-added', tag: 'warm' })).toBe('is tagged “warm”');
    expect(sayTrigger({ kind: 'occasion', date: 'birthday', offset: 'P0D' })).toBe('has a birthday');
    expect(sayTrigger({ kind: 'occasion', date: 'renewal', offset: '-P7D' })).toBe('comes to “renewal”, 7 days before');
    expect(sayStop({ kind: 'replied' })).toBe('answer');
    expect(sayStop({ kind: 'replied', channel: 'text' })).toBe('answer by text');
    expect(sayStop({ kind: 'stage-entered', stage: 'Planning/Client' })).toBe('reach Client');
    expect(sayStop({ kind: 'tag-added', tag: 'Client' })).toBe('are tagged “Client”');
  });

  test('the window', () => {
    const window: Window = { days: ['mon', 'tue', 'wed', 'thu', 'fri'], from: '09:00', to: '17:30', holidays: 'skip', roll: 'forward' };
    expect(sayWindow({ ...program, window })).toBe('working days, 9 to 17:30, their time');
    expect(sayWindow({ ...program, window: { ...window, holidays: 'ignore' } })).toBe('Monday to Friday, 9 to 17:30, their time');
    expect(sayWindow({ ...program, clock: 'practice', window: { ...window, days: ['sat'] } })).toBe('Sat, 9 to 17:30, the practice’s time');
    expect(sayWindow({ ...program, at: '08:00' })).toBe('any day, at 8, their time');
  });
});

test('who reads a message', () => {
  const email: Step = { id: 'a', kind: 'email', when: { from: 'start' }, subject: 's', body: 'b' };
  expect(sayTo(undefined)).toBe('It goes to them.');
  expect(sayTo({ relation: 'solicitor' })).toBe('It goes to their solicitor.');
  expect(sayTo('owner')).toBe('It goes to whoever looks after them.');
  expect(readByOthers(email)).toBe(false);
  expect(readByOthers({ ...email, to: 'person' })).toBe(false);
  expect(readByOthers({ ...email, to: { relation: 'spouse' } })).toBe(true);
  expect(readByOthers({ id: 'c', kind: 'call', when: { from: 'start' }, script: 's', slack: 'P2D', holds: false })).toBe(false);
});

test('a new step gets an id no other has', () => {
  const steps = [{ id: 'email-2' }, { id: 'call-1' }] as Step[];
  expect(newId(steps, 'email')).toBe('email-3');
  expect(newId([{ id: 'email-2' }] as Step[], 'email')).toBe('email-3');
});
