// The whole path in the real browser against the real ./run: people in, a program on, time passing, mail read, why asked.
import assert from 'node:assert/strict';
import { spawnSync } from 'node:child_process';
import path from 'node:path';
import { after, before, test } from 'node:test';
import ICAL from 'ical.js';
import { simpleParser } from 'mailparser';
import * as looks from './looks.mjs';
import { apiClient, openBrowser, root, showAll, startStack, until } from './stack.mjs';

let stack;
let browser;
let page;
const sample = path.join(root, 'demo', 'people', 'sample.csv');
const problems = [];

before(async () => {
  stack = await startStack({ name: 'path' });
  browser = await openBrowser();
  const context = await browser.newContext({ viewport: { width: 1280, height: 800 }, reducedMotion: 'reduce' });
  await context.addInitScript(showAll);
  page = await context.newPage();
  // A busy machine of two cores may take its time; nothing here is about speed.
  page.setDefaultTimeout(60_000);
  page.on('pageerror', (e) => problems.push(e.message));
  // While the application is started again, the stream of changes tries to come back and an open page may ask for what it shows; that is how
  // it should be. A server that is not there by mistake fails the tests themselves.
  const comesBack = (m) => (m.location().url.endsWith('/api/changes') && /ERR_/.test(m.text())) || /ERR_CONNECTION_REFUSED/.test(m.text());
  page.on('console', (m) => m.type() === 'error' && !/40[019]/.test(m.text()) && !comesBack(m) && problems.push(m.text()));
});

after(async () => {
  await browser?.close();
  await stack?.stop();
});

const accessible = (name) => looks.accessible(page, name);

test('signing in: a wrong password is told, a right one leads back to where one was', async () => {
  await page.goto(`${stack.url}/programs`);
  await page.getByLabel('Email address').fill('ada@example.com');
  await accessible('sign-in');
  await page.getByLabel('Password').fill('not this one');
  await page.keyboard.press('Enter');
  await page.getByText('do not go together').waitFor();
  assert.equal(await page.getByLabel('Email address').inputValue(), 'ada@example.com');
  await page.getByLabel('Password').fill(stack.password);
  await page.keyboard.press('Enter');
  await page.getByRole('heading', { name: 'Programs' }).waitFor();
  await accessible('programs');
});

test('bringing people in: guess, review, progress, and the same file twice adds nobody', async () => {
  await page.goto(`${stack.url}/people/bring-in`);
  await page.getByLabel('A file of people').waitFor({ state: 'attached' });
  await accessible('bring in');
  await page.getByLabel('A file of people').setInputFiles(sample);
  await page.getByRole('heading', { name: 'Is this right?' }).waitFor();
  assert.equal(await page.getByLabel('E-mail Address is').inputValue(), 'email');
  await page.getByText('13/45/1970').waitFor();
  await page.getByText('DECEASED 2026').first().waitFor();
  await accessible('import review');
  // A column can be changed and the review follows.
  await page.getByLabel('Source is').selectOption('');
  await page.getByRole('button', { name: /^Bring \d+ people in$/ }).click();
  await page.getByRole('heading', { name: 'They are in' }).waitFor();
  await accessible('import done');
  const report = await page.request.get(await page.getByRole('link', { name: /Report/ }).evaluate((a) => a.href));
  assert.match(await report.text(), /The row is a total/);

  await page.goto(`${stack.url}/people/bring-in`);
  await page.getByLabel('A file of people').setInputFiles(sample);
  await page.getByRole('button', { name: 'Bring 0 people in' }).waitFor();
});

test('people: search as one types, a page of their own, a remark, an edit refused at its field', async () => {
  await page.goto(`${stack.url}/people`);
  await page.getByLabel('Search by name, address or number').fill('malgorzata');
  await page.getByRole('link', { name: /Małgorzata/ }).first().waitFor();
  await accessible('people');
  await page.getByRole('link', { name: /Małgorzata/ }).first().click();
  await page.getByRole('heading', { level: 1, name: /Małgorzata/ }).waitFor();
  await page.keyboard.press('r');
  await page.getByLabel('Remark').fill('Met at the harbour fair');
  await page.getByRole('button', { name: 'Write', exact: true }).click();
  await page.getByText('Met at the harbour fair').waitFor();
  await page.keyboard.press('e');
  await page.getByLabel('Email', { exact: true }).fill('not an address');
  await page.getByRole('button', { name: 'Save' }).click();
  await page.getByText('name@example.com would be').first().waitFor();
  assert.equal(await page.getByLabel('Email', { exact: true }).inputValue(), 'not an address');
  await accessible('person, editing');
  await page.getByRole('button', { name: 'leave it as it was' }).click();
});

