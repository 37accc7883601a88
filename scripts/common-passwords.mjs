// Writes src/Germinal.Service/Members/common-passwords.bin: of each of the commonest passwords of eight letters or more the first six bytes
// of its SHA-256, sorted. They come from the npm package @zxcvbn-ts/language-common (MIT), which is not otherwise used:
//   cd "$(mktemp -d)" && npm pack @zxcvbn-ts/language-common@4.1.3 && tar xzf *.tgz && node …/scripts/common-passwords.mjs package/src/passwords.json
import { createHash } from 'node:crypto';
import { readFileSync, writeFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';

const listed = JSON.parse(readFileSync(process.argv[2], 'utf8'));
const marks = listed
  .map((p) => p.toLowerCase().normalize('NFC'))
  .filter((p) => [...p].length >= 8)
  .map((p) => createHash('sha256').update(p, 'utf8').digest().subarray(0, 6));
const sorted = [...new Map(marks.map((m) => [m.toString('hex'), m])).entries()].sort(([a], [b]) => (a < b ? -1 : 1)).map(([, m]) => m);
writeFileSync(fileURLToPath(new URL('../src/Germinal.Service/Members/common-passwords.bin', import.meta.url)), Buffer.concat(sorted));
console.log(`${sorted.length} passwords`);
