// An empty installation, begun by keyboard alone: from its first page to the first letter that really arrives at a mail server outside.
import assert from 'node:assert/strict';
import { execFileSync, spawn } from 'node:child_process';
import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { after, afterEach, before, test } from 'node:test';
import { accessible, fits } from './looks.mjs';
import { startMailServer } from './mailserver.mjs';
import { openBrowser, openPages, root, startStack, until } from './stack.mjs';

const password = 'the kettle knew it first';
let stack;
let browser;
let outside;
let signedIn;
const folder = fs.mkdtempSync(path.join(os.tmpdir(), 'germinal-outside-'));
const problems = [];
const pages = openPages();
afterEach((t) => pages.sayLeft(t));

before(async () => {
  stack = await startStack({ name: 'beginning', offset: 80, args: ['--empty'], env: { GERMINAL_RESOLVER: 'none', GERMINAL_PRIVATE_SERVERS: '1' } });
  // Somebody else's mail server: it is no part of the installation, which is told of it on a page.
  outside = spawn('dotnet', [path.join(root, 'src/Germinal.StandIns/bin/Release/net10.0/Germinal.StandIns.dll')], {
    env: { ...process.env, GERMINAL_SMTP_PORT: String(stack.port + 2), GERMINAL_STANDINS_PORT: String(stack.port + 3), GERMINAL_DATA: folder },
    stdio: 'ignore',
  });
  await until('the mail server outside', async () => (await fetch(`${stack.standIns}/health`).catch(() => undefined))?.ok);
  browser = await openBrowser();
});

after(async () => {
  await browser?.close();
  outside?.kill();
  await stack?.stop();
  fs.rmSync(folder, { recursive: true, force: true });
});

async function desk({ width = 1280, storageState = signedIn } = {}) {
  const context = await browser.newContext({ viewport: { width, height: 800 }, reducedMotion: 'reduce', locale: 'en-US', timezoneId: 'America/New_York', storageState: storageState ?? undefined });
  const page = await context.newPage();
  page.setDefaultTimeout(60_000);
  page.on('pageerror', (e) => problems.push(e.message));
  pages.watch(page);
  return { page, context };
}

const mails = async (to) => (await (await fetch(`${stack.standIns}/messages`)).json()).messages.filter((m) => m.to.includes(to));

test('from an empty installation to the first letter that arrives, by keyboard, in under 40 actions', async (t) => {
  const { page, context } = await desk();
  let actions = 0;
  const key = async (name) => {
    actions++;
    await page.keyboard.press(name);
  };
  const type = async (words) => {
    actions++;
    await page.keyboard.type(words);
  };
  const focused = (words) =>
    page.waitForFunction((w) => [document.activeElement?.textContent, document.activeElement?.labels?.[0]?.textContent].some((x) => x?.startsWith(w)), words, { timeout: 180_000 });

  await page.goto(stack.beginning);
  await focused('Your practice');
  await until('the country is known', () => page.getByLabel('Country').evaluate((e) => e.value === 'US'));
  await accessible(page, 'begin');
  await fits(page, 'begin');
  await type('Fern & Hollow');
  await key('Tab');
  await type('Iris Fern');
  await key('Tab');
  await type('iris@example.com');
  await key('Tab');
  await type(password);
  await key('Enter');

  // Part after part, each ticked because it is done; from here on in the language of the practice's country.
  await page.waitForFunction(() => document.documentElement.lang === 'en-US');
  await focused('Postal address');
  await accessible(page, 'beginning');
  await fits(page, 'beginning');
  await type('3 Quay Lane, Port Averil, ME 04999');
  await key('Control+Enter');
  await focused('How you look');
  await key('n');
  await focused('Your email address');
  await key('Tab');
  await key('Tab');
  await type('127.0.0.1');
  await key('Tab');
  await type(String(stack.port + 2));
  await key('Tab');
  await type('not');
  await key('Tab');
  await key('Enter');
  await focused('First name');
  await page.getByText('Mail goes out by 127.0.0.1').waitFor();
  await type('Ida');
  await key('Tab');
  await type('Rowan');
  await key('Tab');
  await type('ida.rowan@example.com');
  await key('Enter');
  await focused('Members');
  await key('n');
  await focused('A ready program');
  await key('n');
  await focused('The first letter');
  await page.getByRole('button', { name: 'Write to Ida Rowan now' }).waitFor();
  await key('Tab');
  await focused('Write to Ida Rowan now');
  await key('Enter');

  await page.getByLabel('Body of the letter').waitFor();
  await page.getByLabel('Subject').focus();
  actions++;
  await type('Good morning');
  await page.getByLabel('Body of the letter').focus();
  actions++;
  await type('Our door on the quay is open again.');
  const send = page.getByRole('button', { name: 'Send it now …' });
  await until('it can be sent', () => send.isEnabled());
  await send.focus();
  actions++;
  await key('Enter');
  await page.getByRole('alertdialog').getByText(/by email/).waitFor();
  await key('Shift+Tab');
  await key('Enter');
  const [first] = await until('the letter has arrived', async () => (await mails('ida.rowan@example.com')).length > 0 && mails('ida.rowan@example.com'), 600);
  assert.equal(first.subject, 'Good morning');
  assert.match(first.from, /Iris Fern/);
  const source = await (await fetch(`${stack.standIns}/messages/${first.number}/source`)).text();
  assert.match(source, /List-Unsubscribe/);
  assert.match(source, /3 Quay Lane/);
  t.diagnostic(`${actions} actions`);
  assert.ok(actions < 40, `${actions} actions`);

  await page.goto(`${stack.url}/beginning`);
  await page.getByText('The first letter went out').waitFor();
  await page.getByText(/That was the beginning/).waitFor();
  signedIn = await context.storageState();
  await context.close();
});

