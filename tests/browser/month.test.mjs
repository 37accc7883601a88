// The almanac against what then happens: six weeks of the demo practice, foreseen on the page and then lived by the engine, by the mail and texts
// that the stand-ins got.
import assert from 'node:assert/strict';
import { after, before, test } from 'node:test';
import { apiClient, startStack, until } from './stack.mjs';

const days = 43;
/** What the almanac shows at once, at most: more days are read in parts. */
const atOnce = 31;
const day = 86_400_000;

let stack;
let ada;

before(async () => {
  stack = await startStack({ name: 'month', offset: 60 });
  ada = await apiClient(stack.url, 'ada@example.com', stack.password);
});

after(() => stack?.stop());

/** What the almanac says comes by mail and text, by touch; what is held, or will not go, is left out. */
async function foreseen() {
  const coming = new Map();
  const first = await ada.get(`/api/almanac?days=${atOnce}`);
  const next = new Date(Date.parse(first.days.at(-1).date) + day).toISOString().slice(0, 10);
  const rest = await ada.get(`/api/almanac?from=${next}&days=${days - atOnce}`);
  const all = [...first.days, ...rest.days];
  assert.equal(new Set(all.map((one) => one.date)).size, days, 'each day once');
  for (const { date, groups } of all)
    for (const group of groups.filter((g) => (g.kind === 'email' || g.kind === 'text') && g.goes > 0)) {
      const { count, names } = await ada.get(`/api/almanac/names?date=${date}&ofProgram=${group.programId}&step=${group.stepId}`);
      assert.equal(names.length, count, 'no group of the demo is too large to be named');
      for (const n of names.filter((one) => !one.held && one.willNot === null)) coming.set(n.touchId, { at: Date.parse(n.at), what: `“${group.words}” to ${n.person.name}` });
    }
  return coming;
}

/** What went out, by touch: what a stand-in keeps under the touch's own key. */
async function wentOut() {
  const ids = [];
  let before;
  for (;;) {
    const { messages } = await (await fetch(`${stack.standIns}/messages?most=1000${before ? `&before=${before}` : ''}`)).json();
    if (messages.length === 0) break;
    ids.push(...messages.map((m) => m.messageId));
    before = messages.at(-1).number;
  }
  const texts = (await (await fetch(`${stack.standIns}/texts/messages?most=10000`)).json()).messages;
  ids.push(...texts.map((m) => m.key).filter(Boolean));
  return new Set(ids.map((id) => id.replace(/[<>]/g, '').slice(0, 32).replace(/^(.{8})(.{4})(.{4})(.{4})(.{12})$/, '$1-$2-$3-$4-$5')));
}

/** Moves the clock on, and waits until everything up to then is done. */
async function moveOn(span) {
  await ada.post('/api/clock/move', { to: span });
  await until('the clock stands again', async () => !(await ada.get('/api/clock')).moveTo, 900);
  return Date.parse((await ada.get('/api/clock')).now);
}

test('Six weeks moved on, what went out is what the almanac said, all of it and nothing else', async (t) => {
  // Whatever came over the weekend has been taken in by then.
  const start = await moveOn('PT1H');
  const coming = await foreseen();
  const end = await moveOn(`P${days - 1}D`);
  assert.equal(end - start, (days - 1) * day - 3_600_000, 'six weeks by a clock that was put forward in between');

  const said = new Map([...coming].filter(([, c]) => c.at <= end));
  assert.ok(said.size > 1000, `only ${said.size} were foreseen`);
  const sent = await wentOut();
  const missing = [...said].filter(([id]) => !sent.has(id)).map(([, c]) => `${new Date(c.at).toISOString()} ${c.what}`);
  assert.deepEqual(missing, [], 'foreseen, and never sent');

  // Mails that no program planned (a member's morning letter) are no touches.
  const unforeseen = [];
  for (const id of [...sent].filter((one) => !said.has(one))) if (await ada.get(`/api/touches/${id}`).catch(() => null)) unforeseen.push(id);
  assert.deepEqual(unforeseen, [], 'sent, and never foreseen');
  t.diagnostic(`${said.size} messages were foreseen and sent`);
});
