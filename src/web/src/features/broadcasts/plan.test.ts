import { expect, test } from 'vitest';
import { sayTo, sayWays, sayWhen } from './plan';

const to = { kind: 'segment', name: '', people: [], broadcast: null, did: 'got' };

test('the sentences of a broadcast read as they are meant', () => {
  expect(sayWays([{ kind: 'email' }, { kind: 'text' }, { kind: 'note' }])).toBe('email, else text, else a card');
  expect(sayTo(to, null)).toBe('nobody yet');
  expect(sayTo({ ...to, name: 'Clients in Maine' }, null)).toBe('the segment “Clients in Maine”');
  expect(sayTo({ ...to, kind: 'recipients', did: 'not-opened' }, 'Rates in March')).toBe('whoever did not open “Rates in March”');
  expect(sayTo({ ...to, kind: 'people', people: ['a'] }, null)).toBe('one person');
  expect(sayWhen({ kind: 'now', date: '', time: '' })).toBe('as soon as it is sent');
  expect(sayWhen({ kind: 'own', date: '2027-03-04', time: '09:30' })).toContain('at 09:30 of each one’s own day');
});
