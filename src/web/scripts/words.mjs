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
    if (f.isDirectory()) return ['node_modules', 'obj', 'bin', 'Migrations'].includes(f.name) ? [] : filesBelow(path, endings);
    return endings.some((e) => f.name.endsWith(e)) && !/\.test\.|\.d\.ts$|^(phrase|Sentence)\.tsx?$/.test(f.name) ? [path] : [];
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

const all = messagesOfPages();
if (process.argv.includes('--list')) console.log(JSON.stringify([...all.keys()], null, 1));