test('needs mending: the missing name is filled in, and the letter goes', async () => {
  await page.goto(stack.url);
  await page.getByRole('heading', { name: 'Needs mending' }).waitFor();
  await page.getByText('has nothing to put for “person.first_name”').first().waitFor();
  // Mending: the missing name is filled in, and the letter goes.
  await page.getByRole('link', { name: 'mend' }).first().click();
  await page.getByLabel('First name').fill('Isolde');
  await page.getByRole('button', { name: 'Save' }).click();
  await page.getByRole('button', { name: /Thank you for writing, Isolde/ }).first().waitFor();
});

// Before time passes: the sheet shows the sixty of a kind that have waited longest.
test('texts that come in: an unknown number waits with a guess, and a forged webhook is turned away', async () => {
  // A number that nobody of the demo has.
  const ada = await apiClient(stack.url, 'ada@example.com', stack.password);
  let unknown = 5550199;
  while ((await ada.get(`/api/people?search=212${unknown}`)).rows.length > 0) unknown--;
  const written = `(212) 555-${String(unknown).slice(3)}`;
  await page.goto(`${stack.url}/stand-ins/texts`);
  await page.getByRole('heading', { name: 'Texts that went out and came in' }).waitFor();
  await accessible('texts');
  await page.getByLabel('From', { exact: true }).fill('none');
  await page.getByLabel('What they say').fill('Could you call me about the boat house?');
  await page.getByRole('button', { name: 'Hand it in' }).click();
  await page.getByText('“none” is no number').waitFor();
  assert.equal(await page.getByLabel('What they say').inputValue(), 'Could you call me about the boat house?');
  await page.getByLabel('From', { exact: true }).fill(written);
  await page.getByRole('button', { name: 'Hand it in' }).click();
  await page.getByRole('button', { name: new RegExp(`^From \\+1212${unknown}: Could you call me`) }).waitFor();
  await page.goto(stack.url);
  await page.getByText(`+1212${unknown} wrote: Could you call me about the boat house?`).waitFor();

  const forged = await fetch(`${stack.url}/hooks/texts`, {
    method: 'POST',
    headers: { 'content-type': 'application/json', 'webhook-id': 'n1', 'webhook-timestamp': String(Math.floor(Date.now() / 1000)), 'webhook-signature': `v1,${Buffer.alloc(32).toString('base64')}` },
    body: JSON.stringify({ type: 'message.received', id: 'x', from: `+1212${unknown}`, body: 'STOP' }),
  });
  assert.equal(forged.status, 401);
});

