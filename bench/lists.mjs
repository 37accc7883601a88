// Lists with 100,000 people: server times of the People list, search, Today and a person's page, and the plans behind them.
//   node bench/lists.mjs        (needs ./run to have built once; starts a stack of its own, prints a table)
import { execFileSync } from 'node:child_process';
import fs from 'node:fs';
import path from 'node:path';
import { apiClient, startStack, until } from '../tests/browser/stack.mjs';

process.env.GERMINAL_PORT ??= '26080';
const stack = await startStack({ name: 'bench' });
const port = Number(new URL(stack.url).port) + 1;
const sql = (text) =>
  execFileSync('psql', ['-h', '127.0.0.1', '-p', String(port), '-U', 'germinal', '-d', 'germinal', '-qAt', '-c', text], {
    env: { ...process.env, PGPASSWORD: fs.readFileSync(path.join(stack.home, 'pg-password'), 'utf8') },
    maxBuffer: 1e8,
  }).toString();
try {
  sql(`
    INSERT INTO people (id, practice_id, first_name, last_name, sort_name, search_text, email, mobile, stage, owner_id, tags, added_at, do_not_contact, do_not_contact_to_confirm, died, archived, edition)
    SELECT gen_random_uuid(), p.id, 'F' || n % 997, 'L' || n, 'l' || n || ' f' || n % 997, 'f' || n % 997 || ' l' || n || ' p' || n || '@example.com', 'p' || n || '@example.com', NULL,
      CASE WHEN n % 3 = 0 THEN 'Planning/Client' WHEN n % 7 = 0 THEN 'Planning/Inquiry' END, (SELECT id FROM "AspNetUsers" ORDER BY id OFFSET n % 3 LIMIT 1),
      CASE WHEN n % 5 = 0 THEN ARRAY['Client'] ELSE ARRAY[]::text[] END, now(), false, false, false, false, 1
    FROM generate_series(1, 100000) n, practices p;`);
  // The workers look at everybody once; measured is what comes after that.
  await until('everybody to be looked at', async () => sql("SELECT count(*) FROM person_states WHERE next_alarm = '-infinity'").trim() === '0', 900);
  sql(`
    UPDATE person_states s SET
      last_touch_at = CASE WHEN n % 2 = 0 THEN now() - n * interval '1 minute' ELSE '-infinity' END, next_touch_at = CASE WHEN n % 4 = 0 THEN now() + n * interval '1 minute' ELSE 'infinity' END
    FROM (SELECT id, substr(last_name, 2)::int AS n FROM people WHERE email LIKE 'p%@example.com' AND last_name ~ '^L[0-9]+$') p WHERE p.id = s.person_id;
    ANALYZE people, person_states;`);
  const ada = await apiClient(stack.url, 'ada@example.com', stack.password);
  const deep = async () => {
    let after;
    for (let i = 0; i < 40; i++) after = (await ada.get(`/api/people?most=200${after ? `&after=${after}` : ''}`)).next;
    return after;
  };
  const key = await deep();
  const someone = (await ada.get('/api/people?sort=-last&most=1')).rows[0].id;
  const cases = {
    'people, first page': '/api/people?most=60',
    'people, page at 8,000': `/api/people?most=60&after=${key}`,
    'people by next touch': '/api/people?sort=next&most=60',
    'people by stage, turned round': '/api/people?sort=-stage&most=60',
    'search “l4711”': '/api/people?search=l4711&most=60',
    'search “f99 l9”': '/api/people?search=f99%20l9&most=60',
    'search one letter': '/api/people?search=q&most=60',
    'people of a tag': '/api/people?tag=Client&most=60',
    'count': '/api/people/count',
    'Today': '/api/today',
    'a person': `/api/people/${someone}`,
    'their thread': `/api/people/${someone}/thread`,
  };
  console.log('| what | median ms | worst of 30 ms |\n|---|---:|---:|');
  for (const [name, where] of Object.entries(cases)) {
    await ada.get(where);
    const times = [];
    for (let i = 0; i < 30; i++) {
      const begin = performance.now();
      await ada.get(where);
      times.push(performance.now() - begin);
    }
    times.sort((a, b) => a - b);
    console.log(`| ${name} | ${times[15].toFixed(1)} | ${times[29].toFixed(1)} |`);
  }
  const practice = sql('SELECT id FROM practices LIMIT 1').trim();
  for (const [name, query] of Object.entries({
    'deep page': `SELECT * FROM people WHERE practice_id = '${practice}' AND NOT archived AND (sort_name, id) > ('l50000', '00000000-0000-0000-0000-000000000000') ORDER BY sort_name, id LIMIT 61`,
    'by next touch': `SELECT * FROM people p JOIN person_states s ON s.person_id = p.id WHERE p.practice_id = '${practice}' AND s.practice_id = '${practice}' AND NOT p.archived ORDER BY s.next_touch_at, p.id LIMIT 61`,
    search: `SELECT * FROM people WHERE practice_id = '${practice}' AND NOT archived AND search_text LIKE '%l4711%' ORDER BY sort_name, id LIMIT 61`,
    'going out': `SELECT * FROM touches WHERE practice_id = '${practice}' AND status = 'planned' AND kind = 'email' AND due < '2027-03-03' ORDER BY due, id LIMIT 240`,
  })) {
    console.log(`\n-- ${name}\n${sql(`EXPLAIN (ANALYZE, COSTS off, TIMING off, SUMMARY off) ${query}`)}`);
  }
} finally {
  await stack.stop();
}
