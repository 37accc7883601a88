// A worker killed in the middle of a dispatch of 200 emails: none lost, none twice.
import assert from 'node:assert/strict';
import { after, before, test } from 'node:test';
import { apiClient, startStack, until } from './stack.mjs';

let stack;

before(async () => {
  // Each message takes the server a while, so that the worker is caught in the act.
  stack = await startStack({ name: 'crash', offset: 10, args: ['--empty'], env: { GERMINAL_MAIL_DELAY_MS: '40' } });
});
after(() => stack?.stop());

test('200 emails, the worker killed twice on the way', async () => {
  const ada = await apiClient(stack.url, 'ada@example.com', stack.password);
  const rows = Array.from({ length: 200 }, (_, i) => `Person${i},Rowan,person${i}@example.com,yes`);
  const form = new FormData();
  form.append('file', new Blob([`First name,Last name,Email,Email OK?\n${rows.join('\n')}\n`]), 'two-hundred.csv');
  const { id: list } = await ada.post('/api/imports', form);
  await ada.post(`/api/imports/${list}/start`);
  await until('the list to be in', async () => (await ada.get(`/api/imports/${list}/progress`)).status === 'done');

  const { id: program } = await ada.post('/api/programs', { name: 'At once' });
  const { draft } = await ada.get(`/api/programs/${program}`);
  delete draft.window;
  draft.steps = [{ id: 'a', kind: 'email', when: { from: 'start', offset: 'P0D' }, subject: 'Hello {{ person.first_name }}', body: '<p>b</p>' }];
  await ada.put(`/api/programs/${program}/draft`, { draftNumber: 1, draft });
  await ada.post(`/api/programs/${program}/switch-on`, { draftNumber: 2, alsoThese: false });

  const ids = [];
  for (let after = ''; after !== null; ) {
    const page = await ada.get(`/api/people?most=200${after ? `&after=${after}` : ''}`);
    ids.push(...page.rows.map((p) => p.id));
    after = page.next;
  }
  assert.equal(ids.length, 200);
  await ada.post('/api/people/start', { ids, program });

  const arrived = async () => (await (await fetch(`${stack.standIns}/health`)).json()).messages;
  for (const mark of [30, 120]) {
    await until(`${mark} messages`, async () => (await arrived()) >= mark);
    const pid = stack.workerPid();
    process.kill(pid, 'SIGKILL');
    await until('another worker', () => stack.workerPid() !== pid);
  }

  await until('everybody to have been through it', async () => (await ada.get(`/api/programs/${program}`)).through === 200, 400);
  const { messages } = await (await fetch(`${stack.standIns}/messages?most=1000`)).json();
  assert.equal(messages.length, 200, 'none lost, none twice');
  assert.equal(new Set(messages.map((m) => m.messageId)).size, 200);
  assert.equal(new Set(messages.map((m) => m.to)).size, 200);
});