test('a program is written, checked, and switched on with those who qualify', async () => {
  // Three of the list get a tag by picking them.
  await page.goto(`${stack.url}/people`);
  await page.getByLabel('Search by name, address or number').fill('wray');
  await page.getByRole('link', { name: /Wray/ }).first().waitFor();
  await page.waitForTimeout(400);
  await page.getByLabel('Pick all shown').check();
  const tagThem = async () => {
    await page.getByLabel('Put on a tag').fill('harbour fair');
    await page.getByRole('button', { name: 'Put on …' }).click();
    await page.getByRole('heading', { name: 'What it would do' }).waitFor();
    await accessible('what it would do');
    await page.getByRole('button', { name: /^Put “harbour fair” on \d+ people/ }).click();
    await page.getByText(/“harbour fair” put on: \d+ people\./).waitFor();
  };

  // Nothing is done before it was looked at; as a whole it is taken back, and done again.
  await tagThem();
  await page.getByRole('button', { name: /^Undo for all/ }).click();
  await page.getByText(/^Taken back for \d+ people/).waitFor();
  await page.getByRole('button', { name: 'close' }).click();
  await page.getByLabel('Pick all shown').check();
  await tagThem();

  await page.goto(`${stack.url}/programs`);
  await page.getByLabel('What is it called').fill('After the fair');
  await page.keyboard.press('Enter');
  await page.getByLabel('Name of the program').waitFor();
  await page.getByText('This program has no steps').first().waitFor();
  assert.ok(await page.getByRole('button', { name: 'Switch on' }).isDisabled());

  await page.getByRole('button', { name: /^Starts when: a member/ }).click();
  await page.getByLabel('It starts when someone').selectOption('tag-added');
  await page.getByLabel('Tag', { exact: true }).fill('harbour fair');
  await page.getByRole('button', { name: 'Use this', exact: true }).click();

  await page.keyboard.press('Escape');
  await page.getByText('+ a step here').click();
  await page.getByRole('menuitem', { name: 'an email' }).click();
  await page.getByLabel('Subject').fill('Good to meet you, ');
  await page.getByRole('button', { name: 'Fields' }).click();
  await page.getByRole('menuitem', { name: /person\.first_name/ }).click();
  assert.match(await page.getByLabel('Subject').inputValue(), /Good to meet you, \{\{ person\.first_name \}\}/);
  const body = page.getByLabel('Body of the letter');
  await body.click();
  await page.keyboard.type('Hello {{ person.first_name }, it was good to talk.');
  await page.getByText(/Line 1, column \d+/).first().waitFor();
  await accessible('program, broken tag');
  await body.press('Control+a');
  await page.keyboard.type('Hello {{ person.first_name }}, it was good to talk.');
  await page.getByRole('button', { name: 'Bold' }).click();
  await page.keyboard.type(' Come by.');
  await page.getByRole('button', { name: 'Bold' }).click();
  await page.keyboard.type(' Read the guide');
  await page.keyboard.press('Control+Shift+ArrowLeft');

  // What following a link sets off is said with the link, and the letter keeps it.
  await page.getByRole('button', { name: 'Link', exact: true }).click();
  const link = page.getByRole('dialog', { name: 'Link' });
  await link.getByLabel('Where the picked words lead').fill('our guide');
  await link.getByRole('button', { name: 'Use this' }).click();
  await link.getByText(/leads nowhere/).waitFor();
  await link.getByLabel('Where the picked words lead').fill('example.com/guide');
  await link.getByRole('button', { name: /what following it sets off/ }).click();
  await link.getByLabel('puts on the tag').fill('guide reader');
  await link.getByLabel('asks for a call, with these words').fill('Ask about the guide');
  await link.getByLabel('within working days').fill('2');
  await accessible('link');
  await link.getByRole('button', { name: 'Use this' }).click();
  await until('the letter to keep the link', async () => {
    const { draft } = await (await page.request.get(page.url().replace('/programs/', '/api/programs/'))).json();
    const kept = draft.steps.find((s) => s.kind === 'email').body;
    return ['href="https://example.com/guide"', 'data-tag="guide reader"', 'data-call="Ask about the guide"', 'data-call-in="P2D"'].every((part) => kept.includes(part));
  });
  await page.getByText('· saved').waitFor();
  await page.getByText(/Line 1, column/).first().waitFor({ state: 'detached' });
  await page.getByText('As ', { exact: false }).first().waitFor();

  await page.getByRole('button', { name: /^Check/ }).click();
  await page.getByText(/[Ll]ooked at the [\d,]+ (person|people)/).waitFor();
  await page.getByRole('button', { name: 'Switch on' }).click();
  const dialog = page.getByRole('dialog', { name: 'Switch it on?' });
  await dialog.getByText(/Also these \d+/).waitFor();
  await accessible('switch on');
  await dialog.getByText(/Also these \d+/).click();
  await dialog.getByRole('button', { name: /Switch on and start for \d+/ }).click();
  await page.getByText(/It is on, and starts for \d+ people/).waitFor();
  await page.getByText(/on since/).waitFor();
  await accessible('program');
});

