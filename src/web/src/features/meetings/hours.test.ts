import { expect, test } from 'vitest';
import { next } from './MeetingWords';

test('more hours of a day are never those it has', () => {
  let spans = [next('mon', [])];
  for (let i = 0; i < 3; i++) spans = [...spans, next('mon', spans)];
  expect(spans.map((s) => `${s.from}-${s.to}`)).toEqual(['09:00-12:00', '14:00-17:00', '18:00-19:00', '20:00-21:00']);
});
