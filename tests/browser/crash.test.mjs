// 1,200 messages due at once over email and text, three workers, one of them killed every second for forty of them, providers
// that answer one call in five with a temporary failure: every touch settled, none lost, none sent twice.
import assert from 'node:assert/strict';
import { execFileSync } from 'node:child_process';
import fs from 'node:fs';
import path from 'node:path';
import { after, before, test } from 'node:test';
import { apiClient, root, startStack, until } from './stack.mjs';

const PEOPLE = 600;
const AREAS = [207, 212, 303, 312, 404, 415, 503, 512, 602, 617, 702];
const numberOf = (i) => `+1 ${AREAS[Math.floor(i / 99)]} 555 ${String(100 + (i % 99)).padStart(4, '0')}`;
let stack;
let letters;

before(async () => {
  // Each message takes the server a while, so that workers are caught in the act.
  stack = await startStack({ name: 'crash', offset: 10, args: ['--no-people', '--workers', '3'], env: { GERMINAL_MAIL_DELAY_MS: '25', GERMINAL_FAIL_PERCENT: '20' } });
});
after(() => stack?.stop());

/** A program whose first step goes at once, switched on. */
async function program(ada, name, step) {
  const { id } = await ada.post('/api/programs', { name });
  const { draft } = await ada.get(`/api/programs/${id}`);
  delete draft.window;
  draft.purpose = 'transactional';
  draft.steps = [step];
  await ada.put(`/api/programs/${id}/draft`, { draftNumber: 1, draft });
  await ada.post(`/api/programs/${id}/switch-on`, { draftNumber: 2, alsoThese: false });
  return id;
}

/** Kills one worker after the other, whichever it hits, until told to stop. */
async function killWorkers(seconds, isOver) {
  let killed = 0;
  for (let i = 0; i < seconds && !(await isOver()); i++) {
    const pid = Number(fs.readFileSync(path.join(stack.home, `worker-${1 + Math.floor(Math.random() * 3)}.pid`), 'utf8'));
    try {
      // The file is empty for a moment while a worker is started again, and 0 would mean this very group of processes.
      if (pid > 1) {
        process.kill(pid, 'SIGKILL');
        killed++;
      }
    } catch {
      // It had just gone.
    }
    await new Promise((resolve) => setTimeout(resolve, 1000));
  }
  return killed;
}

test('1,200 messages, a worker killed every second, one call in five refused for now', async () => {
  const ada = await apiClient(stack.url, 'ada@example.com', stack.password);
  const rows = Array.from({ length: PEOPLE }, (_, i) => `Person${i},Rowan,person${i}@example.com,${numberOf(i)},yes`);
  const form = new FormData();
  form.append('file', new Blob([`First name,Last name,Email,Mobile,Email OK?\n${rows.join('\n')}\n`]), 'a-thousand.csv');
  const { id: list } = await ada.post('/api/imports', form);
  await ada.post(`/api/imports/${list}/start`);
  await until('the list to be in', async () => (await ada.get(`/api/imports/${list}/progress`)).status === 'done');

  // The first settings let a hundred texts a day go; here all of them are due on one.
  await ada.put('/api/practice', { ...(await ada.get('/api/practice')), dailyLimits: {} });
  letters = await program(ada, 'Letters at once', { id: 'a', kind: 'email', when: { from: 'start', offset: 'P0D' }, subject: 'Hello {{ person.first_name }}', body: '<p>b</p>' });
  const texts = await program(ada, 'Texts at once', { id: 'a', kind: 'text', when: { from: 'start', offset: 'P0D' }, body: 'Hello {{ person.first_name }}' });
  const ids = [];
  for (let after = ''; after !== null; ) {
    const page = await ada.get(`/api/people?most=200${after ? `&after=${after}` : ''}`);
    ids.push(...page.rows.map((p) => p.id));
    after = page.next;
  }
  assert.equal(ids.length, PEOPLE);
  await ada.post('/api/people/start', { ids, program: letters });
  await ada.post('/api/people/start', { ids, program: texts });

  const through = async () => (await ada.get(`/api/programs/${letters}`)).through + (await ada.get(`/api/programs/${texts}`)).through;
  const killed = await killWorkers(40, async () => (await through()) === 2 * PEOPLE);
  assert.ok(killed >= 10, `only ${killed} workers were killed`);
  // Refused again and again, the last few would wait for a quarter of an hour.
  await until('nearly everybody to have been through both', async () => (await through()) >= 1.9 * PEOPLE, 600);
  await fetch(`${stack.standIns}/failing/0`, { method: 'POST' });
  await until('everybody to have been through both', async () => (await through()) === 2 * PEOPLE, 600);

  const mail = [];
  for (let before = ''; ; ) {
    const { messages } = await (await fetch(`${stack.standIns}/messages?most=1000${before}`)).json();
    if (messages.length === 0) break;
    mail.push(...messages);
    before = `&before=${messages.at(-1).number}`;
  }
  assert.equal(mail.length, PEOPLE, 'letters: none lost, none twice');
  assert.equal(new Set(mail.map((m) => m.messageId)).size, PEOPLE);
  assert.equal(new Set(mail.map((m) => `${m.to} ${m.subject}`)).size, PEOPLE, 'counted by content');
  const { messages: sent } = await (await fetch(`${stack.standIns}/texts/messages?most=10000`)).json();
  assert.equal(sent.length, PEOPLE, 'texts: none lost, none twice');
  assert.equal(new Set(sent.map((m) => m.key)).size, PEOPLE);
  assert.equal(new Set(sent.map((m) => `${m.to} ${m.body}`)).size, PEOPLE, 'counted by content');
});

test('a backup restored goes on where it was', async () => {
  const file = path.join(stack.home, 'my.dump');
  const germinal = (...args) => execFileSync('./germinal', [...args, '--port', String(stack.port)], { cwd: root, env: { ...process.env, GERMINAL_HOME: stack.home }, encoding: 'utf8' });
  // By its words: whoever signs in anew is written to as well.
  const written = (name) => until(`the letter to ${name}`, async () => (await (await fetch(`${stack.standIns}/messages`)).json()).messages.some((m) => m.subject === `Hello ${name}`));
  const add = async (ada, name) => {
    const { id } = await ada.post('/api/people', { firstName: name, lastName: 'Rowan', email: `${name.toLowerCase()}@example.com` });
    await ada.post('/api/people/start', { ids: [id], program: letters });
    return id;
  };
  assert.match(germinal('backup', file), /Backed up/);
  assert.throws(() => germinal('restore', file), /is running; stop it first/);

  let ada = await apiClient(stack.url, 'ada@example.com', stack.password);
  const lost = await add(ada, 'Lost');
  await written('Lost');

  // What came after the backup is gone, and the work goes on.
  await stack.restart(() => assert.match(germinal('restore', file), /Restored/));
  ada = await apiClient(stack.url, 'ada@example.com', stack.password);
  await assert.rejects(ada.get(`/api/people/${lost}`));
  assert.equal((await ada.get(`/api/programs/${letters}`)).through, PEOPLE);
  await add(ada, 'Found');
  await written('Found');
});