test('a fork and a split are written on the page, passage by passage', async () => {
  await page.goto(`${stack.url}/programs`);
  await page.getByLabel('What is it called').fill('Asking back');
  await page.keyboard.press('Enter');
  await page.getByLabel('Name of the program').waitFor();
  const add = async (button, kind) => {
    await button.click();
    await page.getByRole('menuitem', { name: kind, exact: true }).click();
  };
  const draft = async () => (await (await page.request.get(page.url().replace('/programs/', '/api/programs/'))).json()).draft;
  const more = page.getByRole('button', { name: /^\+ a step (here|after)/ });
  await add(more, 'an email');
  await page.getByLabel('Subject').fill('The two papers');

  // A question can only be about a link that the letter holds: it is picked, never typed.
  await page.getByLabel('Body of the letter').click();
  await page.keyboard.type('Here they are');
  await page.keyboard.press('Control+a');
  await page.getByRole('button', { name: 'Link', exact: true }).click();
  const link = page.getByRole('dialog', { name: 'Link' });
  await link.getByLabel('Where the picked words lead').fill('example.com/papers');
  await link.getByRole('button', { name: /what following it sets off/ }).click();
  await link.getByLabel('What programs call this link').fill('papers');
  await link.getByRole('button', { name: 'Use this' }).click();
  await link.waitFor({ state: 'detached' });
  await page.getByRole('button', { name: 'close the letter' }).click();

  // A question is first about the letter before it; it is made another one, of a call in one of its own passages' company.
  await add(more, 'a fork: one thing if they did something, another if not');
  await page.getByRole('button', { name: 'What it asks: they opened “The two papers”' }).click();
  const asks = page.getByRole('dialog', { name: /^What it asks/ });
  await asks.getByLabel('If they').selectOption('link-followed');
  await asks.getByLabel(/^Which link/).selectOption('papers');
  await accessible('question');
  await asks.getByRole('button', { name: 'Use this' }).click();
  await add(page.getByRole('button', { name: 'If so: + a step' }), 'a call');
  await add(page.getByRole('button', { name: 'Otherwise: + a step' }), 'a change of tag, list or stage');
  // What it changes is asked for, and made up by nobody.
  await page.getByRole('button', { name: 'Change: one more: choose what' }).click();
  const change = page.getByRole('dialog', { name: /^Change: / });
  await change.getByLabel('Tag', { exact: true }).fill('cool');
  await change.getByRole('button', { name: 'Use this', exact: true }).click();
  await add(page.getByRole('button', { name: 'Otherwise: + a step' }), 'a trial: some get one thing, some another');
  await page.getByRole('button', { name: 'Share of passage 1' }).click();
  await page.getByRole('dialog', { name: 'Share of passage 1' }).getByLabel('Share').fill('150');
  await page.keyboard.press('Enter');
  await page.getByText('75 of a hundred').waitFor();
  await add(page.getByRole('button', { name: 'Passage 2: + a step' }), 'a text');
  await until('the passages to be kept', async () => {
    const [letter, fork] = (await draft()).steps;
    if (!fork?.else?.[1]?.passages?.[1]?.steps.length) return false;
    assert.deepEqual(fork.if, { kind: 'link-followed', step: letter.id, link: 'papers' });
    assert.equal(fork.within, 'P3D');
    assert.deepEqual(fork.then.map((s) => s.kind), ['call']);
    assert.deepEqual(fork.else.map((s) => s.kind), ['change', 'split']);
    assert.deepEqual([fork.else[0].set].flat(), [{ tag: 'cool' }]);
    assert.deepEqual(fork.else[1].passages.map((p) => [p.share, p.steps.map((s) => s.kind)]), [[150, []], [50, ['text']]]);
    return true;
  });
  await page.getByText('· saved').waitFor();
  await accessible('program with passages');

  // What is wrong is said beside its own line; moving and taking out stay in the passage, and Undo brings all of it back.
  const text = page.getByRole('listitem').filter({ has: page.getByRole('button', { name: 'Text', exact: true }) }).last();
  await text.getByText(/no words|no text|empty|nothing/i).first().waitFor();
  await page.getByRole('button', { name: 'Split', exact: true }).click();
  await page.getByRole('listitem').filter({ has: page.getByRole('button', { name: 'Split', exact: true }) }).last().getByRole('button', { name: 'up', exact: true }).click();
  await until('the split to stand first', async () => (await draft()).steps[1].else[0].kind === 'split');
  await page.getByRole('listitem').filter({ has: page.getByRole('button', { name: 'Split', exact: true }) }).last().getByRole('button', { name: 'take out', exact: true }).last().click();
  await until('the split to be gone', async () => (await draft()).steps[1].else.length === 1);
  await page.getByRole('button', { name: 'Undo' }).click();
  await until('the split to be back', async () => (await draft()).steps[1].else.length === 2);

  // The letter it asks about goes, and the question says that it hangs in the air.
  await page.getByRole('button', { name: 'Email', exact: true }).click();
  await page.getByRole('button', { name: 'take out', exact: true }).click();
  await page.getByText(/There is no step “email-\d+” to ask about/).waitFor();
  await page.getByText('· saved').waitFor();
  await page.reload();
  await page.getByRole('button', { name: /^What it asks: they followed “papers” in “a step that is gone”/ }).waitFor();
  await page.getByText('75 of a hundred').waitFor();
});