test('a member is invited, joins, loses the password, sets up a second factor, and hands over', async () => {
  const { page, context } = await desk();
  await page.goto(`${stack.url}/practice/members`);
  await page.getByLabel('Their name').fill('Noor Vale');
  await page.getByLabel('Their email address').fill('noor@example.com');
  await page.keyboard.press('Enter');
  await page.getByText('The invitation is on its way').waitFor();
  await page.getByRole('button', { name: /Noor Vale/ }).click();
  await accessible(page, 'members');
  await fits(page, 'members');

  // By the link that was mailed.
  const linkIn = async (subject) => {
    const mail = await until(subject, async () => (await mails('noor@example.com')).find((m) => m.subject === subject));
    const source = await (await fetch(`${stack.standIns}/messages/${mail.number}`)).json();
    return /https?:\/\/\S+key=[\w-]+/.exec(JSON.stringify(source))[0];
  };
  const { page: theirs, context: other } = await desk({ storageState: null });
  await theirs.goto(await linkIn('Join Fern & Hollow'));
  await theirs.getByLabel('Your name').fill('Noor Vale');
  await theirs.getByLabel('Password').fill('noor vale');
  await theirs.keyboard.press('Enter');
  await theirs.getByText(/This has 9/).waitFor();
  await accessible(theirs, 'joining');
  await fits(theirs, 'joining');
  await theirs.getByLabel('Password').fill(password);
  await theirs.keyboard.press('Enter');
  await theirs.getByRole('heading', { level: 2, name: 'Calls' }).waitFor();

  // A password that was forgotten.
  await theirs.context().clearCookies();
  await theirs.goto(`${stack.url}/sign-in`);
  await theirs.getByRole('link', { name: 'Forgotten the password' }).click();
  await theirs.getByLabel('Email address').fill('noor@example.com');
  await theirs.keyboard.press('Enter');
  await theirs.getByText('the link is on its way').waitFor();
  await theirs.goto(await linkIn('A new password'));
  await theirs.getByLabel(/New password of/).fill('a heron stood there all day');
  await theirs.keyboard.press('Enter');
  await theirs.getByRole('button', { name: 'Sign in' }).waitFor();
  await theirs.getByLabel('Email address').fill('noor@example.com');
  await theirs.getByLabel('Password').fill('a heron stood there all day');
  await theirs.keyboard.press('Enter');
  await theirs.getByRole('heading', { level: 2, name: 'Calls' }).waitFor();

  await theirs.goto(`${stack.url}/you`);
  await theirs.getByRole('button', { name: 'Set one up' }).click();
  await theirs.getByText('Read this with').waitFor();
  await accessible(theirs, 'you');
  await fits(theirs, 'you');
  await other.close();

  await page.getByRole('button', { name: 'Hand over, take out' }).click();
  await page.getByText(/has nothing in hand/).waitFor();
  await page.getByRole('button', { name: /and take Noor Vale out/ }).click();
  await page.getByRole('heading', { name: '1 member' }).waitFor();
  await context.close();
});

