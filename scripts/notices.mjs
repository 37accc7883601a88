// Writes THIRD-PARTY-NOTICES.md: every package that ships with Germinal, its version and its licence. With --check it only
// compares. What is read: the restored .NET packages of the programs that ship, and package-lock.json of the front end.
import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import { homedir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';

const root = fileURLToPath(new URL('..', import.meta.url));
const file = join(root, 'THIRD-PARTY-NOTICES.md');

// Packages whose licence stands in a file of their own, read by hand once; a new one stops the script until it is added here.
const READ_BY_HAND = {
  'Otp.NET': 'MIT',
  SmtpServer: 'MIT',
};

function dotnet() {
  const folder = process.env.NUGET_PACKAGES ?? join(homedir(), '.nuget', 'packages');
  const found = new Map();
  for (const project of ['Germinal.Demo', 'Germinal.StandIns', 'Germinal.Cli']) {
    const assets = JSON.parse(readFileSync(join(root, 'src', project, 'obj', 'project.assets.json'), 'utf8'));
    for (const [key, entry] of Object.entries(Object.values(assets.targets)[0])) {
      const [name, version] = key.split('/');
      const ships = Object.keys(entry.runtime ?? {}).some((f) => !f.endsWith('_._')) || Object.keys(entry.runtimeTargets ?? {}).length > 0;
      if (entry.type === 'package' && ships) found.set(name, version);
    }
  }
  return [...found].map(([name, version]) => {
    const spec = readFileSync(join(folder, name.toLowerCase(), version, `${name.toLowerCase()}.nuspec`), 'utf8');
    const licence = spec.match(/<license type="expression"[^>]*>([^<]+)</)?.[1] ?? READ_BY_HAND[name];
    if (!licence) throw new Error(`${name} ${version} says its licence in words of its own; read them and add it to scripts/notices.mjs.`);
    return { name, version, licence };
  });
}

function npm() {
  const lock = JSON.parse(readFileSync(join(root, 'src', 'web', 'package-lock.json'), 'utf8'));
  return Object.entries(lock.packages)
    .filter(([path, entry]) => path && !entry.dev && !entry.optional && !entry.devOptional)
    .map(([path, entry]) => ({ name: path.replace(/^.*node_modules\//, ''), version: entry.version, licence: entry.license ?? '?' }));
}

const byName = (a, b) => a.name.toLowerCase().localeCompare(b.name.toLowerCase(), 'en') || a.version.localeCompare(b.version, 'en');
const table = (rows) => rows.sort(byName).map((r) => `| ${r.name} | ${r.version} | ${r.licence} |`).join('\n');
const text = `# What ships with Germinal and is not ours

Written by \`scripts/notices.mjs\`; \`./test form\` compares. Each package is under its own licence, named here by its SPDX
expression; the licences' texts come with the packages.

## The application and its command line (.NET)

| package | version | licence |
|---|---|---|
${table(dotnet())}

The face that notes are printed in, Literata (\`src/Germinal.Channels/Post/Fonts\`), is under OFL-1.1. The marks of common passwords (\`src/Germinal.Service/Members/common-passwords.bin\`) are made of the list in @zxcvbn-ts/language-common 4.1.3 (MIT). The programs also need the .NET runtime and ASP.NET Core (MIT) and PostgreSQL (PostgreSQL licence), which are installed beside them.

## The pages (JavaScript, styles, fonts)

| package | version | licence |
|---|---|---|
${table(npm())}
`;
const unknown = text.match(/^\|.*\| \? \|$/gm);
if (unknown) throw new Error(`No licence is known of: ${unknown.join(' ')}`);
if (process.argv.includes('--check')) {
  if (!existsSync(file) || readFileSync(file, 'utf8') !== text) throw new Error('THIRD-PARTY-NOTICES.md is not what ships; run node scripts/notices.mjs.');
} else {
  writeFileSync(file, text);
}