test('time passes: letters go out by SMTP as proper MIME, and an independent parser reads them', async () => {
  await page.getByRole('button', { name: /^Practice clock/ }).click();
  await accessible('clock');
  await page.getByRole('button', { name: 'to tomorrow morning' }).click();
  await page.getByText(/Tue 2 March 2027, 8:15/).first().waitFor({ timeout: 240_000 });
  await page.keyboard.press('Escape');

  await page.goto(`${stack.url}/stand-ins/mail`);
  await page.getByLabel('Search recipients and subjects').fill('Good to meet you');
  await page.getByRole('button', { name: /Good to meet you, / }).first().click();
  await page.getByRole('tab', { name: 'raw source' }).click();
  await page.getByText('List-Unsubscribe-Post: List-Unsubscribe=One-Click').waitFor();
  await accessible('mail');

  const { messages } = await (await page.request.get(`${stack.url}/api/stand-ins/mail?search=Good%20to%20meet`)).json();
  assert.ok(messages.length >= 2);
  const raw = await (await page.request.get(`${stack.url}/api/stand-ins/mail/${messages[0].number}/source`)).body();
  const mail = await simpleParser(raw);
  assert.match(mail.subject, /^Good to meet you, \p{L}+$/u);
  assert.equal(mail.from.value[0].address.split('@')[1], 'example.com');
  assert.equal(mail.to.value[0].address, messages[0].to.match(/<(.+)>/)?.[1] ?? messages[0].to);
  assert.match(mail.messageId, /^<[0-9a-f]{32}@example\.com>$/);
  assert.equal(mail.date.toISOString().slice(0, 10), '2027-03-01');
  assert.match(mail.text, /it was good to talk/);
  assert.match(mail.html, /<strong>\s*Come by\.<\/strong>/);
  const link = mail.headers.get('list').unsubscribe.url;
  assert.match(link, /\/u\/[\w-]{43}$/);
  for (const part of [mail.text, mail.html]) {
    assert.match(part, /Port Averil, ME 04999/);
    assert.ok(part.includes(link), 'both parts carry the link');
  }
  assert.match(raw.toString(), /List-Unsubscribe-Post: List-Unsubscribe=One-Click/);

  // The link opens a public page that takes effect at once and shows in the thread.
  const visitor = await (await browser.newContext()).newPage();
  await visitor.goto(link);
  await visitor.getByRole('button', { name: 'Stop these emails' }).click();
  await visitor.getByRole('heading', { name: 'You get no more of these emails' }).waitFor();
  await visitor.close();
  const address = mail.to.value[0].address;
  const found = await (await page.request.get(`${stack.url}/api/people?search=${encodeURIComponent(address)}`)).json();
  await page.goto(`${stack.url}/people/${found.rows[0].id}`);
  await page.getByText('Said no to email').waitFor();
  await page.getByText('the unsubscribe page').first().waitFor();

  // RFC 8058: the one-click POST of a mail program.
  const second = await simpleParser(await (await page.request.get(`${stack.url}/api/stand-ins/mail/${messages[1].number}/source`)).body());
  const oneClick = await fetch(second.headers.get('list').unsubscribe.url, { method: 'POST', headers: { 'content-type': 'application/x-www-form-urlencoded' }, body: 'List-Unsubscribe=One-Click' });
  assert.equal(oneClick.status, 200);
});