test('a passkey of this device is added, signs in, and is taken away', async () => {
  // Passkeys need a name, not a number.
  const named = stack.url.replace('127.0.0.1', 'localhost');
  const { page, context } = await desk({ storageState: null });
  const device = await context.newCDPSession(page);
  await device.send('WebAuthn.enable');
  await device.send('WebAuthn.addVirtualAuthenticator', {
    options: { protocol: 'ctap2', transport: 'internal', hasResidentKey: true, hasUserVerification: true, isUserVerified: true, automaticPresenceSimulation: true },
  });
  await page.goto(`${named}/sign-in`);
  await page.getByLabel('Email address').fill('iris@example.com');
  await page.getByLabel('Password').fill(password);
  await page.keyboard.press('Enter');
  await page.getByRole('heading', { level: 2, name: 'Calls' }).waitFor();
  await page.goto(`${named}/you`);
  await page.getByLabel('What to call it').fill('this machine');
  await page.getByLabel('Your password, to show that it is you').fill('not this one');
  await page.keyboard.press('Enter');
  await page.getByText('This is not your password').waitFor();
  await page.getByLabel('Your password, to show that it is you').fill(password);
  await page.keyboard.press('Enter');
  await page.getByText(/this machine since/).waitFor();

  await context.clearCookies();
  await page.goto(`${named}/sign-in`);
  await page.getByRole('button', { name: 'With a passkey' }).click();
  await page.getByRole('heading', { level: 2, name: 'Calls' }).waitFor();

  await page.goto(`${named}/you`);
  await page.getByRole('button', { name: 'Take “this machine” away' }).click();
  await page.getByText(/this machine since/).waitFor({ state: 'detached' });
  await context.clearCookies();
  await page.goto(`${named}/sign-in`);
  await page.getByRole('button', { name: 'With a passkey' }).click();
  await page.getByText('none of anybody here any more').waitFor();
  await context.close();
});

test('the practice is taken out as one file, is to go in a week, and is kept after all; what is in the file is taken in by nobody twice', async () => {
  const { page, context } = await desk({ storageState: null });
  await page.goto(`${stack.url}/sign-in`);
  await page.getByLabel('Email address').fill('iris@example.com');
  await page.getByLabel('Password').fill(password);
  await page.keyboard.press('Enter');
  await page.getByRole('heading', { level: 2, name: 'Calls' }).waitFor();
  await page.goto(`${stack.url}/practice/data`);
  await page.getByText('None yet: one is made each night').waitFor();
  await accessible(page, 'all data');
  const own = page.getByLabel('Your password, to show that it is you');
  await own.first().fill('not this one');
  await page.keyboard.press('Enter');
  await page.getByText('This is not your password').waitFor();
  await own.first().fill(password);
  const [file] = await Promise.all([page.waitForEvent('download'), page.keyboard.press('Enter')]);
  assert.match(file.suggestedFilename(), /\.germinal\.zip$/);
  const there = path.join(folder, 'practice.germinal.zip');
  await file.saveAs(there);
  assert.ok(fs.readFileSync(there).subarray(0, 2).equals(Buffer.from('PK')));

  await page.getByLabel('What the practice is called').fill('somebody else');
  await own.last().fill(password);
  await page.keyboard.press('Enter');
  await page.getByText(/^Write “/).waitFor();
  const called = (await (await page.request.get(`${stack.url}/api/session`)).json()).practice;
  await page.getByLabel('What the practice is called').fill(called);
  await page.getByRole('button', { name: 'Let it go in a week' }).click();
  await page.getByRole('button', { name: 'Keep it after all' }).waitFor();
  await page.goto(stack.url);
  await page.getByText(/goes from here with all it has/).waitFor();
  await page.getByRole('link', { name: 'Keep it, or take everything with you' }).click();
  await page.getByRole('button', { name: 'Keep it after all' }).click();
  await page.getByRole('button', { name: 'Let it go in a week' }).waitFor();
  await context.close();

  const other = await startStack({ name: 'brought', offset: 90, args: ['--empty'], env: { GERMINAL_RESOLVER: 'none' } });
  try {
    const { page: there2, context: context2 } = await desk({ storageState: null });
    await there2.goto(other.beginning);
    await there2.getByRole('button', { name: 'Bring it in from there' }).click();
    await accessible(there2, 'bring it in');
    await there2.getByLabel('The practice’s archive').setInputFiles(there);
    await there2.getByLabel('Your name').fill('Iris Fern');
    await there2.getByLabel('Email address').fill('iris@example.com');
    await there2.getByLabel('Password').fill(password);
    await there2.keyboard.press('Enter');
    await there2.getByRole('heading', { level: 2, name: 'Calls' }).waitFor();
    await there2.goto(`${other.url}/people`);
    await there2.getByText('Rowan').first().waitFor();
    await context2.close();
  } finally {
    await other.stop();
  }
});

