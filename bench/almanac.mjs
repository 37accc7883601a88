// The almanac: everybody's year rehearsed at first, and kept warm. Prints the milliseconds of the answers.
//   node bench/almanac.mjs [people=10000]        (needs ./run to have built once; starts a stack of its own)
import { execFileSync } from 'node:child_process';
import fs from 'node:fs';
import path from 'node:path';
import { apiClient, startStack, until } from '../tests/browser/stack.mjs';

const people = Number(process.argv[2] ?? 10_000);
process.env.GERMINAL_PORT ??= '26080';
const stack = await startStack({ name: 'bench-almanac' });
const sql = (text) =>
  execFileSync('psql', ['-h', '127.0.0.1', '-p', String(stack.port + 1), '-U', 'germinal', '-d', 'germinal', '-qAt', '-v', 'ON_ERROR_STOP=1', '-c', text], {
    env: { ...process.env, PGPASSWORD: fs.readFileSync(path.join(stack.home, 'pg-password'), 'utf8') },
  })
    .toString()
    .trim();

try {
  const ada = await apiClient(stack.url, 'ada@example.com', stack.password);
  const time = async (what, times, before) => {
    const took = [];
    for (let i = 0; i < times; i++) {
      before?.();
      const began = performance.now();
      await ada.get('/api/almanac?days=31');
      took.push(performance.now() - began);
    }
    took.sort((a, b) => a - b);
    const { people: some, weeks } = await ada.get('/api/almanac');
    console.log(`${what}: median ${took[Math.floor(took.length / 2)].toFixed(0)} ms, worst ${took.at(-1).toFixed(0)} ms (${some} people, ${weeks.reduce((n, w) => n + w.messages + w.calls + w.others, 0)} touches of a year)`);
  };
  // A new edition of the practice is what a changed program makes: everybody is read and rehearsed again.
  const anew = () => sql("UPDATE practices SET edition = edition + 1 WHERE name = 'Alder Quay Planning'");
  const somebody = () => sql("UPDATE person_states SET next_due = next_due WHERE person_id = (SELECT person_id FROM person_states WHERE next_due < 'infinity' LIMIT 1)");
  await time('the demo practice, first look', 1);
  await time('the demo practice, everything anew', 8, anew);
  await time('the demo practice, nothing changed', 20);
  await time('the demo practice, one person changed', 20, somebody);

  const practice = sql("SELECT id FROM practices WHERE name = 'Alder Quay Planning'");
  sql(`INSERT INTO people (id, practice_id, first_name, last_name, sort_name, search_text, email, owner_id, tags, added_at, do_not_contact, do_not_contact_to_confirm, died, archived, edition)
    SELECT gen_random_uuid(), '${practice}', 'F' || n, 'Bench', 'bench f' || n, 'f' || n || ' bench', 'bench' || n || '@example.com', (SELECT id FROM "AspNetUsers" WHERE practice_id = '${practice}' ORDER BY name LIMIT 1), '{Bench}', (SELECT now FROM clock), false, false, false, false, 1
    FROM generate_series(1, ${people}) n;
    INSERT INTO consent (practice_id, person_id, channel, purpose, is_in, basis, at, source) SELECT practice_id, id, 'email', 'commercial', true, 'express', added_at, 'bench' FROM people WHERE last_name = 'Bench';
    INSERT INTO key_dates (practice_id, person_id, name, month, day, yearly) SELECT practice_id, id, 'birthday', 1 + (random() * 11)::int, 1 + (random() * 27)::int, true FROM people WHERE last_name = 'Bench';
    ANALYZE people, person_states, consent, key_dates;`);
  const program = (await ada.get('/api/programs')).find((p) => p.name === 'Year-round').id;
  await ada.post('/api/people/start', { ids: null, matching: { search: null, tag: 'Bench', stage: null, owner: null, list: null }, program });
  await until('they have begun', async () => sql("SELECT count(*) FROM person_states s JOIN people p ON p.id = s.person_id WHERE p.last_name = 'Bench' AND s.next_due < 'infinity'") === String(people), 600);
  await time(`${people} more, first look`, 1);
  await time(`${people} more, everything anew`, 4, anew);
  await time(`${people} more, nothing changed`, 20);
  await time(`${people} more, one person changed`, 10, somebody);
} finally {
  await stack.stop();
}
