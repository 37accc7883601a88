// Two years of the demo in one go: the clock is moved on by two years, stopped on the way, everything started again, and moved
// on to the end. Then every message that went is held against its program's window by the browser world's own calendar (Intl),
// not by the library the engine reckons with.
//   node bench/clock.mjs [years]        (needs ./run to have built once; starts a stack of its own, prints what it saw)
import { execFileSync } from 'node:child_process';
import fs from 'node:fs';
import path from 'node:path';
import { apiClient, startStack, until } from '../tests/browser/stack.mjs';

const years = Number(process.argv[2] ?? 2);
process.env.GERMINAL_PORT ??= '26580';
const stack = await startStack({ name: 'clock' });
const sql = (text) =>
  JSON.parse(
    execFileSync('psql', ['-h', '127.0.0.1', '-p', String(stack.port + 1), '-U', 'germinal', '-d', 'germinal', '-qAt', '-c', `SELECT coalesce(jsonb_agg(r), '[]') FROM (${text}) r`], {
      env: { ...process.env, PGPASSWORD: fs.readFileSync(path.join(stack.home, 'pg-password'), 'utf8') },
      maxBuffer: 1e9,
    }).toString(),
  );

/** Asks for a move and follows it; gives the seconds it took and how often the clock was seen further on than before. */
async function move(ada, to, isEnough) {
  const begin = Date.now();
  await ada.post('/api/clock/move', { to });
  let seen = 0;
  let last = '';
  let asked = false;
  await until(
    'the move to end',
    async () => {
      const clock = await ada.get('/api/clock');
      if (clock.now > last) seen++;
      last = clock.now;
      if (!asked && isEnough?.(clock.now)) {
        asked = true;
        await ada.post('/api/clock/stop');
      }
      return !clock.moveTo;
    },
    3600,
  );
  return { seconds: (Date.now() - begin) / 1000, seen, now: last };
}

/** Whether a moment lies outside a program's window or outside the hours in which the practice texts. */
function isOutside(row, practice) {
  const local = (zone) => {
    const parts = Object.fromEntries(
      new Intl.DateTimeFormat('en-US', { timeZone: zone, weekday: 'short', hour: '2-digit', minute: '2-digit', second: '2-digit', hourCycle: 'h23' }).formatToParts(new Date(row.at)).map((p) => [p.type, p.value]),
    );
    return { day: parts.weekday.toLowerCase(), time: `${parts.hour}:${parts.minute}:${parts.second}` };
  };
  // Texts go between the practice's hours on the person's own clock, whatever the program says.
  const theirs = local(row.zone ?? practice.zone).time;
  if (row.kind === 'text' && (theirs < practice.from || theirs >= practice.to)) return true;
  const window = row.program.window;
  if (!window || window.roll === 'keep') return false;
  const at = local(row.program.clock === 'practice' ? practice.zone : (row.zone ?? practice.zone));
  return !window.days.includes(at.day) || at.time < window.from || at.time >= window.to;
}

let failed = false;
try {
  let ada = await apiClient(stack.url, 'ada@example.com', stack.password);
  const { now } = await ada.get('/api/clock');
  const settings = await ada.get('/api/practice');
  const practice = { zone: settings.zone, from: settings.quietFrom, to: settings.quietTo };
  const day = (n) => new Date(Date.parse(now) + n * 86_400_000).toISOString().slice(0, 10);
  const end = day(Math.round(years * 365.25));
  const first = await move(ada, end, (at) => at > day(Math.round((years * 365.25) / 3)));
  await stack.restart();
  ada = await apiClient(stack.url, 'ada@example.com', stack.password);
  const second = await move(ada, end);
  const sent = sql(`SELECT t.settled_at AS at, t.kind, v.definition::jsonb AS program, p.zone_id AS zone FROM touches t
    JOIN program_versions v ON v.program_id = t.program_id AND v.version = t.version JOIN people p ON p.id = t.person_id
    WHERE t.settled_at > '${now}' AND t.status = 'sent' AND t.kind IN ('email', 'text')`);
  const outside = sent.filter((row) => isOutside(row, practice));
  const [left] = sql(`SELECT count(*) AS n FROM touches WHERE status = 'handing' OR (status = 'planned' AND due <= '${end}')`);
  const [twice] = sql(`SELECT count(*) AS n FROM (SELECT run_id, step_id FROM touches WHERE status = 'sent' GROUP BY run_id, step_id HAVING count(*) > 1) d`);
  const [settled] = sql(`SELECT count(*) AS n FROM touches WHERE settled_at > '${now}'`);
  console.log(`from ${now} stopped at ${first.now} after ${first.seconds.toFixed(0)} s (seen moving ${first.seen} times), started again,`);
  console.log(`on to ${second.now} after ${second.seconds.toFixed(0)} s more (seen moving ${second.seen} times)`);
  console.log(`${settled.n} touches settled, ${sent.length} messages went, ${outside.length} of them outside a window or outside the hours for texts, ${twice.n} steps went twice, ${left.n} left undone`);
  if (outside.length > 0) console.log('the first of them:', JSON.stringify(outside[0]).slice(0, 600));
  failed = sent.length === 0 || outside.length > 0 || left.n > 0 || twice.n > 0;
} finally {
  await stack.stop();
}
process.exit(failed ? 1 : 0);