test('a member’s own account is allowed by their provider, and what they write goes out by it and lies among what they sent', async () => {
  const [submission, imap] = [stack.port + 6, stack.port + 7];
  const provider = await startMailServer({
    // Its mailboxes are somebody else's, who has to get there.
    folder: fs.mkdtempSync(path.join(os.tmpdir(), 'germinal-provider-')),
    submission,
    imap,
    relay: stack.port + 2,
    introspect: `${stack.standIns}/issuer/introspect`,
  });
  try {
    const { page, context } = await desk();
    await page.goto(`${stack.url}/you`);
    await page.getByRole('link', { name: 'Your mail account' }).press('Enter');
    const name = (words) => page.getByLabel(words, { exact: true });
    await name('Mail goes out by').fill('127.0.0.1');
    await name('Port for outgoing').fill(String(submission));
    await name('The line for outgoing').selectOption('none');
    await name('Mailboxes are at').fill('127.0.0.1');
    await name('Port for mailboxes').fill(String(imap));
    await name('The line for mailboxes').selectOption('none');
    await page.getByLabel('the provider asks me (OAuth 2)').check();
    await name('The provider’s address').fill(`${stack.standIns}/issuer`);
    await name('Client id').fill('germinal');
    await accessible(page, 'a mail account');
    await page.setViewportSize({ width: 390, height: 800 });
    await fits(page, 'a mail account, narrow');
    await page.setViewportSize({ width: 1280, height: 800 });
    await page.keyboard.press('Enter');

    // No first: it is said, and nothing is kept.
    await page.getByRole('link', { name: 'No', exact: true }).click();
    await page.getByText('The provider said no: Not allowed').waitFor();
    assert.equal(await name('Client id').inputValue(), 'germinal', 'what was typed is still there');
    await name('Client id').focus();
    await page.keyboard.press('Enter');
    await page.getByRole('link', { name: 'Yes, it may' }).click();
    await page.getByText('A test went to iris@example.com').waitFor();
    await page.getByText('What you send is placed in “Sent”.').waitFor();
    await accessible(page, 'a mail account that works');

    await page.getByLabel(/comes into their threads/).check();
    await name('Letters a day').fill('200');
    await page.keyboard.press('Enter');
    await page.getByText('Kept.').waitFor();

    // An inquiry is answered by hand: it goes out by the account, with the token, and is placed.
    const { guard } = await (await page.request.get(`${stack.url}/api/session`)).json();
    const post = async (where, data) => {
      const answer = await page.request.post(`${stack.url}${where}`, { data, headers: { 'X-Germinal-Guard': guard } });
      assert.ok(answer.ok(), `${where}: ${answer.status()} ${await answer.text()}`);
      return answer.json().catch(() => undefined);
    };
    const taken = await post('/api/inquiries', { name: 'Rue Hazel', email: 'rue@example.net', how: 'email', text: 'When may I come?' });
    await post(`/api/inquiries/${taken.id}/answer`, { subject: 'On Monday', words: 'Come on Monday at ten.' });
    const placed = await until('the letter among what was sent', () => provider.sent('iris@example.com').find((m) => m.includes('Subject: On Monday')));
    assert.match(placed, /^From: .*<iris@example\.com>/m);
    const [arrived] = await mails('rue@example.net');
    assert.equal(arrived.subject, 'On Monday');
    const source = await (await fetch(`${stack.standIns}/messages/${arrived.number}/source`)).text();
    assert.match(source, /by mail\.example\.com with ESMTPA/, 'it came by the provider, who knew whose it was');

    // Whatever the hour, the line at the top fits a telephone: it is widest shortly before one.
    await page.route('**/api/clock', async (route) => {
      const clock = await (await route.fetch()).json();
      await route.fulfill({ json: { ...clock, now: '2026-11-28T17:58:00Z' } });
    });
    await page.setViewportSize({ width: 390, height: 800 });
    await page.goto(`${stack.url}/you`);
    await page.getByText('12:58 PM').filter({ visible: true }).waitFor();
    await fits(page, 'about oneself, narrow, at noon');

    await context.close();
  } finally {
    await provider.stop();
  }
});

