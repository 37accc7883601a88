import { expect, test } from 'vitest';
import { language } from './language';

test.each([
  ['en', 'en-US', 'en-US'],
  ['de', 'de-AT', 'de-AT'],
  ['de', 'en-US', 'de'],
  ['en', 'fr', 'en'],
  ['', 'fr', 'fr'],
])('a page in %s, read in a browser that speaks %s, has dates as in %s', (page, browser, expected) => {
  expect(language(page, browser)).toBe(expected);
});
