import { phrase } from '../../words/phrase';

/** So many of a kind of step or touch, in words. */
export const howMany: Record<string, (n: number) => string> = {
  email: (n) => phrase('{n, plural, one {one email} other {# emails}}', { n }),
  text: (n) => phrase('{n, plural, one {one text} other {# texts}}', { n }),
  call: (n) => phrase('{n, plural, one {one call} other {# calls}}', { n }),
  note: (n) => phrase('{n, plural, one {one note} other {# notes}}', { n }),
  task: (n) => phrase('{n, plural, one {one task} other {# tasks}}', { n }),
  post: (n) => phrase('{n, plural, one {one post} other {# posts}}', { n }),
  'tell-me': (n) => phrase('{n, plural, one {one word to the owner} other {# words to the owner}}', { n }),
  change: (n) => phrase('{n, plural, one {one change} other {# changes}}', { n }),
  fork: (n) => phrase('{n, plural, one {one fork} other {# forks}}', { n }),
  split: (n) => phrase('{n, plural, one {one split} other {# splits}}', { n }),
  'hand-over': (n) => phrase('{n, plural, one {one hand-over} other {# hand-overs}}', { n }),
  end: (n) => phrase('{n, plural, one {one end} other {# ends}}', { n }),
};