test('whoever has the machine becomes a keeper, makes a second practice, stops it and lets it go on, by keyboard', async () => {
  const told = execFileSync('./germinal', ['keeper', '--port', String(stack.port)], { cwd: root, env: { ...process.env, GERMINAL_HOME: stack.home }, encoding: 'utf8' });
  const { page, context } = await desk({ storageState: null });
  const name = (words) => page.getByLabel(words, { exact: true });
  await page.goto(/https?:\S+/.exec(told)[0]);
  await page.waitForFunction(() => document.activeElement?.labels?.[0]?.textContent?.startsWith('Your name'));
  await page.keyboard.type('Orla Finch');
  await page.keyboard.press('Tab');
  await page.keyboard.type('keeper@example.com');
  await page.keyboard.press('Tab');
  await page.keyboard.type(password);
  await accessible(page, 'to keep');
  await page.keyboard.press('Enter');
  await page.getByRole('heading', { level: 1, name: 'Practices' }).waitFor();
  await page.getByRole('heading', { name: '1 practice' }).waitFor();

  await name('What it is called').fill('Hollin Lane Homes');
  await name('The principal’s name').fill('Piet Marlow');
  await name('The principal’s email address').fill('iris@example.com');
  await page.keyboard.press('Enter');
  await page.getByText('Somebody signs in with this address already').waitFor();
  await name('The principal’s email address').fill('piet@example.com');
  await page.keyboard.press('Enter');
  await page.getByText('It is made, and its principal is invited.').waitFor();
  const invitation = await page.locator('code').innerText();
  await page.getByText('nobody has joined yet').waitFor();
  await accessible(page, 'practices');

  const { page: theirs, context: theirContext } = await desk({ storageState: null });
  await theirs.goto(invitation);
  await theirs.getByLabel('Password').fill('a quiet harbour at noon');
  await theirs.keyboard.press('Enter');
  await theirs.getByRole('heading', { name: 'Beginning' }).waitFor();

  await page.reload();
  const line = page.getByRole('button', { name: /^Hollin Lane Homes/ });
  await line.focus();
  await page.keyboard.press('Enter');
  await name('Stop it, because').fill('Until the contract is signed');
  await page.keyboard.press('Enter');
  await page.getByText('Stopped', { exact: false }).first().waitFor();
  await page.getByRole('button', { name: 'Let it go on' }).waitFor();
  await accessible(page, 'a stopped practice');
  await page.setViewportSize({ width: 390, height: 800 });
  await fits(page, 'practices, narrow');

  await theirs.goto(stack.url);
  await theirs.getByLabel('Email address').fill('piet@example.com');
  await theirs.getByLabel('Password').fill('a quiet harbour at noon');
  await theirs.keyboard.press('Enter');
  await theirs.getByText('Until the contract is signed.').waitFor();
  await page.getByRole('button', { name: 'Let it go on' }).press('Enter');
  await name('Stop it, because').waitFor();
  await theirs.keyboard.press('Enter');
  await theirs.getByRole('link', { name: 'Today' }).waitFor();
  await theirContext.close();

  // A page of a practice leads a keeper nowhere.
  await page.goto(`${stack.url}/people`);
  await page.getByRole('heading', { level: 1, name: 'Practices' }).waitFor();
  await page.getByRole('button', { name: 'Sign out' }).press('Enter');
  await page.getByLabel('Email address').waitFor();
  await context.close();
});

test('nothing broke on any of these pages', () => assert.deepEqual(problems, []));
