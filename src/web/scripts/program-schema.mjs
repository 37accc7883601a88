// Makes src/api/program.ts from the published schema of program files: zod schemas for the page's forms, and the types of what
// they hold. Unknown keys are let through, so that a form never drops what it does not know. Run by “npm run api”.
import fs from 'node:fs';
import { fileURLToPath } from 'node:url';

const from = fileURLToPath(new URL('../../Germinal.Core/Files/Schemas/program.schema.json', import.meta.url));
const to = fileURLToPath(new URL('../src/api/program.ts', import.meta.url));
const { $defs: defs, properties } = JSON.parse(fs.readFileSync(from, 'utf8'));

/** Parts that hold rules or steps stand as they are: no form takes them apart by their schema. */
const whole = new Set(['rule', 'step', 'leaf']);

function source(schema) {
  if (schema.$ref) {
    const name = schema.$ref.split('/').at(-1);
    return whole.has(name) ? 'z.unknown()' : name;
  }
  if ('const' in schema) return `z.literal(${JSON.stringify(schema.const)})`;
  if (schema.enum) return `z.enum(${JSON.stringify(schema.enum)})`;
  if (schema.oneOf) return `z.union([${schema.oneOf.map(source).join(', ')}])`;
  if (schema.allOf?.every((part) => part.if && part.then)) {
    // One branch for each kind; what else is said of a kind only forbids, and the checker says that better.
    const key = Object.keys(schema.allOf[0].if.properties)[0];
    const branches = schema.allOf.map((part) => part.then).filter((part) => part.properties?.[key]?.const);
    return `z.discriminatedUnion(${JSON.stringify(key)}, [\n  ${branches.map(source).join(',\n  ')},\n])`;
  }
  if (schema.allOf) return source({ ...schema.allOf[0], ...schema, allOf: undefined });
  switch (schema.type) {
    case 'string':
      return schema.pattern ? `z.string().regex(new RegExp(${JSON.stringify(schema.pattern)}))` : 'z.string()';
    case 'integer':
      return ['z.number().int()', 'minimum' in schema && `.min(${schema.minimum})`, 'maximum' in schema && `.max(${schema.maximum})`].filter(Boolean).join('');
    case 'boolean':
      return 'z.boolean()';
    case 'array':
      return `z.array(${source(schema.items)})`;
    case 'object': {
      const needed = new Set(schema.required ?? []);
      const fields = Object.entries(schema.properties ?? {}).map(([key, value]) => `${JSON.stringify(key)}: ${source(value)}${needed.has(key) ? '' : '.optional()'}`);
      return `z.looseObject({ ${fields.join(', ')} })`;
    }
    default:
      return 'z.unknown()';
  }
}

const named = ['text', 'duration', 'forwardDuration', 'days', 'dates', 'time', 'date', 'yearlyDate', 'weekDays', 'channel', 'purpose', 'window', 'trigger', 'stop', 'when', 'change'];
const lines = [
  '// Made by scripts/program-schema.mjs from the schema of program files; do not edit.',
  "import { z } from 'zod';",
  '',
  ...named.map((name) => `export const ${name} = ${source(defs[name])};`),
  `export const again = ${source(properties.again)};`,
  '',
  '// What a rule may name; fields of the practice’s own (custom:NAME, date:NAME) beside them.',
  `export const ruleFields = ${JSON.stringify(/^\^\((.*)\)\$$/.exec(defs.leaf.properties.field.pattern)[1].split('|').filter((f) => !f.includes(':')))} as const;`,
  `export const ruleOps = ${JSON.stringify(defs.leaf.properties.op.enum)} as const;`,
  '',
  ...['window', 'trigger', 'stop', 'when', 'change', 'again'].map((name) => `export type ${name[0].toUpperCase()}${name.slice(1)}InFile = z.infer<typeof ${name}>;`),
  '',
];
fs.writeFileSync(to, lines.join('\n'));

// The same of form files, in src/api/form.ts.
const formFrom = fileURLToPath(new URL('../../Germinal.Core/Files/Schemas/form.schema.json', import.meta.url));
const formTo = fileURLToPath(new URL('../src/api/form.ts', import.meta.url));
const { $defs: formDefs, ...form } = JSON.parse(fs.readFileSync(formFrom, 'utf8'));
fs.writeFileSync(
  formTo,
  [
    '// Made by scripts/program-schema.mjs from the schema of form files; do not edit.',
    "import { z } from 'zod';",
    '',
    ...Object.entries(formDefs).map(([name, schema]) => `export const ${name} = ${source(schema)};`),
    `export const form = ${source(form)};`,
    '',
    'export type QuestionInFile = z.infer<typeof question>;',
    'export type FormInFile = z.infer<typeof form>;',
    '',
  ].join('\n'),
);
