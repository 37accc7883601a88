// What the interface says: every message of the pages, of the server, and what the catalogues have of them.
//
//   node scripts/words.mjs           what is wanting, what nobody says any more, what does not fit; fails where there is any
//   node scripts/words.mjs --list    all messages, as JSON
//   node scripts/words.mjs --write   takes out of the catalogues what nobody says any more, puts them in order
import { readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { parse, TYPE } from '@formatjs/icu-messageformat-parser';
import ts from 'typescript';

const web = fileURLToPath(new URL('..', import.meta.url));
const catalogues = fileURLToPath(new URL('../../words/', import.meta.url));

/** Files below a folder that end in one of these. */
export function filesBelow(folder, endings) {
  return readdirSync(folder, { withFileTypes: true }).flatMap((f) => {
    const path = join(folder, f.name);
    if (f.isDirectory()) return ['node_modules', 'obj', 'bin', 'Migrations', 'Germinal.StandIns', 'Germinal.Demo', 'Germinal.Cli'].includes(f.name) ? [] : filesBelow(path, endings);
    return endings.some((e) => f.name.endsWith(e)) && !/\.test\.|\.d\.ts$/.test(f.name) ? [path] : [];
  });
}

/** The messages of the pages: what is given to `phrase`, and what stands in a `Sentence`. */
export function messagesOfPages() {
  const said = new Map();
  for (const path of filesBelow(join(web, 'src'), ['.ts', '.tsx'])) {
    const file = ts.createSourceFile(path, readFileSync(path, 'utf8'), ts.ScriptTarget.Latest, true, ts.ScriptKind.TSX);
    const take = (node, values) => {
      if (!node || !ts.isStringLiteralLike(node)) throw new Error(`${path}: a message is written out where it is said: ${node?.getText()}`);
      const names = values && ts.isObjectLiteralExpression(values) ? values.properties.map((p) => p.name?.getText()) : [];
      const before = said.get(node.text);
      if (before) before.places.push(path.slice(web.length));
      else said.set(node.text, { places: [path.slice(web.length)], names });
    };
    (function look(node) {
      if (ts.isCallExpression(node) && node.expression.getText() === 'phrase') take(node.arguments[0], node.arguments[1]);
      if (ts.isJsxSelfClosingElement(node) && node.tagName.getText() === 'Sentence') {
        const attribute = (name) => node.attributes.properties.find((a) => a.name?.getText() === name)?.initializer;
        const inside = (value) => (value && ts.isJsxExpression(value) ? value.expression : value);
        take(inside(attribute('m')), inside(attribute('v')));
      }
      ts.forEachChild(node, look);
    })(file);
  }
  return said;
}

/** A string of C# that begins here, regular or interpolated, as its value and what follows it; null where none begins. */
export function stringAt(code, at) {
  const head = /^\s*(\$?)"/.exec(code.slice(at, at + 400));
  if (!head) return null;
  let i = at + head[0].length;
  let text = '';
  for (;;) {
    const c = code[i];
    if (c === undefined) throw new Error(`A string has no end: ${code.slice(at, at + 80)}`);
    if (c === '"') return { text, end: i + 1 };
    if (c === '\\') {
      const escape = { n: '\n', t: '\t', '"': '"', '\\': '\\', r: '\r', 0: '\0' }[code[i + 1]];
      text += code[i + 1] === 'u' ? String.fromCharCode(Number.parseInt(code.slice(i + 2, i + 6), 16)) : escape;
      i += code[i + 1] === 'u' ? 6 : 2;
    } else if (head[1] && /[{}]/.test(c) && code[i + 1] === c) {
      text += c + c;
      i += 2;
    } else if (head[1] && c === '{') {
      // A hole: the strings in it end where they end.
      let depth = 0;
      const from = i;
      for (;;) {
        if (code[i] === '"' || (code[i] === '$' && code[i + 1] === '"')) {
          i = stringAt(code, i).end;
          continue;
        }
        if (code[i] === "'" && code[i + 2] === "'") i += 2;
        else if (/[({[]/.test(code[i])) depth++;
        else if (/[)}\]]/.test(code[i]) && --depth === 0) break;
        i++;
      }
      text += `\u0001${code.slice(from + 1, i)}\u0002`;
      i++;
    } else {
      text += c;
      i++;
    }
  }
}

/** What follows the value in a hole: `one|# many` of `{n:one|# many}`, `N0` of `{n:N0}`; nothing where it is but a value. */
function formOf(hole) {
  let depth = 0;
  for (let i = 0; i < hole.length; i++) {
    if (hole[i] === '"' || (hole[i] === '$' && hole[i + 1] === '"')) {
      i = stringAt(hole, i).end - 1;
      continue;
    }
    if (/[({[]/.test(hole[i])) depth++;
    else if (/[)}\]]/.test(hole[i])) depth--;
    else if (hole[i] === ':' && depth === 0) return hole.slice(i + 1);
  }
  return '';
}

/** An interpolated string as its message: its holes counted, as the server's `Saying` does it. */
export function messageOf(text) {
  let n = 0;
  return text
    .replace(/\{\{|\}\}/g, (twice) => `'${twice[0]}'`)
    .replace(/\u0001([^\u0002]*)\u0002/g, (_, hole) => {
      const [form, at] = [formOf(hole), n++];
      const [one, many] = form.split('|');
      if (many !== undefined) return `{${at}, plural, one {${one}} other {${many}}}`;
      return form === 'N0' ? `{${at}, number}` : `{${at}}`;
    });
}

/** The messages of the server: what is given to `Say`, `Said` and `ToSay`. */
export function messagesOfServer() {
  const said = new Map();
  for (const path of filesBelow(fileURLToPath(new URL('../..', import.meta.url)), ['.cs'])) {
    const code = readFileSync(path, 'utf8');
    for (const call of code.matchAll(/(?<![\w.])(?:Saying\.)?(Say|Said|ToSay)\(/g)) {
      const found = stringAt(code, call.index + call[0].length);
      if (!found) continue;
      const message = call[1] === 'Say' ? messageOf(found.text) : found.text;
      const known = said.get(message) ?? { places: [] };
      known.places.push(path);
      said.set(message, known);
    }
  }
  return said;
}

/** The names a message asks for, and the tags it has: `<b>` as `<b>`. Throws where it is no message. */
export function namesIn(message) {
  const names = new Set();
  const look = (parts) => {
    for (const part of parts) {
      if (part.type === TYPE.tag) {
        names.add(`<${part.value}>`);
        look(part.children);
      } else if (part.type !== TYPE.literal && part.type !== TYPE.pound) {
        names.add(part.value);
        for (const option of Object.values(part.options ?? {})) look(option.value);
      }
    }
  };
  // `{}` is the place of a name in a line of the journal.
  look(parse(/, (select|plural),/.test(message) ? message : message.replaceAll('{}', '…')));
  return names;
}

/** What is wrong with a catalogue, in words: for messages that are said, and for those nobody says. */
export function troubleWith(said, catalogue, { whole }) {
  const trouble = [];
  for (const message of said) {
    if (whole && catalogue[message] === undefined) trouble.push(`has no words for: ${message}`);
  }
  for (const [message, words] of Object.entries(catalogue)) {
    if (!said.has(message)) {
      trouble.push(`has words for what nobody says: ${message}`);
      continue;
    }
    try {
      const known = namesIn(message);
      for (const name of namesIn(words)) if (!known.has(name)) trouble.push(`asks for {${name}}, which is not given: ${message}`);
      for (const name of known) if (name.startsWith('<') && !namesIn(words).has(name)) trouble.push(`lost ${name}: ${message}`);
    } catch (e) {
      trouble.push(`cannot be read (${e.message}): ${message} → ${words}`);
    }
  }
  return trouble;
}

if (process.argv[1] === fileURLToPath(import.meta.url)) {
  const said = new Set([...messagesOfPages().keys(), ...messagesOfServer().keys()]);
  const troubled = [];
  if (process.argv.includes('--list')) {
    console.log(JSON.stringify([...said], null, 1));
  } else {
    for (const [name, whole] of [
      ['de', true],
      ['en-US', false],
    ]) {
      const path = `${catalogues}${name}.json`;
      const catalogue = JSON.parse(readFileSync(path, 'utf8'));
      if (process.argv.includes('--write')) {
        const kept = Object.entries(catalogue).filter(([message]) => said.has(message));
        writeFileSync(path, `${JSON.stringify(Object.fromEntries(kept.sort(([a], [b]) => (a < b ? -1 : 1))), null, 1)}\n`);
      }
      for (const line of troubleWith(said, JSON.parse(readFileSync(path, 'utf8')), { whole })) troubled.push(`${name} ${line}`);
    }
    console.log(troubled.join('\n') || `${said.size} messages, each in each tongue.`);
    process.exitCode = troubled.length > 0 ? 1 : 0;
  }
}
