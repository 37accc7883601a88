// What messages say with values put in, by the formatter of the pages: the server has a reader of its own, and is held against this.
//
//   node scripts/message-values.mjs   writes tests/Germinal.Core.Tests/Words/messages.json anew
import { readFileSync, writeFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import { IntlMessageFormat } from 'intl-messageformat';
import { messagesOfServer, namesIn } from './words.mjs';

const at = (path) => fileURLToPath(new URL(path, import.meta.url));
export const file = at('../../../tests/Germinal.Core.Tests/Words/messages.json');

/** Forms of messages at their edges. */
const edges = [
  'no value at all',
  "an apostrophe’s, and one' alone, and two '' of them",
  "'{'quoted'}' and '{0}' as it stands",
  '{0}{1}{0}',
  '{0, number} of {1, number}',
  '{0, plural, one {one} other {# of them}}',
  '{0, plural, =0 {none} one {# call} other {# calls}}',
  '{0, plural, one {{1} waits} other {{1} and # more wait}}',
  '{0, select, true {yes} other {no}}',
  '{0, select, true {} other { — not {1}}}',
  '{0, plural, one {a {1, select, late {late } other {}}call} other {# {1, select, late {late } other {}}calls}}',
  "{0, plural, one {'#'1} other {'#'#}}",
];

/** Every sort of message of the server that counts or chooses, as German says it, and the edges. */
export function messages() {
  const german = JSON.parse(readFileSync(at('../../words/de.json'), 'utf8'));
  const counted = [...messagesOfServer().keys()].map((m) => german[m]).filter((m) => m && /plural|select|number|'\\{'/.test(m));
  return [...new Set([...edges, ...counted])].sort();
}

/** What each says in each tongue with each of some values. */
export function said() {
  return messages().flatMap((message) =>
    ['en-GB', 'de-DE'].flatMap((tongue) =>
      [0, 1, 2, 1234567].map((n) => {
        const values = Object.fromEntries([...namesIn(message)].map((name, i) => [name, valueOf(message, name, n, i)]));
        return { tongue, message, values, said: new IntlMessageFormat(message, tongue, undefined, { ignoreTag: true }).format(values) };
      }),
    ),
  );
}

const valueOf = (message, name, n, i) =>
  new RegExp(`\\{${name}, (plural|number)`).test(message)
    ? n
    : new RegExp(`\\{${name}, select`).test(message)
      ? (['true', 'late', 'false', 'true'][n % 4] ?? 'x')
      : ['Ada', '{0}', "it's <b>", ''][(n + i) % 4];

if (process.argv[1] === fileURLToPath(import.meta.url)) writeFileSync(file, `${JSON.stringify(said(), null, 1)}\n`);