test('why: a picked touch tells its reasons in sentences', async () => {
  await page.getByRole('button', { name: /Good to meet you/ }).first().click();
  await page.getByRole('heading', { name: 'Why it went' }).waitFor();
  await page.getByText('They qualified when “After the fair” was switched on').first().waitFor();
  await page.getByText(/They may be emailed: they said so \(import, sample\.csv, row \d+/).waitFor();
  // The letter stands in a frame of its own, in which nothing runs, and is seen whole.
  const frame = page.locator('iframe[title="The letter"]');
  assert.equal(await frame.getAttribute('sandbox'), 'allow-same-origin');
  const letter = await frame.contentFrame();
  await letter.getByText(/./).first().waitFor();
  const [inner, outer] = [await letter.locator('html').evaluate((e) => e.offsetHeight), (await frame.boundingBox()).height];
  assert.ok(inner > 40 && Math.abs(inner - outer) <= 1, `${inner} in ${outer}`);
  assert.equal(await letter.locator('body').evaluate((e) => e.ownerDocument.fonts.check('14px Literata')), true);
  await accessible('person, why');
});

test('the day sheet: a call by one key with undo, a letter held and released', async () => {
  await page.goto(stack.url);
  await page.getByRole('heading', { level: 2, name: 'Calls' }).waitFor();
  await accessible('today');
  const calls = page.locator('[id^=item-]', { has: page.locator('a[href^="tel:"]') });
  assert.ok((await calls.count()) >= 2, `only ${await calls.count()} calls`);
  // More calls may wait than the sheet shows, so the one that is made is watched, not their number.
  const first = `#${await calls.first().getAttribute('id')}`;
  await calls.first().locator('button').first().click();
  await page.keyboard.press('1');
  // The remark is typed after the key; Enter takes both, Escape neither.
  await page.keyboard.press('Escape');
  await page.getByLabel(/a remark, if there is one/).waitFor({ state: 'detached' });
  await page.keyboard.press('1');
  await page.keyboard.type('rings back on Friday');
  await accessible('today, a remark');
  await page.keyboard.press('Enter');
  await page.getByText(/: spoke/).first().waitFor();
  await until('it is off the sheet', async () => (await page.locator(first).count()) === 0);
  await page.getByRole('button', { name: 'Undo' }).click();
  await until('the call is back', async () => (await page.locator(first).count()) === 1);
  await page.locator(first).locator('button').first().click();
  await page.keyboard.press('2');
  await page.keyboard.press('Enter');
  await until('it is off the sheet again', async () => (await page.locator(first).count()) === 0);

  const hold = page.getByRole('button', { name: /^Hold the letter to/ }).first();
  if ((await hold.count()) === 0) await page.getByRole('button', { name: /^read them all/ }).first().click();
  await page.getByRole('button', { name: /^Hold the letter to/ }).first().click();
  await page.getByRole('button', { name: /^Release the letter to/ }).first().waitFor();
  await page.getByRole('button', { name: /^Release the letter to/ }).first().click();
});

test('the calendar of a member is read by ical.js, and a guessed address is not there', async () => {
  const ada = await apiClient(stack.url, 'ada@example.com', stack.password);
  const { address } = await ada.post('/api/calendar-feed');
  const answer = await fetch(address);
  assert.match(answer.headers.get('content-type'), /^text\/calendar/);
  const calendar = new ICAL.Component(ICAL.parse(await answer.text()));
  assert.equal(calendar.getFirstPropertyValue('version'), '2.0');
  const entries = [...calendar.getAllSubcomponents('vtodo'), ...calendar.getAllSubcomponents('vevent')];
  assert.ok(entries.length >= 5, `only ${entries.length} entries`);
  for (const entry of entries) {
    assert.ok(entry.getFirstPropertyValue('summary').length > 3);
    assert.ok(entry.getFirstPropertyValue('dtstamp') && (entry.getFirstPropertyValue('dtstart') || entry.getFirstPropertyValue('due')));
  }
  const uids = entries.map((e) => e.getFirstPropertyValue('uid'));
  assert.equal(new Set(uids).size, uids.length);
  assert.equal((await fetch(address.replace(/[0-9a-f]{32}/, '0'.repeat(32)))).status, 404);
  const { address: renewed } = await ada.post('/api/calendar-feed?renew=true');
  assert.notEqual(renewed, address);
  assert.equal((await fetch(address)).status, 404);
});

test('two members who write one program are told, and a session that ran out leads back', async () => {
  await page.goto(`${stack.url}/programs`);
  await page.getByRole('link', { name: /After the fair/ }).click();
  await page.getByLabel('Name of the program').waitFor();
  // A program is changed by whose it is, or by everybody once it is everybody's.
  await page.getByLabel('Whose program it is').selectOption({ label: 'everybody’s who writes programs' });
  await until('it is everybody’s', async () => (await (await page.request.get(`${stack.url}/api${new URL(page.url()).pathname}`)).json()).owner === null);
  const other = await browser.newContext();
  const theirs = await other.newPage();
  await theirs.goto(page.url());
  await theirs.getByLabel('Email address').fill('tomas@example.com');
  await theirs.getByLabel('Password').fill(stack.password);
  await theirs.keyboard.press('Enter');
  await theirs.getByLabel('Name of the program').fill('After the harbour fair');
  await theirs.getByText('· saved').waitFor();
  await theirs.waitForTimeout(700);
  await page.getByLabel('Name of the program').fill('After the great fair');
  await page.getByText('Tomas Brandt has changed this program').waitFor();
  assert.equal(await page.getByLabel('Name of the program').inputValue(), 'After the great fair');
  await page.getByRole('button', { name: 'load their version' }).click();
  await until('their version', async () => (await page.getByLabel('Name of the program').inputValue()) === 'After the harbour fair');
  await other.close();

  const place = page.url();
  await page.context().clearCookies();
  await page.goto(place);
  await page.getByLabel('Email address').fill('ada@example.com');
  await page.getByLabel('Password').fill(stack.password);
  await page.keyboard.press('Enter');
  await page.getByLabel('Name of the program').waitFor();
  assert.equal(page.url(), place);
});

test('an errand: who is on a program, starting it from its page, and an answer written as its recipient would', async () => {
  await page.goto(`${stack.url}/programs`);
  await page.getByRole('link', { name: /Year-round/ }).click();
  await page.getByRole('button', { name: /are on it$/ }).click();
  await page.getByLabel('At which step').waitFor();
  await page.getByRole('button', { name: 'Start it for people …' }).click();
  await page.getByLabel('Whom').selectOption({ label: 'everybody with a tag' });
  await page.getByLabel('Tag', { exact: true }).selectOption({ index: 1 });
  await page.getByRole('button', { name: 'Look first …' }).click();
  await page.getByRole('heading', { name: 'What it would do' }).waitFor();
  await accessible('program, starting people');
  await page.getByRole('button', { name: 'leave it' }).click();

  await page.goto(`${stack.url}/stand-ins/mail`);
  await page.locator('button.row').first().click();
  await page.getByLabel('Answer as they would').fill('Thursday suits us both very well.');
  await page.getByRole('button', { name: 'Answer', exact: true }).click();
  await page.getByText('It stands under Today in a moment.').waitFor();
  await page.goto(stack.url);
  await page.getByText('Thursday suits us both very well.').waitFor();
  assert.match(await page.getByRole('link', { name: 'answer', exact: true }).first().getAttribute('href'), /^mailto:/);
});

test('after a restart everything is where it was', async () => {
  const before = await (await page.request.get(`${stack.url}/api/people/count`)).json();
  const letters = async () => (await (await page.request.get(`${stack.url}/api/stand-ins/mail`)).json()).total;
  const sent = await letters();
  await stack.restart();
  await page.goto(`${stack.url}/programs`);
  await page.getByText('After the harbour fair').waitFor();
  assert.deepEqual(await (await page.request.get(`${stack.url}/api/people/count`)).json(), before);
  assert.ok(sent > 20, `only ${sent} letters`);
  assert.equal(await letters(), sent);
});

test('what is wrong with the start is one clear line and a code that is not 0', async () => {
  const port = new URL(stack.url).port;
  for (const [args, words] of [[['--port', port], /port \d+ is taken/], [['--port', 'many'], /needs a number/], [['--colour'], /is not an option/]]) {
    const run = spawnSync('./run', args, { cwd: root, encoding: 'utf8', env: { ...process.env, GERMINAL_HOME: `${stack.home}-other` } });
    assert.notEqual(run.status, 0);
    assert.match(run.stderr.trim(), words);
    assert.equal(run.stderr.trim().split('\n').length, 1);
  }
});

test('no page had an error of its own', () => assert.deepEqual(problems, []));
