// Ten errands, each done as somebody would who has never seen the program: by what stands on the page and nothing else. Every press,
// choice, key and field is counted, and the count is told with the test.
import assert from 'node:assert/strict';
import { execFileSync } from 'node:child_process';
import fs from 'node:fs';
import http from 'node:http';
import os from 'node:os';
import path from 'node:path';
import { after, afterEach, before, test } from 'node:test';
import { build } from 'esbuild';
import ICAL from 'ical.js';
import { dkimVerify } from 'mailauth/lib/dkim/verify.js';
import { simpleParser } from 'mailparser';
import readXlsxFile from 'read-excel-file/node';
import { Webhook } from 'standardwebhooks';
import writeXlsxFile from 'write-excel-file/node';
import { accessible, everythingOpens, fits, readable } from './looks.mjs';
import { apiClient, openBrowser, openPages, root, showAll, startStack, until } from './stack.mjs';

let stack;
let browser;
let signedIn;
const problems = [];
const modules = path.join(root, 'tests', 'browser', 'node_modules');

before(async () => {
  stack = await startStack({ name: 'errands', offset: 40 });
  browser = await openBrowser();
  const { page, leave } = await desk({ fresh: true, folded: true });
  await page.goto(stack.url);
  await page.getByLabel('Email address').fill('ada@example.com');
  await page.getByLabel('Password').fill(stack.password);
  await page.keyboard.press('Enter');
  await page.getByRole('heading', { level: 2, name: 'Calls' }).waitFor();
  signedIn = await page.context().storageState();
  // The sheet as it was now is no errand's: each begins with the sheet as it is then.
  for (const origin of signedIn.origins) origin.localStorage = origin.localStorage.filter((kept) => kept.name !== 'germinal.kept.offline');
  await leave();
});

const pages = openPages();
afterEach((t) => pages.sayLeft(t));

after(async () => {
  await browser?.close();
  await stack?.stop();
});

/** A page of its own for an errand, signed in, as wide as said, with a hand that counts what it does. */
async function desk({ width = 1280, fresh = false, folded = false } = {}) {
  const context = await browser.newContext({ viewport: { width, height: 800 }, reducedMotion: 'reduce', storageState: fresh ? undefined : signedIn });
  if (!folded) await context.addInitScript(showAll);
  const page = await context.newPage();
  page.setDefaultTimeout(60_000);
  page.on('pageerror', (e) => problems.push(e.message));
  let actions = 0;
  const hand = {
    get actions() {
      return actions;
    },
    async press(target) {
      actions++;
      await target.click();
    },
    async key(name) {
      actions++;
      await page.keyboard.press(name);
    },
    /** Words written where the cursor stands. */
    async type(words) {
      actions++;
      await page.keyboard.type(words);
    },
    async fill(field, words) {
      actions++;
      await field.fill(words);
    },
    async choose(list, option) {
      actions++;
      await list.selectOption(option);
    },
    async check(box) {
      actions++;
      await box.check();
    },
  };
  const button = (name, within = page) => within.getByRole('button', typeof name === 'string' ? { name, exact: true } : { name });
  const leave = () => context.close();
  pages.watch(page);
  return { page, hand, button, leave };
}

const today = async (page) => (await page.request.get(`${stack.url}/api/today`)).json();
const programs = async (page) => (await page.request.get(`${stack.url}/api/programs`)).json();

for (const width of [1280, 390]) {
  test(`a morning at the desk, ${width} px`, async (t) => {
    const { page, hand, button, leave } = await desk({ width });
    const wide = width > 1100;
    await page.goto(stack.url);
    await page.getByRole('heading', { level: 2, name: 'Calls' }).waitFor();
    await accessible(page, 'today');
    await fits(page, 'today');

    // Why this call, and what to say.
    const lines = page.locator('[id^=item-]');
    const first = await lines.first().getAttribute('id');
    if (!wide) await hand.press(button('Why'));
    await page.getByRole('heading', { name: 'Why this call' }).waitFor();
    if (!wide) await hand.press(button('close'));

    // It is made, with a remark; the next one is at hand.
    await hand.press(button(/^1 Spoke$/));
    await hand.type('Will think about it over Easter');
    await hand.key('Enter');
    await page.getByText(/: spoke$/).first().waitFor();
    await until('the call is off the sheet', async () => (await page.locator(`#${first}`).count()) === 0);
    await until('the focus is on the next call, not on the message', async () =>
      page.evaluate(() => Boolean(document.activeElement?.closest('[id^=item-]')) && !document.activeElement?.closest('[data-sonner-toast]')),
    );
    await hand.press(button(/^3 No answer$/));
    await hand.key('Enter');
    await page.getByText(/: no answer$/).first().waitFor();

    // Notes in one go.
    if (wide) {
      await hand.press(button(/written and posted$/));
      await page.getByText(/notes? written and posted/).waitFor();
    }

    // The letters are read, held, and let go.
    await hand.press(button(/^read them all/).first());
    await hand.press(button(/^hold all \d+$/));
    await page.getByText(/letters “.*” held/).waitFor();
    await hand.press(button(/^let all \d+ go$/));
    await page.getByText(/let go again/).waitFor();

    // Somebody who waits, and one press too many taken back.
    const waits = page.getByRole('button', { name: /: (answered|seen to)$/ });
    const many = await waits.count();
    const name = await waits.first().getAttribute('aria-label');
    await hand.press(waits.first());
    await until('nobody waits there any more', async () => (await waits.count()) === many - 1);
    await page.getByText(name, { exact: true }).waitFor();
    if (wide) await hand.key('Control+z');
    else await hand.press(button('Undo').first());
    await until('it waits again', async () => (await waits.count()) === many);
    await accessible(page, 'today, after an hour');
    t.diagnostic(`${hand.actions} actions`);
    await leave();
  });
}

test('a program from nothing: written, checked, switched on, and somebody on it', async (t) => {
  const { page, hand, button, leave } = await desk();
  await page.goto(stack.url);
  await hand.press(page.getByRole('link', { name: 'Programs' }));
  await hand.fill(page.getByLabel('What is it called'), 'After a storm');
  await hand.key('Enter');
  await page.getByLabel('Name of the program').waitFor();

  // What starts it, and for whom: any rule of the language, in words.
  await hand.press(page.getByRole('button', { name: /^Starts when: a member starts it/ }));
  await hand.choose(page.getByLabel('It starts when someone'), 'tag-added');
  await hand.fill(page.getByLabel('Tag', { exact: true }), 'storm');
  await hand.key('Enter');
  await page.getByText('someone is tagged “storm”').waitFor();
  await hand.press(page.getByRole('button', { name: 'Only if they: one more: everybody' }));
  await hand.choose(page.getByLabel('Only if', { exact: true }), 'stage');
  await hand.choose(page.getByLabel('What of it'), 'in');
  await hand.check(page.getByLabel('Planning, Client'));
  await hand.check(page.getByLabel('Planning, Plan', { exact: true }).or(page.getByLabel('Planning, First meeting')).first());
  await accessible(page, 'a rule');
  await hand.press(button('Use this'));
  await page.getByText(/stand in Client or/).waitFor();

  // A letter with a field, a link that brings its words, and a picture that is asked what it shows.
  await hand.key('n');
  await hand.press(page.getByRole('menuitem', { name: 'an email', exact: true }));
  await page.getByLabel('Subject').waitFor();
  await hand.fill(page.getByLabel('Subject'), 'Is the roof still on?');
  await hand.press(page.getByLabel('Body of the letter'));
  await hand.type('Dear ');
  await hand.press(button('Fields'));
  await hand.press(page.getByRole('menuitem', { name: /^their first name/i }));
  await hand.type(', this ');
  await hand.press(button('Link'));
  await hand.fill(page.getByLabel('The words one presses'), 'list of roofers');
  await hand.fill(page.getByLabel('Where they lead'), 'example.com/roofers');
  await hand.key('Control+Enter');
  await page.getByRole('dialog').waitFor({ state: 'detached' });
  await hand.type(' may help.');
  await page.getByLabel('A picture for the letter').setInputFiles(path.join(root, 'docs', 'screenshots', 'today.png'));
  await hand.fill(page.getByLabel('What the picture shows, in a few words'), 'A roof after the storm');
  await accessible(page, 'a picture');
  await hand.key('Enter');
  const picture = page.locator('.tiptap img');
  await picture.waitFor();
  assert.equal(await picture.getAttribute('alt'), 'A roof after the storm');
  const [shown, place] = [await picture.boundingBox(), await page.locator('.tiptap').boundingBox()];
  assert.ok(shown.width <= place.width, `the picture is ${shown.width} in ${place.width}`);

  // A call whose words have a field, three times a month apart, and going on with another program, which is asked for.
  await hand.key('Escape');
  await page.getByText('· saved').waitFor();
  await hand.press(page.getByRole('button', { name: /^\+ a step/ }));
  await hand.press(page.getByRole('menuitem', { name: 'a call', exact: true }));
  await hand.press(page.getByRole('button', { name: /^What to say on the call/ }));
  await hand.fill(page.getByLabel('What to say', { exact: true }), 'How is the roof, ');
  await hand.press(button('Fields', page.getByRole('dialog')));
  await hand.press(page.getByRole('menuitem', { name: /^their first name/i }));
  await hand.press(button('Use this'));
  await hand.press(button('repeat …'));
  await hand.press(button('Repeat it'));
  await until('three calls stand there', async () => (await page.getByRole('button', { name: 'Call', exact: true }).count()) === 3);
  await hand.press(page.getByRole('button', { name: /^\+ a step/ }));
  await hand.press(page.getByRole('menuitem', { name: 'going on with another program' }));
  const offered = page.getByRole('dialog', { name: /^Program/ });
  await offered.waitFor();
  await accessible(page, 'where to');
  await hand.press(button('Year-round', offered));
  await page.getByText('· saved').waitFor();
  assert.doesNotMatch(await page.locator('main').innerText(), /from its file|of its own/);

  // Looked at for one person, checked, and switched on.
  await hand.key('c');
  await page.getByText(/Nobody has what starts it yet/).waitFor();
  await accessible(page, 'program, checked');
  await hand.press(button('Switch on'));
  await page.getByText('Nobody qualifies now').waitFor();
  await accessible(page, 'switch on');
  await hand.press(button('Switch on', page.getByRole('dialog')));
  await page.getByText(/^on since/).waitFor();

  // Somebody gets the tag and is on it.
  await hand.key('Control+k');
  await hand.type('osric inglewood');
  await page.getByRole('option', { name: /Osric Inglewood/ }).first().waitFor();
  await hand.key('Enter');
  await page.getByRole('heading', { level: 1, name: 'Osric Inglewood' }).waitFor();
  await hand.key('t');
  await hand.type('storm');
  await hand.key('Enter');
  await page.getByText('“After a storm” started').first().waitFor();
  await hand.press(page.getByRole('link', { name: 'After a storm' }).first());
  await page.getByRole('button', { name: '1 person is on it' }).waitFor();
  t.diagnostic(`${hand.actions} actions`);
  await leave();
});

test('birthdays: a greeting the day before, and what a birthday rarely wants is said', async (t) => {
  const { page, hand, button, leave } = await desk();
  await page.goto(`${stack.url}/programs`);
  await hand.fill(page.getByLabel('What is it called'), 'Many happy returns');
  await hand.key('Enter');
  await page.getByLabel('Name of the program').waitFor();
  await hand.press(page.getByRole('button', { name: /^Starts when: a member starts it/ }));
  await hand.choose(page.getByLabel('It starts when someone'), 'occasion');
  await hand.fill(page.getByLabel('How long from the date', { exact: true }), '1');
  await hand.choose(page.getByLabel('How long from the date: before or after'), 'before');
  await hand.press(button('Use this'));
  await page.getByText('someone has a birthday, the day before').waitFor();
  await hand.key('n');
  await hand.press(page.getByRole('menuitem', { name: 'an email', exact: true }));
  await hand.fill(page.getByLabel('Subject'), 'Tomorrow is the day');
  await hand.press(page.getByLabel('Body of the letter'));
  await hand.type('Many happy returns.');
  await page.getByText('· saved').waitFor();
  await hand.key('Escape');
  await hand.press(button(/^Check/));
  // A birthday does not wait for a working day.
  await page.getByText(/working days/i).first().waitFor();
  await accessible(page, 'a birthday, checked');
  await hand.press(page.getByRole('button', { name: /^Window/ }));
  await hand.check(page.getByLabel('any day, any hour'));
  await hand.press(button('Use this'));
  await page.getByText('· saved').waitFor();
  // The letter as one person would get it, the day before their own birthday.
  const person = await until('a preview', async () => {
    const id = page.url().split('/').at(-1);
    const seen = await (await page.request.get(`${stack.url}/api/programs/${id}/preview`)).json();
    return seen.touches?.length > 0 && seen;
  });
  const theirs = await (await page.request.get(`${stack.url}/api/people/${person.person.id}`)).json();
  const birthday = theirs.dates.find((d) => d.name === 'birthday').date.slice(-5);
  const goes = new Intl.DateTimeFormat('en-CA', { timeZone: person.zone, month: '2-digit', day: '2-digit' }).format(new Date(Date.parse(person.touches[0].at) + 86_400_000));
  assert.equal(goes, birthday);
  await hand.press(button('Switch on'));
  await hand.press(button('Switch on', page.getByRole('dialog')));
  await page.getByText(/^on since/).waitFor();
  t.diagnostic(`${hand.actions} actions`);
  await leave();
});

for (const width of [1280, 390]) {
  test(`somebody rings, ${width} px`, async (t) => {
    const { page, hand, button, leave } = await desk({ width });
    const wide = width > 1100;
    const margin = async (what) => {
      if (!wide) await hand.press(page.getByRole('button', { name: what }).last());
    };
    await page.goto(stack.url);
    await page.getByRole('heading', { level: 2, name: 'Calls' }).waitFor();
    // Somebody who is on a program, found by the number that shows on the telephone.
    const callers = [];
    for (const { person } of (await today(page)).going.filter((g) => g.planned && !g.willNot && g.person)) {
      const known = await (await page.request.get(`${stack.url}/api/people/${person.id}`)).json();
      if (known.mobile) callers.push({ ...known, name: person.name });
      if (callers.length === 2) break;
    }
    const somebody = callers[wide ? 0 : 1];
    const { mobile, firstName } = somebody;
    await hand.press(page.getByLabel('Find anyone'));
    await hand.type(mobile.slice(-7));
    await hand.press(page.getByRole('option', { name: new RegExp(somebody.name) }).first());
    await page.getByRole('heading', { level: 1, name: somebody.name }).waitFor();
    await until('the page has its own title', async () => (await page.title()) === `${somebody.name} · Germinal`);
    await fits(page, 'a person');

    // What they said, kept in two actions after the words.
    await hand.press(button(/write a remark$/));
    await hand.type('They are away all summer and want no letters meanwhile.');
    await hand.key('Control+Enter');
    await page.getByRole('list', { name: 'Thread' }).getByText('They are away all summer').first().waitFor();

    // A meeting, among what is coming.
    await margin(/^About /);
    const meetings = page.getByRole('region', { name: 'Appointments' });
    await hand.press(button('make one', meetings));
    await hand.fill(page.getByLabel('What kind of meeting'), 'yearly review');
    await hand.fill(page.getByLabel('When, on the practice\'s clock'), '2027-09-14T10:00');
    await hand.press(button('Make', meetings));
    await page.getByText('yearly review, Tue 14 Sept, 10:00').first().waitFor();
    await accessible(page, 'a person with a meeting');

    // No letters until they are back; then taken back on its own line.
    await hand.press(page.getByRole('button', { name: /^Pause .* for / }).first());
    await hand.fill(page.getByLabel('Until'), '2099-06-01');
    await hand.press(button('Pause', page.getByRole('dialog')));
    await page.getByText(/Give a date after today and within 50 years/).waitFor();
    await hand.fill(page.getByLabel('Until'), '2027-09-01');
    await hand.press(button('Pause', page.getByRole('dialog')));
    await page.getByText(/paused until (Wed )?1 Sept/).waitFor();

    // They want no email at all; what a no stops is said before it is pressed.
    await hand.press(button('Record what they said about email'));
    await hand.check(page.getByLabel('everything by email'));
    await page.getByText('not even about their own dealings').waitFor();
    await hand.fill(page.getByLabel('Where you have it from'), 'on the phone');
    await accessible(page, 'May we');
    await hand.press(button('They said no'));
    await page.getByText('no to everything, on the phone').waitFor();
    if (!wide) await hand.press(button('close'));
    await hand.press(button('undo: Said no to email'));
    await hand.press(button(/^undo: .* was paused for them/));
    await page.getByText(/paused until (Wed )?1 Sept/).waitFor({ state: 'detached' });
    assert.ok(firstName);
    t.diagnostic(`${hand.actions} actions`);
    await leave();
  });
}

test('a death, a merge, an adviser who leaves', async (t) => {
  const { page, hand, button, leave } = await desk();
  await page.goto(stack.url);
  await page.getByRole('heading', { level: 2, name: 'Calls' }).waitFor();

  // A death: calls leave the sheet, the thread ends with it; by mistake, it is taken back.
  const called = (await today(page)).calls.at(-2).person;
  await page.goto(`${stack.url}/people/${called.id}`);
  await hand.press(page.getByRole('button', { name: /^do not contact/ }));
  await hand.check(page.getByLabel('they have died'));
  await hand.press(button('They have died'));
  await page.getByText('They have died. Nothing goes to them any more.').waitFor();
  await until('no call to them', async () => (await today(page)).calls.every((c) => c.person?.id !== called.id));
  await hand.press(button('undo: Died'));
  await page.getByText('Taken back: Died').first().waitFor();
  await until('the call is back', async () => (await today(page)).calls.some((c) => c.person?.id === called.id));

  // The same person twice: it is said at the field, added all the same, and made one again.
  await hand.press(page.getByRole('link', { name: 'People', exact: true }));
  for (const [mail, phone] of [['ottoline.pell@example.com', ''], ['o.pell@example.com', '(207) 555-0188']]) {
    await hand.press(button('Add somebody'));
    await hand.fill(page.getByLabel('First name'), 'Ottoline');
    await hand.fill(page.getByLabel('Last name'), 'Pell');
    await hand.fill(page.getByLabel('Email', { exact: true }), mail);
    if (phone) await hand.fill(page.getByLabel('Mobile'), phone);
    await hand.key('Enter');
    if (phone) {
      const anyway = button('It is somebody else: add them');
      if (await anyway.waitFor({ timeout: 3000 }).then(() => true, () => false)) await hand.press(anyway);
    }
    await page.getByRole('heading', { level: 1, name: 'Ottoline Pell' }).waitFor();
    if (!phone) await hand.press(page.getByRole('link', { name: 'People', exact: true }));
  }
  await hand.press(button('merge with …'));
  await hand.press(page.getByRole('region', { name: 'The person as a whole' }).getByRole('button', { name: /^Ottoline Pell/ }));
  await page.getByText('What stays').waitFor();
  await accessible(page, 'a merge');
  await hand.press(button('Make one of the two'));
  await page.getByText('and Ottoline Pell are one person now').waitFor();
  await page.getByText(/was found to be the same person/).waitFor();
  await hand.press(button(/^undo: .*found to be the same/));
  await page.getByText('they are two people again').waitFor();

  // An adviser leaves: everybody they look after goes to another, looked at first, and back by one press.
  await hand.press(page.getByRole('link', { name: 'People', exact: true }));
  const { members } = await (await page.request.get(`${stack.url}/api/session`)).json();
  const [from, to] = [members.find((m) => m.name.startsWith('Wren')), members.find((m) => m.name.startsWith('Tomas'))];
  const theirs = async () => (await (await page.request.get(`${stack.url}/api/people/count?owner=${from.id}`)).json()).count;
  const many = await theirs();
  assert.ok(many > 60, `${from.name} looks after ${many}`);
  await hand.choose(page.getByLabel('Owner', { exact: true }), { label: from.name });
  const listed = page.locator('tbody tr');
  await until('only theirs', async () => (await listed.count()) > 0 && (await listed.filter({ hasNotText: from.name }).count()) === 0);
  await hand.check(page.getByLabel('Pick all shown'));
  await hand.press(button(/^Pick all .* who fit$/));
  await hand.choose(page.getByLabel('Give to a member to look after'), { label: to.name });
  await hand.press(button('Give …'));
  await page.getByRole('heading', { name: 'What it would do' }).waitFor();
  await accessible(page, 'people handed over');
  await hand.press(button(new RegExp(`^Give to ${to.name}: `)));
  await page.getByText(`Given to ${to.name}`).waitFor();
  assert.equal(await theirs(), 0);
  await hand.press(button(/^Undo for all/));
  await until('they are back', async () => (await theirs()) === many);
  t.diagnostic(`${hand.actions} actions`);
  await leave();
});

test('a list in and out again', async (t) => {
  const { page, hand, button, leave } = await desk();
  const file = path.join(stack.home, 'guests.csv');
  fs.writeFileSync(
    file,
    'First;Last;E-mail;Phone;Born;Remarks\r\nPenrose;Achterberg;penrose@example.com;(207) 555-0151;1961-06-14;met at the harbour\r\nSunniva;Achterberg;sunniva@example.com;;;\r\n;;not an address;;;\r\n',
  );
  await page.goto(stack.url);
  await hand.press(page.getByRole('link', { name: 'People', exact: true }));
  const before_ = (await (await page.request.get(`${stack.url}/api/people/count`)).json()).count;
  await hand.press(page.getByRole('link', { name: 'Bring people in' }));
  await hand.press(page.getByLabel('A file of people').locator('..'));
  await page.getByLabel('A file of people').setInputFiles(file);
  await page.getByRole('heading', { name: 'Is this right?' }).waitFor();
  // Which programs would start by their dates is said before anything is written.
  await page.getByText('Programs that will start by their dates').waitFor();
  await accessible(page, 'a list reviewed');
  await hand.press(button('Bring 2 people in'));
  await page.getByRole('heading', { name: 'They are in' }).waitFor();
  await page.getByText(/2 new people.*1 left out/).waitFor();
  assert.equal((await (await page.request.get(`${stack.url}/api/people/count`)).json()).count, before_ + 2);
  const [report] = await Promise.all([page.waitForEvent('download'), hand.press(page.getByRole('link', { name: /^Report of rows left out/ }))]);
  assert.match(fs.readFileSync(await report.path(), 'utf8'), /not an address/);
  await hand.press(button('Undo the whole import'));
  await page.getByRole('heading', { name: 'Undone' }).waitFor();
  assert.equal((await (await page.request.get(`${stack.url}/api/people/count`)).json()).count, before_);
  t.diagnostic(`${hand.actions} actions`);
  await leave();
});

test('the settings: changed, kept over a reload, tried before they are kept, gone through, and taken back', async (t) => {
  const { page, hand, button, leave } = await desk();
  const settings = async () => await (await page.request.get(`${stack.url}/api/practice`)).json();
  await page.goto(stack.url);
  await hand.press(page.getByRole('button', { name: /Ada Quill/ }));
  await hand.press(page.getByRole('menuitem', { name: 'The practice' }));
  await hand.press(page.getByRole('link', { name: 'How often, and at what hours' }));
  await button('Keep these settings').waitFor();
  await accessible(page, 'settings');
  await hand.fill(page.getByLabel('Texts and calls from'), '10:00');
  await page.reload();
  await page.getByText('What you changed here before and did not keep stands here again.').waitFor();
  assert.equal(await page.getByLabel('Texts and calls from').inputValue(), '10:00');
  // What it would have changed is said before it is kept, and nothing of it is.
  await hand.fill(page.getByLabel('Rule 1: how many'), '1');
  await hand.fill(page.getByLabel('Rule 1: days'), '28');
  await hand.press(button('Go through the last thirty days'));
  await page.getByText(/would not have gone/).waitFor();
  assert.equal((await settings()).quietFrom, '08:00');
  await hand.press(button('Keep these settings'));
  await page.getByText('Kept. It counts for everything').waitFor();
  await page.reload();
  await button('Keep these settings').waitFor();
  assert.equal(await page.getByText('stands here again').count(), 0);
  assert.equal((await settings()).quietFrom, '10:00');
  // What no practice may do is said at its field and loses nothing.
  await hand.fill(page.getByLabel('Texts and calls from'), '07:00');
  await hand.key('Enter');
  await page.getByRole('alert').filter({ hasText: /8/ }).first().waitFor();
  assert.equal(await page.getByLabel('Texts and calls from').inputValue(), '07:00');
  await hand.fill(page.getByLabel('Texts and calls from'), '10:00');
  await hand.press(page.getByRole('link', { name: 'The practice', exact: true }));
  await hand.press(page.getByRole('link', { name: 'Words of ours' }));
  await hand.fill(page.getByLabel('Kinds of appointments, one a line'), 'first meeting\nyearly review\nsite visit');
  await hand.press(button('Keep these settings'));
  await until('kept', async () => (await settings()).appointmentTypes.length === 3);
  // A server that is not there: tried as it stands on the page, and said that it is not kept.
  await hand.press(page.getByRole('link', { name: 'The practice', exact: true }));
  await hand.press(page.getByRole('link', { name: 'Mail and texts' }));
  await hand.fill(page.getByLabel('Mail goes out by', { exact: true }), 'mail.invalid');
  await hand.press(button('Send me a test'));
  await page.getByText('These settings are not kept yet.').waitFor();
  await page.reload();
  assert.equal(await page.getByLabel('Mail goes out by', { exact: true }).inputValue(), '', 'a server holds a password, and is kept on no machine');
  // The change before the last is taken back by itself; the last one stays.
  await hand.press(page.getByRole('link', { name: 'The practice', exact: true }));
  await page.getByText('kinds of appointments: now with “site visit”').waitFor();
  await hand.press(page.getByRole('button', { name: /Take back: .*when texts and calls begin/ }));
  await until('taken back', async () => (await settings()).quietFrom === '08:00');
  await page.getByText('taken back', { exact: true }).waitFor();
  assert.deepEqual((await settings()).appointmentTypes, ['first meeting', 'yearly review', 'site visit']);
  t.diagnostic(`${hand.actions} actions`);
  await leave();
});

test('another program works by a key, through a client generated from the description, and is told what happens', async (t) => {
  const { page, hand, button, leave } = await desk();
  await page.goto(`${stack.url}/practice/others`);
  await hand.fill(page.getByLabel('Another key, for'), 'Accounts');
  await hand.press(page.getByRole('checkbox', { name: 'bring lists of people in' }));
  await hand.press(button('Make the key'));
  const once = page.getByRole('region', { name: 'Shown once' });
  const key = await once.getByRole('textbox').inputValue();
  await hand.press(once.getByRole('button', { name: 'I have it' }));

  // A client in another language, made from what the server says of itself.
  const made = fs.mkdtempSync(path.join(os.tmpdir(), 'client-'));
  fs.writeFileSync(path.join(made, 'openapi.json'), await (await page.request.get(`${stack.url}/openapi/v1.json`)).text());
  execFileSync(path.join(modules, '.bin', 'oazapfts'), [path.join(made, 'openapi.json'), path.join(made, 'client.ts')], { stdio: 'ignore' });
  await build({ entryPoints: [path.join(made, 'client.ts')], outfile: path.join(made, 'client.mjs'), bundle: true, format: 'esm', platform: 'node', nodePaths: [modules], logLevel: 'silent' });
  const client = await import(path.join(made, 'client.mjs'));
  client.defaults.baseUrl = stack.url;
  client.defaults.headers = { authorization: `Bearer ${key}` };

  // Page after page of everybody, each once.
  const everybody = new Set();
  let after;
  do {
    const { status, data } = await client.getApiPeople({ after, most: 200 });
    assert.equal(status, 200);
    for (const row of data.rows) {
      assert.ok(!everybody.has(row.id), 'nobody stands on two pages');
      everybody.add(row.id);
    }
    after = data.next ?? undefined;
  } while (after);
  assert.equal(everybody.size, (await client.getApiPeopleCount({})).data.count);

  // The same call twice is done once; a mistake is said in the form of RFC 9457.
  const ida = { firstName: 'Ida', lastName: 'Byclient', email: 'ida.byclient@example.com' };
  const name = { headers: { 'Idempotency-Key': 'ida-byclient' } };
  const [first, second] = [await client.postApiPeople(ida, name), await client.postApiPeople(ida, name)];
  assert.deepEqual(second.data, first.data);
  const wrong = await client.postApiPeople({ ...ida, email: 'no address' });
  assert.equal(wrong.status, 400);
  assert.ok(wrong.data.errors.email[0].length > 0 && wrong.data.title, JSON.stringify(wrong.data));
  assert.equal((await client.getApiJournal({})).status, 403, 'a key may what it says, and no more');

  // A list comes in.
  const list = new File(['First name,Last name,Email\nUna,Listed,una.listed@example.com\n'], 'people.csv', { type: 'text/csv' });
  const brought = await client.postApiImports({ file: list });
  assert.equal((await client.getApiImportsById(brought.data.id)).data.review.added, 1);
  await client.postApiImportsByIdStart(brought.data.id);
  await until('the list to be in', async () => (await client.getApiImportsByIdProgress(brought.data.id)).data.status === 'done');

  // What happens is told, signed as an independent reader reads it; what is not taken comes again, and again when asked for.
  const told = [];
  const listener = http.createServer((request, answer) => {
    let body = '';
    request.on('data', (piece) => {
      body += piece;
    });
    request.on('end', () => {
      told.push({ headers: request.headers, body });
      answer.writeHead(told.length === 1 ? 503 : 204).end();
    });
  });
  await new Promise((resolve) => listener.listen(0, '127.0.0.1', resolve));
  const address = `http://127.0.0.1:${listener.address().port}/told`;
  await hand.fill(page.getByRole('textbox', { name: 'Another address' }), address);
  await hand.press(page.getByRole('form', { name: 'Another address' }).getByRole('checkbox', { name: 'a tag was put on' }));
  await hand.press(button('Tell it'));
  const secret = await once.getByRole('textbox').inputValue();
  await hand.press(once.getByRole('button', { name: 'I have it' }));
  await client.postApiPeopleTag({ ids: [first.data.id], tag: 'By client' });
  await until('it to be told twice', async () => told.length >= 2, 120);
  for (const { headers, body } of told) {
    const news = new Webhook(secret).verify(body, headers);
    assert.deepEqual([news.type, news.data.person, news.data.details.tag], ['tag-added', first.data.id, 'By client']);
  }
  assert.equal(told[0].headers['webhook-id'], told[1].headers['webhook-id']);
  await hand.press(button(address));
  await page.getByText(/^taken .*204/).waitFor();
  await accessible(page, 'other programs');
  await hand.press(button(/^Tell msg_\d+ again/));
  await until('it to be told again', async () => told.length >= 3, 60);
  await hand.press(button(`End ${address}`));
  listener.close();

  await hand.press(button('End “Accounts”'));
  await page.getByText(/It has ended/).waitFor();
  assert.equal((await client.getApiPeople({})).status, 401);
  fs.rmSync(made, { recursive: true });
  t.diagnostic(`${hand.actions} actions`);
  await leave();
});

test('by keyboard alone: the sheet, finding somebody, a tag, a step', async (t) => {
  const { page, hand, leave } = await desk();
  await page.goto(stack.url);
  await page.getByRole('heading', { level: 2, name: 'Calls' }).waitFor();
  const current = () => page.locator('[aria-current=true]').getAttribute('id');
  // What stands first depends on what was done before; a note or a task ends otherwise than a call.
  const isCall = () => page.locator('[aria-current=true]').getByRole('button', { name: 'Left word' }).count();
  for (let i = 0; i < 40 && !(await isCall()); i++) {
    const at = await current();
    await hand.key('j');
    await until('the next line', async () => (await current()) !== at);
  }
  const first = await current();
  await hand.key('j');
  await until('the line after it', async () => (await current()) !== first);
  const second = await current();
  await hand.key('k');
  await until('the first line again', async () => (await current()) === first);
  await hand.key('2');
  await hand.type('on the machine');
  await hand.key('Enter');
  await until('the next call is picked', async () => (await current()) === second);
  await until('and has the focus', () => page.evaluate((id) => document.activeElement?.closest(`#${id}`) !== null, second));
  // What is not answered yet cannot be taken back.
  await page.getByText(/: left word$/).first().waitFor();
  await hand.key('Control+z');
  await page.locator(`#${first}`).waitFor();

  // A message is dropped; the line after it is next.
  for (let i = 0; i < 40 && (await page.getByRole('button', { name: /^Drop the letter/ }).count()) > 0; i++) {
    if (await page.locator('[aria-current=true]').getByRole('button', { name: /^Drop/ }).count()) break;
    const at = await current();
    await hand.key('j');
    await until('the next line', async () => (await current()) !== at);
  }
  const dropped = await current();
  const after_ = await page.locator(`#${dropped} ~ [id^=item-]`).first().getAttribute('id');
  await hand.key('d');
  await page.getByText(/^Dropped /).waitFor();
  await until('the line after it', async () => (await current()) === after_);
  await hand.key('Control+z');
  await page.locator(`#${dropped}`).waitFor();

  await hand.key('?');
  await page.getByRole('dialog', { name: 'Keys' }).waitFor();
  await accessible(page, 'keys');
  await hand.key('Escape');
  await page.getByRole('dialog', { name: 'Keys' }).waitFor({ state: 'detached' });
  await hand.key('Control+k');
  await hand.type('quay lane');
  await page.getByRole('listbox').getByRole('option').first().waitFor();
  await hand.key('Enter');
  await page.locator('#now').waitFor();
  await hand.key('t');
  await hand.type('by keyboard');
  await hand.key('Enter');
  await page.getByText('The tag “by keyboard” was put on').waitFor();
  await hand.key('Control+z');
  await page.getByText('Taken back: the tag “by keyboard” is off again').waitFor();

  await hand.key('g');
  await hand.key('r');
  await page.getByRole('heading', { level: 1, name: 'Programs' }).waitFor();
  const name = page.getByLabel('What is it called');
  await name.focus();
  await hand.type('Keys only');
  await hand.key('Enter');
  await page.getByLabel('Name of the program').waitFor();
  await hand.key('n');
  // The arrows come to every line of the menu; the focus follows a moment after the key.
  await page.getByRole('menuitem', { name: 'a call' }).waitFor();
  const chosen = () => page.evaluate(() => document.activeElement?.closest('[role=menu]') && document.activeElement.textContent?.trim());
  await until('the menu has the focus', chosen);
  for (let i = 0; i < 4 && (await chosen()) !== 'a call'; i++) {
    const before_ = await chosen();
    await hand.key('ArrowDown');
    await until('the next line of the menu', async () => (await chosen()) !== before_);
  }
  assert.equal(await chosen(), 'a call');
  await hand.key('Enter');
  const script = page.getByRole('button', { name: /^What to say on the call/ });
  await script.focus();
  await hand.key('Enter');
  await page.getByLabel('What to say', { exact: true }).waitFor();
  await until('the words have the focus', () => page.evaluate(() => document.activeElement?.closest('[role=dialog]') !== null));
  await page.getByLabel('What to say', { exact: true }).focus();
  await hand.type('Did you get home dry?');
  // Escape asks before it throws anything away; Ctrl+Enter takes it.
  await hand.key('Escape');
  await page.getByText('What you have written here is not used yet.').waitFor();
  await page.getByLabel('What to say', { exact: true }).focus();
  await hand.key('Control+Enter');
  await page.getByText('Did you get home dry?').first().waitFor();
  await page.getByText('· saved').waitFor();
  t.diagnostic(`${hand.actions} actions`);
  await leave();
});

test('offline: what is done waits and says so, what is written outlives a reload', async (t) => {
  const { page, hand, button, leave } = await desk();
  await page.goto(stack.url);
  await page.getByRole('heading', { level: 2, name: 'Calls' }).waitFor();
  const gone = page.getByText('The connection is gone.').locator('..');
  await page.context().setOffline(true);
  await gone.waitFor();
  await hand.key('1');
  await hand.key('Enter');
  await gone.getByText(/1 thing waits/).waitFor();
  await accessible(page, 'offline');
  await page.context().setOffline(false);
  await gone.waitFor({ state: 'detached' });
  await page.getByText(/: (spoke|posted|done)$/).first().waitFor();

  // On a person's page: a tag and a remark wait by name, each with its own words.
  await hand.press(page.getByRole('link', { name: 'People', exact: true }));
  await hand.press(page.locator('tbody a').first());
  await page.locator('#now').waitFor();
  await page.context().setOffline(true);
  await gone.waitFor();
  await hand.key('r');
  await hand.type('They move in May');
  await hand.key('Control+Enter');
  await gone.getByText(/: a remark/).waitFor();
  await page.context().setOffline(false);
  await page.getByLabel('Remark').waitFor({ state: 'detached' });
  await page.getByRole('list', { name: 'Thread' }).getByText('They move in May').first().waitFor();

  // An edit that was never saved stands there again after a reload; thrown away, it is gone.
  await hand.key('e');
  await hand.fill(page.getByLabel('Source'), 'the harbour fair');
  await page.reload();
  await page.getByText('What you wrote here before and did not save stands here again.').waitFor();
  assert.equal(await page.getByLabel('Source').inputValue(), 'the harbour fair');
  await accessible(page, 'an edit found again');
  await hand.press(button('Save'));
  await page.getByText(/from the harbour fair/).waitFor();
  await hand.key('e');
  await hand.fill(page.getByLabel('Source'), 'nowhere');
  await page.reload();
  await hand.press(button('Throw it away'));
  await until('the source is what was saved', async () => (await page.getByLabel('Source').inputValue()) === 'the harbour fair');
  await page.reload();
  await page.locator('#now').waitFor();
  assert.equal(await page.getByLabel('Source').count(), 0);

  // A program being written is there after a reload, though nothing could be saved.
  await hand.press(page.getByRole('link', { name: 'Programs' }));
  await hand.press(page.getByRole('link', { name: /Keys only/ }));
  await page.getByLabel('Name of the program').waitFor();
  await page.context().setOffline(true);
  await hand.fill(page.getByLabel('Name of the program'), 'Keys only, and no line');
  await page.getByText('· not saved').or(page.getByText('· …')).first().waitFor();
  await page.context().setOffline(false);
  await page.reload();
  await until('what was written', async () => (await page.getByLabel('Name of the program').inputValue()) === 'Keys only, and no line');
  await page.getByText('· saved').waitFor();
  t.diagnostic(`${hand.actions} actions`);
  await leave();
});

test('long and many: names of 200 letters, a thousand people, one act and its undo', async (t) => {
  const { page, hand, button, leave } = await desk();
  const long = (word) => `${word}${'unbreakable'.repeat(20)}`.slice(0, 100);
  const file = path.join(stack.home, 'many.csv');
  fs.writeFileSync(file, ['first_name,last_name,email', `${long('Ida')},${long('Rowan')},ida.long@example.com`, ...Array.from({ length: 999 }, (_, i) => `Many${i},Ofthem,many${i}@example.com`)].join('\n'));
  await page.goto(`${stack.url}/people/bring-in`);
  await page.getByLabel('A file of people').setInputFiles(file);
  await hand.press(button('Bring 1,000 people in'));
  await page.getByRole('heading', { name: 'They are in' }).waitFor();
  await hand.press(page.getByRole('link', { name: 'People', exact: true }).first());
  await hand.fill(page.getByLabel('Search by name, address or number'), 'ofthem');
  await page.getByText('999 people', { exact: true }).waitFor();
  await hand.check(page.getByLabel('Pick all shown'));
  await hand.press(button('Pick all 999 who fit'));
  await hand.fill(page.getByLabel('Put on a tag'), long('tag').slice(0, 60));
  await hand.press(button('Put on …'));
  await hand.press(button(/ 999 people$/));
  await page.getByText(/put on: 999 people/).waitFor();
  await hand.press(button('Undo for all 999'));
  await page.getByText('Taken back for 999 people.').first().waitFor();

  const { rows } = await (await page.request.get(`${stack.url}/api/people?search=ida.long&most=1`)).json();
  for (const width of [1280, 390]) {
    await page.setViewportSize({ width, height: 800 });
    for (const where of ['/people?search=ida.long', `/people/${rows[0].id}`, '/']) {
      await page.goto(stack.url + where);
      await page.locator('main h1').waitFor();
      await until('nothing loads any more', async () => (await page.getByText(/^Loading …$/).count()) === 0);
      await fits(page, `${where} at ${width}`);
    }
    await page.goto(`${stack.url}/people/${rows[0].id}`);
    await page.locator('#now').waitFor();
    await accessible(page, `a long name at ${width}`);
  }
  t.diagnostic(`${hand.actions} actions`);
  await leave();
});

test('who is meant: a segment written by keyboard, kept, asked about, and asked for by a program', async (t) => {
  const { page, hand, button, leave } = await desk();
  await page.goto(`${stack.url}/people/segments/new`);
  const field = page.getByLabel('What is asked of them');
  const count = page.locator('aside h2[aria-live]');
  // By keys alone; the number moves with each sentence.
  await page.getByRole('button', { name: /The first sentence/ }).focus();
  await hand.key('Enter');
  await field.waitFor();
  await hand.choose(field, { label: 'their state' });
  await hand.choose(page.getByLabel('Which'), 'ME');
  await button('Use this').focus();
  await hand.key('Enter');
  await page.getByRole('button', { name: 'People who live in Maine' }).waitFor();
  await until('the number is there', async () => /^\d+ people$/.test(await count.textContent()));
  const inMaine = Number.parseInt(await count.textContent(), 10);
  await page.getByRole('button', { name: /one more sentence/ }).focus();
  await hand.key('Enter');
  await hand.choose(field, { label: 'their stage' });
  await hand.choose(page.getByLabel('Stage'), 'Planning/Client');
  await button('Use this').focus();
  await hand.key('Enter');
  await until('the number moved', async () => {
    const now = Number.parseInt(await count.textContent(), 10);
    return now > 0 && now < inMaine;
  });

  // Why is somebody in: what decides is marked, with what they have.
  await hand.fill(page.getByRole('combobox', { name: 'Why is somebody in, or not' }), 'a');
  await page.getByRole('listbox').getByRole('option').first().waitFor();
  await hand.key('Enter');
  await page.getByText('What decides is marked at the left.').waitFor();
  assert.ok((await page.locator('main .gutter').getByText(/^(so|not so)$/).count()) >= 2);

  // Kept by a name, and found where programs and the list of people ask for it.
  await hand.fill(page.getByLabel('Name of the segment'), 'Clients up in Maine');
  await hand.press(button('Keep'));
  await page.getByText('“Clients up in Maine” is kept.').first().waitFor();
  await page.getByRole('link', { name: 'All of them, to do something for' }).click();
  await page.getByRole('combobox', { name: 'Segment' }).waitFor();
  const [saved] = (await (await page.request.get(`${stack.url}/api/segments`)).json()).filter((s) => s.name === 'Clients up in Maine');
  const listed = await (await page.request.get(`${stack.url}/api/people/count?segment=${saved.id}`)).json();
  const previewed = await (await page.request.get(`${stack.url}/api/people/count?stage=${encodeURIComponent('Planning/Client')}`)).json();
  assert.ok(listed.count > 0 && listed.count < previewed.count);
  const program = (await programs(page)).find((p) => p.name === 'Year-round');
  await page.goto(`${stack.url}/programs/${program.id}`);
  await hand.press(page.getByRole('button', { name: 'Only if they: one more' }));
  await hand.choose(page.getByLabel('Only if', { exact: true }), 'segment');
  await hand.choose(page.getByLabel('Which'), 'Clients up in Maine');
  await hand.press(button('Use this'));
  await page.getByText('are in the segment “Clients up in Maine”').first().waitFor();
  await until('the draft is saved', async () =>
    (await (await page.request.get(`${stack.url}/api/segments/${saved.id}`)).json()).uses.includes(program.name),
  );
  t.diagnostic(`${hand.actions} actions`);
  await leave();
});

test('a person: what is asked for most stands first, each thing is changed in place by keyboard, the rest opens', async (t) => {
  const { page, hand, button, leave } = await desk({ folded: true });
  await page.goto(`${stack.url}/people`);
  await page.locator('tbody a').first().click();
  await page.getByRole('list', { name: 'Thread' }).waitFor();
  const id = page.url().split('/').pop();
  const read = async () => (await page.request.get(`${stack.url}/api/people/${id}`)).json();
  for (const heading of ['Reach them', 'Dates', 'May we']) await page.getByRole('heading', { name: heading }).first().waitFor();
  assert.equal(await page.getByRole('heading', { name: 'As a whole' }).count(), 0);

  // The address, by keyboard alone: opened, changed, kept, and the focus is back where it was.
  await button('Change email').focus();
  await hand.key('Enter');
  const form = page.getByRole('form', { name: 'Change email' });
  await form.getByLabel('Email').waitFor();
  await hand.key('Control+a');
  await hand.type('changed.in.place@example.com');
  await hand.key('Enter');
  await until('the address is changed', async () => (await read()).email === 'changed.in.place@example.com');
  await until('the focus is back', () => page.evaluate(() => document.activeElement?.getAttribute('aria-label') === 'Change email'));
  const before = await read();

  // What is wrong is said in its place, and nothing else is lost or changed.
  await hand.key('Enter');
  await hand.key('Control+a');
  await hand.type('no address');
  await hand.key('Enter');
  await form.getByText(/address/).last().waitFor();
  assert.deepEqual(await read(), before);
  await hand.key('Escape');
  await hand.key('Escape');
  await until('it is closed', async () => (await form.count()) === 0);

  // The rest opens, and is open at the next person too.
  await page.getByText(/^More about/).click();
  await page.getByRole('heading', { name: 'As a whole' }).waitFor();
  await accessible(page, 'a person, all of it');
  await page.goto(`${stack.url}/people`);
  await page.locator('tbody a').nth(1).click();
  await page.getByRole('heading', { name: 'As a whole' }).waitFor();
  t.diagnostic(`${hand.actions} presses, keys and fields`);
  await leave();
});

test('programs as files: copied, out and in again, a wrong one said, found by their words', async (t) => {
  const { page, hand, button, leave } = await desk();
  await page.goto(`${stack.url}/programs`);
  await hand.fill(page.getByLabel('Search the programs'), 'birthday');
  await until('only those that fit are shown', async () => (await page.locator('a.row').count()) < (await programs(page)).length);
  await hand.fill(page.getByLabel('Search the programs'), 'nobody calls one so');
  await page.getByText('No program fits').waitFor();
  await hand.fill(page.getByLabel('Search the programs'), '');
  await page.getByRole('link', { name: 'Referrers', exact: true }).click();
  await page.getByLabel('Name of the program').waitFor();
  const file = await (await page.request.get(`${stack.url}${await page.getByRole('link', { name: 'as a file' }).getAttribute('href')}`)).text();
  assert.equal(JSON.parse(file).format, 'germinal.program/1');

  // A copy stands under a group of its own.
  await hand.press(button('Copy it'));
  await until('the copy is open', async () => (await page.getByLabel('Name of the program').inputValue()) === 'Referrers 2');
  await hand.press(page.getByRole('button', { name: /^Group: / }));
  await hand.fill(page.getByLabel('Group', { exact: true }), 'Tried out');
  await hand.key('Enter');
  await page.getByText('under “Tried out”').waitFor();
  await until('the group is kept', async () => (await programs(page)).some((p) => p.name === 'Referrers 2' && p.group === 'Tried out'));

  // Files: one that is the same again, one that is broken; the one keeps the other out of nothing.
  await page.goto(`${stack.url}/programs`);
  await page.getByRole('heading', { name: 'Tried out' }).waitFor();
  await page.getByLabel('Program files').setInputFiles([
    { name: 'again.json', mimeType: 'application/json', buffer: Buffer.from(file) },
    { name: 'broken.json', mimeType: 'application/json', buffer: Buffer.from('{"format":') },
  ]);
  const became = page.getByRole('list', { name: 'What became of the files' });
  await became.getByRole('link', { name: 'Referrers 3' }).waitFor();
  await became.getByText('broken.json was not taken').waitFor();
  await became.getByText(/This is not JSON: line 1/).waitFor();
  await accessible(page, 'programs with files taken in');
  t.diagnostic(`${hand.actions} presses, keys and fields`);
  await leave();
});

test('who reads it: a letter that goes to a solicitor, said in the program and seen in both threads', async (t) => {
  const { page, hand, button, leave } = await desk();
  const ada = await apiClient(stack.url, 'ada@example.com', stack.password);
  const made = async (first) => (await ada.post('/api/people', { firstName: first, lastName: 'Barrister', email: `${first}.barrister@example.com` })).id;
  const [client, solicitor] = [await made('Clia'), await made('Sola')];
  await ada.post(`/api/people/${client}/relations`, { other: solicitor, role: 'solicitor' });
  await ada.post(`/api/people/${solicitor}/consent`, { channel: 'email', in: true, reason: 'said so' });
  const program = (await ada.post('/api/programs', { name: 'For solicitors' })).id;
  const draft = (await ada.get(`/api/programs/${program}`)).draft;
  draft.startsWhen = [{ kind: 'by-hand' }];
  draft.steps = [{ id: 'a', kind: 'email', when: { from: 'start', offset: 'P2D' }, subject: 'About {{ person.first_name }}', body: 'Dear {{ to.first_name }}' }];
  await ada.put(`/api/programs/${program}/draft`, { draftNumber: 1, draft });

  // Said in the program's own words, by keyboard.
  await page.goto(`${stack.url}/programs/${program}`);
  await hand.press(button('Email'));
  await page.getByRole('button', { name: /^Who reads it/ }).focus();
  await hand.key('Enter');
  await hand.choose(page.getByLabel('It goes to', { exact: true }), 'relation');
  await hand.choose(page.getByLabel('Their', { exact: true }), 'solicitor');
  await hand.press(button('Use this'));
  await page.getByText('It goes to their solicitor.').waitFor();
  await until('it is saved', async () => (await ada.get(`/api/programs/${program}`)).draft.steps[0].to?.relation === 'solicitor');
  await ada.post(`/api/programs/${program}/switch-on`, { draftNumber: (await ada.get(`/api/programs/${program}`)).draftNumber, alsoThese: false });
  await ada.post('/api/people/start', { ids: [client], program });

  // In the client's thread it is to come, and says to whom; what it says is said to the solicitor.
  await page.goto(`${stack.url}/people/${client}`);
  await page.getByText('to Sola Barrister').first().waitFor();
  await hand.press(page.getByRole('button', { name: /About Clia/ }).first());
  await page.frameLocator('iframe').getByText('Dear Sola').waitFor();
  t.diagnostic(`${hand.actions} presses, keys and fields`);
  await leave();
});

test('a family: four under one number stay four, live together, and are greeted as one', async (t) => {
  const { page, hand, button, leave } = await desk();
  const list = path.join(stack.home, 'family.csv');
  fs.writeFileSync(
    list,
    'First name,Last name,Mobile,Street,City,State,ZIP\n' +
      ['Ida', 'Bo', 'Kit', 'Una'].map((f) => `${f},Fourhouse,(207) 555-0188,4 Quay Lane,Port Averil,ME,04999`).join('\n'),
  );
  await page.goto(`${stack.url}/people/bring-in`);
  await page.getByLabel('A file of people').setInputFiles(list);
  await page.getByText(/perhaps of the same household/).first().waitFor();
  await hand.press(button('Bring 4 people in'));
  await until('all four are here', async () => (await (await page.request.get(`${stack.url}/api/people/count?search=fourhouse`)).json()).count === 4);
  const { rows } = await (await page.request.get(`${stack.url}/api/people?search=fourhouse`)).json();
  await page.goto(`${stack.url}/people/${rows.find((r) => r.name === 'Ida Fourhouse').id}`);
  for (const name of ['Bo Fourhouse', 'Kit Fourhouse', 'Una Fourhouse']) {
    await hand.press(button(`${name} lives with them`));
    await page.getByRole('button', { name: `${name} does not live there` }).waitFor();
  }
  await page.getByText('Dear Bo, Ida, Kit and Una').waitFor();
  await hand.press(page.getByRole('region', { name: 'People around them' }).getByRole('button', { name: 'add' }).last());
  await hand.fill(page.getByRole('combobox', { name: 'Who' }), 'bo fourhouse');
  await page.getByRole('option', { name: /Bo Fourhouse/ }).waitFor();
  await hand.key('Enter');
  await hand.fill(page.getByLabel('is the … of Ida'), 'spouse');
  await hand.press(button('Add'));
  await page.getByRole('button', { name: 'Bo Fourhouse is not their spouse' }).waitFor();
  t.diagnostic(`${hand.actions} actions`);
  await leave();
});

test('any list: a workbook of two sheets, a field of one’s own, in a letter and a segment, and out again', async (t) => {
  const { page, hand, button, leave } = await desk();
  const file = path.join(stack.home, 'fair.xlsx');
  const boats = ['Sloop', 'Ketch', 'Sloop', 'Sloop', 'Ketch', 'Sloop'];
  await writeXlsxFile([
      { sheet: 'Read me', data: [[{ value: 'Whom we met at the fair' }]] },
      {
        sheet: 'Guests',
        data: [
          ['Given name', 'Surname', 'Mail', 'Boat', 'Met on', 'Adviser'].map((value) => ({ value })),
          ...boats.map((boat, i) => [
            { value: `Guest${i}` },
            { value: 'Atthefair' },
            { value: `guest${i}@example.com` },
            { value: boat },
            { type: Date, value: new Date(Date.UTC(2027, 1, 3 + i)), format: 'dd/mm/yyyy' },
            { value: 'A. Q.' },
          ]),
        ],
      },
    ]).toFile(file);
  await page.goto(`${stack.url}/people/bring-in`);
  await page.getByLabel('A file of people').setInputFiles(file);
  const sheet = page.getByLabel('Of its 2 sheets, this is');
  await sheet.waitFor();
  assert.equal(await sheet.inputValue(), 'Guests', 'the first with rows under its header');
  await hand.choose(page.getByLabel('Boat is'), { label: 'a new field of your own …' });
  assert.equal(await page.getByLabel('What it holds').inputValue(), 'choice');
  await accessible(page, 'a new field of a column');
  await hand.press(button('Keep it in every person'));
  await until('the column is the field', async () => (await page.getByLabel('Boat is').inputValue()) === 'custom:Boat');
  await hand.choose(page.getByLabel(/^A\. Q\./), { label: 'Ada Quill' });
  await page.getByText('none').first().waitFor();
  await hand.press(button('Bring 6 people in'));
  await page.getByRole('heading', { name: 'They are in' }).waitFor();

  // In a segment by its name.
  await page.goto(`${stack.url}/people/segments/new`);
  await hand.press(page.getByRole('button', { name: /The first sentence/ }));
  await hand.choose(page.getByLabel('What is asked of them'), 'custom:Boat');
  await hand.choose(page.getByLabel('Which').or(page.getByLabel('Boat', { exact: true })).first(), 'Sloop');
  await hand.press(button('Use this'));
  await page.getByRole('heading', { name: '4 people' }).waitFor();
  await hand.fill(page.getByLabel('Name of the segment'), 'Sloops');
  await hand.press(button('Keep'));
  await page.getByText('“Sloops” is kept.').first().waitFor();

  // In a letter by its name; whoever begins to be in the segment is started, who was in it before is not.
  await page.goto(`${stack.url}/programs`);
  await hand.fill(page.getByLabel('What is it called'), 'For sloops');
  await hand.key('Enter');
  await page.getByLabel('Name of the program').waitFor();
  await hand.press(page.getByRole('button', { name: /^Starts when: a member starts it/ }));
  await hand.choose(page.getByLabel('It starts when someone'), 'segment-joined');
  await hand.choose(page.getByLabel('Segment', { exact: true }), 'Sloops');
  await hand.press(button('Use this'));
  await hand.key('n');
  await hand.press(page.getByRole('menuitem', { name: 'an email', exact: true }));
  await page.getByLabel('Subject').waitFor();
  await hand.fill(page.getByLabel('Subject'), 'At sea');
  await hand.press(page.getByLabel('Body of the letter'));
  await hand.type('How is the ');
  await hand.press(button('Fields'));
  await hand.press(page.getByRole('menuitem', { name: /^their Boat/i }));
  await hand.type('?');
  await hand.key('Escape');
  await page.getByText('· saved').waitFor();
  await hand.key('c');
  await hand.press(button('Switch on'));
  await hand.press(button('Switch on', page.getByRole('dialog')));
  await page.getByText(/^on since/).waitFor();
  const { rows } = await (await page.request.get(`${stack.url}/api/people?search=atthefair`)).json();
  const ketch = rows.find((r) => r.name === 'Guest1 Atthefair');
  await page.goto(`${stack.url}/people/${ketch.id}`);
  await hand.press(button('edit'));
  await hand.choose(page.getByLabel('Boat', { exact: true }), 'Sloop');
  await hand.key('Control+Enter');
  await page.getByText('“For sloops” started').first().waitFor();
  await hand.press(page.getByRole('link', { name: 'For sloops' }).first());
  await page.getByRole('button', { name: '1 person is on it' }).waitFor();

  // Out as a workbook, which an independent reader reads.
  await page.goto(`${stack.url}/people?search=atthefair`);
  await page.getByText('6 people').waitFor();
  const [out] = await Promise.all([page.waitForEvent('download'), hand.press(button('workbook (.xlsx)'))]);
  const [{ data }] = await readXlsxFile(await out.path());
  const column = (name) => data[0].indexOf(name);
  assert.deepEqual(
    data.slice(1).map((r) => [r[column('first_name')], r[column('custom:Boat')], r[column('owner')]]),
    boats.map((boat, i) => [`Guest${i}`, i === 1 ? 'Sloop' : boat, 'Ada Quill']),
  );
  t.diagnostic(`${hand.actions} actions`);
  await leave();
});

test('cards of an address book in, on a list, and out again as an independent reader reads them', async (t) => {
  const { page, hand, button, leave } = await desk();
  const file = path.join(stack.home, 'book.vcf');
  fs.writeFileSync(
    file,
    [
      ['VERSION:4.0', 'FN:Zora Cardwell', 'N:Cardwell;Zora;;;', 'TEL;VALUE=uri;TYPE="cell,text":tel:+1-207-555-0166', 'EMAIL:zora.cardwell@example.com', 'BDAY:19750314', 'ADR:;;9 Quay Lane;Port Averil;ME;04999;', 'PHOTO:data:image/png;base64,AAAA'],
      ['VERSION:3.0', 'FN:Ole Cardwell', 'N:Cardwell;Ole;;;', 'TEL;TYPE=CELL:(207) 555-0167', 'CATEGORIES:warm', 'NOTE:Likes\\, above all\\, the sea'],
    ]
      .map((lines) => ['BEGIN:VCARD', ...lines, 'END:VCARD', ''].join('\r\n'))
      .join(''),
  );
  await page.goto(`${stack.url}/people/bring-in`);
  await page.getByLabel('A file of people').setInputFiles(file);
  await page.getByText('A card has a picture; pictures are left out.').waitFor();
  await accessible(page, 'cards reviewed');
  await hand.press(button('Bring 2 people in'));
  await page.getByRole('heading', { name: 'They are in' }).waitFor();

  // Both on a list, from the list of people.
  await page.goto(`${stack.url}/people?search=cardwell`);
  await page.getByText('2 people').waitFor();
  await hand.check(page.getByLabel('Pick all shown'));
  await hand.fill(page.getByLabel('Keep on a list'), 'Boat owners');
  await hand.key('Enter');
  await hand.press(button(/^Keep on “Boat owners”: 2 people/));
  await page.getByText('Kept on “Boat owners”: 2 people.').waitFor();
  await page.goto(`${stack.url}/people/lists`);
  const line = page.getByRole('listitem').filter({ hasText: 'Boat owners' });
  await line.getByText('2', { exact: true }).waitFor();
  await accessible(page, 'lists');
  await hand.press(line.getByRole('link', { name: 'Boat owners' }));
  await page.getByText('2 people').waitFor();

  // Out as cards; in again they are who they are.
  const [out] = await Promise.all([page.waitForEvent('download'), hand.press(button('cards (.vcf)'))]);
  const cards = ICAL.parse(fs.readFileSync(await out.path(), 'utf8')).map((card) => new ICAL.Component(card));
  const of = (card, name) => card.getFirstPropertyValue(name);
  assert.deepEqual(
    cards.map((c) => [of(c, 'fn'), of(c, 'n').slice(0, 2), of(c, 'tel'), c.getFirstProperty('x-germinal-column') ? 'ours' : '']),
    [
      ['Ole Cardwell', ['Cardwell', 'Ole'], '+12075550167', 'ours'],
      ['Zora Cardwell', ['Cardwell', 'Zora'], '+12075550166', 'ours'],
    ],
  );
  assert.deepEqual([of(cards[1], 'bday').toString(), of(cards[1], 'adr').slice(2, 6)], ['1975-03-14', ['9 Quay Lane', 'Port Averil', 'ME', '04999']]);
  await page.goto(`${stack.url}/people/bring-in`);
  await page.getByLabel('A file of people').setInputFiles(await out.path());
  await page.getByRole('button', { name: 'Bring 0 people in' }).waitFor();
  t.diagnostic(`${hand.actions} actions`);
  await leave();
});

test('a ready program is taken, its questions answered, a letter changed, rehearsed, and switched on', async () => {
  const { page, leave } = await desk();
  await page.goto(`${stack.url}/programs`);
  await page.getByRole('link', { name: 'Ready programs' }).click();
  await page.getByLabel('Search the ready programs').fill('borrower');
  await page.getByRole('link', { name: 'Eight weeks for a borrower' }).click();
  await page.getByRole('heading', { name: /would get it/ }).waitFor();
  // Every letter as one of one's own people would get it.
  assert.equal(await page.getByRole('list', { name: 'Steps' }).locator('> li').count(), 8);
  await page.getByRole('button', { name: 'Take it' }).click();
  await page.getByText('needs an answer').first().waitFor();
  await page.getByLabel('Which stage do they stand in when it starts?').selectOption('Planning/Inquiry');
  await page.getByLabel('Which stage means that they are clients?').selectOption('Planning/Client');
  await page.getByLabel('Do you write as one person, or as a house?').selectOption('we, as a house');
  await page.getByLabel('At what time of their day?').fill('10:15');
  await page.getByRole('button', { name: 'Take it' }).click();
  await page.getByLabel('Name of the program').waitFor();
  assert.equal(await page.getByLabel('Name of the program').inputValue(), 'Eight weeks for a borrower');
  // A letter is changed where it stands: a passage only for some, and the sender's own words below.
  await page.getByRole('button', { name: 'write the letter' }).first().click();
  const body = page.getByLabel('Body of the letter');
  await body.click();
  await page.keyboard.press('Control+Home');
  await page.keyboard.type('A first line of my own. ');
  await page.getByRole('button', { name: 'Put in' }).click();
  await page.getByRole('menuitem', { name: 'a passage only for some' }).click();
  await body.getByText('What only they read.').waitFor();
  await page.getByText('· saved').waitFor();
  // A fork's person sees the new words in the margin.
  await page.frameLocator('iframe[title="The letter"]').getByText('A first line of my own.').waitFor();
  await page.getByRole('link', { name: 'Rehearse it over everybody' }).click();
  await page.getByRole('button', { name: 'Rehearse it' }).click();
  await page.getByText(/it starts for/).waitFor();
  const rows = page.getByRole('table', { name: 'What goes out, week by week' }).getByRole('row');
  assert.ok((await rows.count()) > 8, 'a year of weeks');
  await page.getByRole('list', { name: 'Who gets it' }).getByRole('button').first().press('Enter');
  await page.getByRole('heading', { name: /^What comes for / }).waitFor();
  await page.getByRole('link', { name: 'the program' }).click();
  await page.getByRole('button', { name: 'Switch on' }).click();
  await page.getByRole('dialog').getByRole('button', { name: /^Switch on/ }).click();
  await page.getByText(/on since /).waitFor();
  await leave();
});

test('a program is walked through, its reader played, and the walk kept as a test', async () => {
  const { page, leave } = await desk();
  const guard = (await (await page.request.get(`${stack.url}/api/session`)).json()).guard;
  const taken = await page.request.post(`${stack.url}/api/ready-programs/review/take`, {
    data: { answers: [] },
    headers: { 'X-Germinal-Guard': guard },
  });
  assert.equal(taken.status(), 200, await taken.text());
  await page.goto(`${stack.url}/programs/${(await taken.json()).id}`);
  await page.getByRole('link', { name: 'Walk it through' }).press('Enter');
  const line = page.getByRole('list', { name: 'The walk' }).getByRole('listitem');
  await page.getByRole('heading', { name: 'Why' }).waitFor();
  assert.equal(await line.count(), 1);
  // Played as the reader: they follow the link, and are thanked in the place of being asked again.
  await page.getByRole('button', { name: 'follow “Say how it was”' }).press('Enter');
  await page.getByText('They followed “Say how it was”').waitFor();
  await page.keyboard.press('n');
  await until('the next moment is shown', async () => (await line.count()) === 2);
  await page.getByRole('button', { name: 'to the end' }).press('Enter');
  await page.getByText('Thank you for your words').waitFor();
  await page.getByText('That is the end of it.').waitFor();
  await page.getByLabel('Keep this walk as').fill('follows the link');
  await page.keyboard.press('Enter');
  await page.getByRole('list', { name: 'Kept walks' }).getByText('as it was').waitFor();
  await page.getByRole('button', { name: 'from the beginning' }).press('Enter');
  await page.getByRole('button', { name: 'Send me this one' }).press('Enter');
  await page.getByText('It is on its way to you').waitFor();
  await page.goto(`${stack.url}/stand-ins/mail`);
  await page.getByText(/^Trial: How was it/).first().waitFor();
  // Changed, the program is walked again, and says what goes otherwise.
  await page.goBack();
  await page.getByRole('link', { name: 'the program' }).click();
  await page.getByLabel('Name of the program').waitFor();
  await page.getByRole('button', { name: 'take out' }).first().click();
  await page.getByText('· saved').waitFor();
  await page.getByRole('link', { name: /kept walk goes otherwise/ }).click();
  await page.getByRole('list', { name: 'Kept walks' }).getByText('otherwise', { exact: true }).waitFor();
  await leave();
});

test('a letter is written from a layout, followed by a step, and read as it arrives, by keyboard', async () => {
  const { page, leave } = await desk();
  await page.goto(`${stack.url}/letters`);
  await page.getByRole('link', { name: 'One thing to do' }).press('Enter');
  await page.getByLabel('Name of the letter').fill('Before the summer');
  await page.getByRole('button', { name: 'Keep the letter' }).press('Enter');
  await page.getByText('“Before the summer” is kept.').waitFor();
  // It says so a moment before its own page takes the place of the new letter's: what is opened on that one goes with it.
  await page.getByText('as Ada Quill kept it').waitFor();
  await page.getByRole('button', { name: 'as it arrives' }).press('Enter');
  const arrived = page.frameLocator('iframe[title="The letter at a desk"]');
  await arrived.getByText('What the button does').waitFor();
  await page.getByLabel('as plain text').press('Space');
  await page.getByText('Stop these emails:').waitFor();
  await page.keyboard.press('Escape');
  await page.goto(`${stack.url}/programs`);
  await page.getByLabel('What is it called').fill('Follows a letter');
  await page.getByRole('button', { name: 'Write it' }).click();
  await page.getByLabel('Name of the program').waitFor();
  await page.keyboard.press('n');
  await page.getByRole('menuitem', { name: /email/i }).click();
  // The letter that opens takes the cursor.
  await page.getByLabel('Subject').waitFor();
  await page.getByRole('button', { name: 'follow a letter' }).press('Enter');
  await page.getByRole('button', { name: 'Before the summer' }).press('Enter');
  await page.getByText('the letter “').waitFor();
  await page.getByText('· saved').waitFor();
  await page.reload();
  await page.getByRole('link', { name: 'open the letter' }).press('Enter');
  await page.getByText('used by “Follows a letter”').waitFor();
  await page.getByRole('button', { name: 'Throw it away' }).press('Enter');
  await page.getByText(/is used by “Follows a letter”/).waitFor();
  await leave();
});

test('letters fit 320, 600 and 1280 pixels in both colours, without sideways scroll, and axe finds nothing', async () => {
  const { page, leave } = await desk();
  await page.goto(stack.url);
  await page.getByRole('heading', { level: 2, name: 'Calls' }).waitFor();
  const guard = (await (await page.request.get(`${stack.url}/api/session`)).json()).guard;
  const layouts = await (await page.request.get(`${stack.url}/api/letters/layouts`)).json();
  assert.equal(layouts.length, 6);
  const wide = { subject: 'Wide', body: `<p>${'word'.repeat(60)}</p><img src="/i/none" alt="a wide picture" width="2000"><table><tbody><tr>${'<td>12,345,678</td>'.repeat(4)}</tr></tbody></table>` };
  for (const { subject, body } of [...layouts, wide]) {
    const read = await page.request.post(`${stack.url}/api/letters/read`, { data: { subject, body, move: 0 }, headers: { 'X-Germinal-Guard': guard } });
    assert.equal(read.status(), 200, await read.text());
    const html = (await read.json()).page;
    for (const colorScheme of ['light', 'dark']) {
      const mail = await page.context().newPage();
      await mail.emulateMedia({ colorScheme });
      await mail.route('**/i/**', (route) => route.abort());
      for (const width of [320, 600, 1280]) {
        await mail.setViewportSize({ width, height: 800 });
        await mail.setContent(html);
        const over = await mail.evaluate(() => document.documentElement.scrollWidth - document.documentElement.clientWidth);
        assert.ok(over <= 0, `“${subject}” is ${over} px too wide at ${width}`);
        const text = await mail.evaluate(() => document.querySelector('.words').getBoundingClientRect().width);
        assert.ok(text <= 600, `“${subject}” is ${text} px wide`);
      }
      await readable(mail, `the letter “${subject}”, ${colorScheme}`);
      await mail.close();
    }
  }
  await leave();
});

test('every ready program rehearsed over the demo for a year: as many touches as the trade counts', async (t) => {
  // 8 in 8 weeks; 36 a year, of which 29 are letters; twelve letters; a market letter each 29 days (common practice, no source).
  const trade = {
    'eight-weeks-borrower': { touches: 8 },
    'eight-weeks-buyer': { touches: 8 },
    'eight-weeks-plan': { touches: 8 },
    'eight-weeks-seller': { touches: 8 },
    'year-round': { touches: 36, letters: 29 },
    'twelve-letters': { touches: 12, letters: 12 },
    'market-letter': { every: 29 },
  };
  const ada = await apiClient(stack.url, 'ada@example.com', stack.password);
  const standIns = { stage: 'Planning/Client', tag: 'Client', member: 'owner', time: '09:30' };
  const told = [];
  for (const { key } of await ada.get('/api/ready-programs')) {
    const { questions } = await ada.get(`/api/ready-programs/${key}`);
    const answers = questions.map((q) => ({ id: q.id, value: standIns[q.kind] ?? q.default ?? q.choices[0] }));
    const { id, findings } = await ada.post(`/api/ready-programs/${key}/take`, { answers });
    assert.deepEqual(findings?.filter((f) => !f.isWarning) ?? [], [], key);
    await ada.post(`/api/programs/${id}/rehearsal`, { until: '2028-03-01' });
    const { result, trouble } = await until(`${key} is rehearsed`, async () => {
      const state = await ada.get(`/api/programs/${id}/rehearsal`);
      return !state.running && state;
    });
    assert.equal(trouble ?? undefined, undefined, key);
    told.push(`${key} ${result.starting}`);
    const expected = trade[key];
    if (!expected) continue;
    assert.ok(result.starting > 20, `${key} starts for ${result.starting}`);
    const most = Math.max(...result.who.map((w) => w.touches + w.heldBack));
    if (expected.touches) assert.equal(most, expected.touches, key);
    const whole = result.who.find((w) => w.heldBack === 0 && w.touches === most);
    assert.ok(whole, `${key}: somebody gets all of it`);
    const touches = await ada.get(`/api/programs/${id}/rehearsal/${whole.person.id}?until=2028-03-01`);
    const own = touches.filter((x) => x.here && !x.willNot);
    if (expected.letters) assert.equal(own.filter((x) => x.kind === 'email').length, expected.letters, key);
    if (expected.every) {
      const days = own.filter((x) => x.kind === 'email').map((x) => Math.round(new Date(x.at) / 86_400_000));
      assert.ok(days.length >= 11, `${days.length} market letters`);
      // A weekend or holiday puts one off by up to four days; the next is counted from it.
      for (let i = 1; i < days.length; i++) assert.ok(days[i] - days[i - 1] >= 29 && days[i] - days[i - 1] <= 33, `${days[i] - days[i - 1]} days apart`);
    }
  }
  t.diagnostic(told.join(', '));
});

test('three steps go into another program by keyboard, are moved, drawn into a passage, and taken back', async () => {
  const { page, leave } = await desk();
  const all = await programs(page);
  const made = await (
    await page.request.post(`${stack.url}/api/programs`, {
      data: { name: 'Copied into' },
      headers: { 'X-Germinal-Guard': (await (await page.request.get(`${stack.url}/api/session`)).json()).guard },
    })
  ).json();
  const steps = page.getByRole('button', { name: /^Pick “.*” with others$/ });
  const order = () => steps.evaluateAll((found) => found.map((s) => s.getAttribute('aria-label').slice(6, 22)));
  await page.goto(`${stack.url}/programs/${all.find((p) => p.name === 'First eight weeks').id}`);
  await steps.first().waitFor();
  // What each step has done stands beside it, with its people a press away.
  await page.getByRole('button', { name: /^\d+ sent$/ }).first().click();
  await page.getByRole('dialog').getByRole('link').first().waitFor();
  await page.keyboard.press('Escape');
  for (const key of ['x', 'j', 'x', 'j', 'x', 'Control+c']) await page.keyboard.press(key);
  await page.getByText('3 steps are copied').waitFor();
  const [first, second, third] = await order();

  await page.goto(`${stack.url}/programs/${made.id}`);
  await page.getByText('Nothing yet').waitFor();
  await page.keyboard.press('Control+v');
  await page.getByText('3 steps are put in.').waitFor();
  assert.deepEqual(await order(), [first, second, third]);
  for (const key of ['j', 'Alt+ArrowUp']) await page.keyboard.press(key);
  assert.deepEqual(await order(), [second, first, third]);
  for (const key of ['Control+z', 'Control+z']) await page.keyboard.press(key);
  await until('nothing is left', async () => (await steps.count()) === 0);
  for (const key of ['Control+Shift+z', 'Control+Shift+z']) await page.keyboard.press(key);
  assert.deepEqual(await order(), [second, first, third]);

  // A fork below, and a step drawn into what happens if so.
  await page.getByRole('button', { name: 'none', exact: true }).click();
  await steps.last().click();
  await page.getByRole('button', { name: 'none', exact: true }).click();
  for (const key of ['j', 'j', 'n']) await page.keyboard.press(key);
  await page.getByRole('menuitem', { name: /^a fork/ }).click();
  const inside = page.getByText('nothing, it goes on').first();
  await inside.waitFor();
  const [from, to] = [await steps.first().boundingBox(), await inside.boundingBox()];
  await page.mouse.move(from.x + 12, from.y + 12);
  await page.mouse.down();
  await page.mouse.move(from.x + 30, from.y + 60, { steps: 5 });
  await page.mouse.move(to.x + 60, to.y + to.height + 2, { steps: 12 });
  await page.mouse.up();
  const passage = page.getByRole('list', { name: 'Passage' });
  await passage.waitFor();
  assert.equal(await passage.getByRole('listitem').count(), 1);
  await accessible(page, 'steps moved about');
  await page.keyboard.press('j');
  await page.getByText('· saved').waitFor();
  // What is pasted and holds no steps says so, and changes nothing.
  const before = await steps.count();
  await page.evaluate(() => {
    const data = new DataTransfer();
    data.setData('text/plain', 'Dear Ida');
    document.dispatchEvent(new ClipboardEvent('paste', { clipboardData: data, bubbles: true }));
  });
  await page.getByText(/holds no steps of a program/).waitFor();
  assert.equal(await steps.count(), before);
  await leave();
});

test('an offer, figures and a file go with a letter; what is different is said before it goes', async () => {
  const { page, leave } = await desk();
  await page.goto(`${stack.url}/letters/offers`);
  await page.getByRole('button', { name: 'Write one' }).click();
  await page.getByLabel('What it is called').fill('Open house');
  await page.getByLabel('What is to be known of it').fill('Sunday at two');
  await page.getByRole('button', { name: 'Keep it', exact: true }).click();
  await page.getByRole('list', { name: 'Offers' }).getByRole('button', { name: 'Open house' }).waitFor();

  await page.getByRole('link', { name: 'Figures' }).click();
  await page.getByRole('list', { name: 'Tables of figures' }).getByRole('button', { name: 'House prices' }).click();
  await page.getByLabel('A list of figures').setInputFiles({ name: 'f.csv', mimeType: 'text/csv', buffer: Buffer.from('area,month,median price\nPort Averil,nonsense,1\n') });
  await page.getByText(/Line 2: “nonsense” is no month/).waitFor();
  await page.getByLabel('A list of figures').setInputFiles({ name: 'f.csv', mimeType: 'text/csv', buffer: Buffer.from('area,month,median price\nNew Quay,2027-02,"$333,000"\n') });
  await page.getByText('1 number is in').waitFor();
  await page.getByRole('cell', { name: '$333,000' }).waitFor();
  await accessible(page, 'figures');

  await page.getByRole('link', { name: 'Files' }).click();
  await page.getByLabel('Files to keep').setInputFiles([
    { name: 'Fees.pdf', mimeType: 'application/pdf', buffer: Buffer.from('%PDF-1.7\nfees\n%%EOF\n') },
    { name: 'Not one.pdf', mimeType: 'application/pdf', buffer: Buffer.from('<html>') },
  ]);
  await page.getByText(/“Not one.pdf” is not a PDF/).waitFor();
  await page.getByLabel('Name of Fees.pdf').waitFor();

  const all = await programs(page);
  await page.goto(`${stack.url}/programs/${all.find((p) => p.name === 'Birthday').id}`);
  const body = page.getByLabel('Body of the letter');
  // What each step has done comes in a moment later and moves what stands below it; a press beside the button is pressed again.
  await until('the letter is open', async () => {
    if (!(await body.isVisible())) await page.getByRole('button', { name: 'write the letter' }).first().click();
    return body.waitFor({ timeout: 2000 }).then(
      () => true,
      () => false,
    );
  });
  await body.click();
  await page.keyboard.press('Control+End');
  for (const [part, choose, name] of [
    ['an offer', 'choose one', 'Open house'],
    ['figures of their area', 'choose a table', 'House prices'],
  ]) {
    await page.getByRole('button', { name: 'Put in' }).click();
    await page.getByRole('menuitem', { name: part, exact: true }).click();
    await page.getByText(choose, { exact: true }).click();
    await page.getByRole('dialog').getByRole('button', { name, exact: true }).click();
  }
  await page.getByText('their town', { exact: true }).click();
  await page.getByRole('dialog').getByRole('button', { name: 'New Quay' }).click();
  await page.getByText('It carries no file.').first().click();
  await page.getByLabel('Fees.pdf').check();
  await page.getByRole('button', { name: 'Done', exact: true }).click();
  await page.getByText('With it: Fees.pdf.').waitFor();
  await page.getByText('· saved').waitFor();
  const shown = page.frameLocator('iframe[title="The letter"]');
  await shown.getByText('Sunday at two').waitFor();
  await shown.getByText('$333,000').waitFor();
  const told = page.getByRole('region', { name: 'What is different' });
  await told.getByText(/has other words/).waitFor();
  await told.getByText(/carries “Fees.pdf”/).waitFor();
  await accessible(page, 'what is different');
  const [booklet] = await Promise.all([page.waitForEvent('download'), page.getByRole('link', { name: 'All its letters as a booklet' }).click()]);
  assert.match(fs.readFileSync(await booklet.path(), 'latin1'), /^%PDF-/);
  await page.goto(stack.url);
  await page.getByRole('heading', { name: 'Not switched on' }).waitFor();
  await page.getByRole('link', { name: 'Birthday', exact: true }).click();
  await page.getByRole('button', { name: 'Publish the changes' }).waitFor();
  await leave();
});


/** A form that everybody can open, made as its page makes one; gives its id. */
async function aForm(name, more = {}) {
  const api = await apiClient(stack.url, 'ada@example.com', stack.password);
  const made = await api.post('/api/forms', { name });
  const questions = [
    { id: 'name', kind: 'text', ask: 'Your first name', required: true, into: 'first-name' },
    { id: 'mail', kind: 'email', ask: 'Your email address', required: true, into: 'email' },
    { id: 'about', kind: 'choice', ask: 'What is it about?', options: ['A house', 'A loan'] },
    { id: 'much', kind: 'number', ask: 'How much?', required: true, shownIf: { question: 'about', answers: ['A loan'] } },
    { id: 'yes', kind: 'consent', ask: 'Yes, write to me by email.', consent: { channel: 'email' } },
    { id: 'words', kind: 'long-text', ask: 'What would you like to know?' },
  ];
  await api.put(`/api/forms/${made.id}`, { edition: made.edition, draft: { format: 'germinal.form/1', name, questions, inquiryWhen: ['words'], ...more } });
  await api.post(`/api/forms/${made.id}/show`);
  return made.id;
}

/** A broadcast that is being written, with two versions and every way. */
async function aBroadcast(name) {
  const api = await apiClient(stack.url, 'ada@example.com', stack.password);
  const plan = {
    to: { kind: 'segment', name: 'Clients in Maine' },
    ways: [
      { kind: 'email', subject: 'One', body: '<p>Good day.</p>' },
      { kind: 'text', body: 'Good day' },
    ],
    test: { others: [{ subject: 'Another' }] },
  };
  return api.post('/api/broadcasts', { name, plan });
}

const addressOf = async (page, id) => (await (await page.request.get(`${stack.url}/api/forms/${id}`)).json()).address.replace(/^https?:\/\/[^/]+/, stack.url);

/** Nobody fills a form in less than two seconds; what comes faster waits apart. */
async function asAPerson(shown) {
  await until('it has been read', async () => Date.now() - shown > 2_100);
}

test('A form is written by key and shown; it stands in a page of another origin with a strict policy, is sent from there, and its inquiry is answered by key', async () => {
  const { page, leave } = await desk();
  await page.goto(`${stack.url}/forms`);
  await page.getByLabel('A new form').fill('Ask us from anywhere');
  await page.keyboard.press('Enter');
  await page.getByRole('textbox', { name: 'Question 4' }).waitFor();
  await page.keyboard.press('Escape');

  // Another question, by key, with its words.
  await page.getByRole('textbox', { name: 'Question 4' }).focus();
  await page.evaluate(() => document.activeElement.blur());
  await page.keyboard.press('n');
  await page.getByRole('menuitem', { name: 'a yes to being written to' }).press('Enter');
  await page.getByRole('textbox', { name: 'Question 5' }).fill('Yes, you may write to me about plans.');
  await until('it is saved', async () => (await page.locator('[role=status]').allInnerTexts()).includes('saved'));
  await page.getByRole('button', { name: 'Show it to everybody' }).click();
  await page.getByText('Everybody sees it as it stands here.').waitFor();
  const id = page.url().split('/').at(-1);
  const address = await addressOf(page, id);
  await leave();

  // A page of somebody else’s, that lets nothing in but our script and our frame.
  const policy = `default-src 'none'; script-src ${stack.url}; frame-src ${stack.url}`;
  const host = http.createServer((_, answer) => {
    answer.setHeader('content-type', 'text/html');
    answer.setHeader('content-security-policy', policy);
    answer.end(`<!doctype html><html lang="en"><title>A page</title><h1>Somebody else’s page</h1><script src="${address}/embed.js" data-values="x=1"></script>`);
  });
  await new Promise((done) => host.listen(0, '127.0.0.1', done));
  const visitor = await browser.newContext({ viewport: { width: 360, height: 740 }, reducedMotion: 'reduce' });
  const other = await visitor.newPage();
  const refused = [];
  other.on('console', (m) => /Content Security Policy/.test(m.text()) && refused.push(m.text()));
  await other.goto(`http://localhost:${host.address().port}/`);
  const shown = Date.now();
  const frame = other.frameLocator('iframe');
  await frame.getByLabel('Your first name').fill('Embla');
  await frame.getByLabel(/Your last name/).fill('Rahm');
  await frame.getByLabel('Your email address').fill('embla.rahm@example.com');
  await frame.getByLabel(/What would you like/).fill('Can one begin a plan at sixty?');
  await frame.getByLabel('Yes, you may write').check();
  const height = () => other.locator('iframe').evaluate((f) => f.getBoundingClientRect().height);
  await until('the frame is as high as what stands in it', async () => Math.abs((await height()) - (await frame.locator('html').evaluate((h) => h.getBoundingClientRect().height))) < 2);
  await asAPerson(shown);
  await frame.getByRole('button', { name: 'Send' }).click();
  await frame.getByText('It has reached us').waitFor();
  assert.deepEqual(refused, []);
  assert.deepEqual(await visitor.cookies(), []);
  await visitor.close();
  host.close();

  const after = await desk();
  await after.page.goto(`${stack.url}/inquiries`);
  const line = after.page.getByRole('button', { name: /Embla Rahm/ });
  await line.click();
  await after.page.getByText('Yes, you may write to me about plans.').waitFor();
  await after.page.keyboard.press('w');
  await after.page.keyboard.type('Dear Embla, one can.');
  await after.page.keyboard.press('Control+Enter');
  await after.page.getByText('Embla Rahm: the answer is on its way.').waitFor();
  await line.waitFor({ state: 'detached' });
  await until('it has gone out', async () => (await (await fetch(`${stack.standIns}/messages`)).text()).includes('embla.rahm@example.com'));
  await after.leave();
});

test('A public form works without script, by keyboard, on a narrow telephone, in both colours, and weighs little', async () => {
  const { page, leave } = await desk();
  const address = await addressOf(page, await aForm('Plain to everybody'));
  await leave();

  // Without script: everything is asked, and what is not meant is not read.
  const plain = await browser.newContext({ viewport: { width: 360, height: 740 }, javaScriptEnabled: false });
  const bare = await plain.newPage();
  await bare.goto(address);
  let shown = Date.now();
  await bare.getByText('Only if “What is it about?” is “A loan”:').waitFor();
  await bare.getByLabel('Your first name').fill('Noor');
  await bare.getByLabel('Your email address').fill('no address');
  await bare.getByRole('button', { name: 'Send' }).click();
  await bare.getByText('is not an email address').first().waitFor();
  shown = Date.now();
  assert.equal(await bare.getByLabel('Your first name').inputValue(), 'Noor');
  await bare.getByLabel('Your email address').fill('noor@example.com');
  await bare.getByLabel('A house').check();
  await asAPerson(shown);
  await bare.getByRole('button', { name: 'Send' }).click();
  await bare.getByText('It has reached us').waitFor();
  await plain.close();

  // By keyboard alone, with script: what is asked follows the answers.
  for (const colorScheme of ['light', 'dark']) {
    const visitor = await browser.newContext({ viewport: { width: 360, height: 740 }, reducedMotion: 'reduce', colorScheme });
    const other = await visitor.newPage();
    let weight = 0;
    other.on('response', async (r) => {
      weight += (await r.request().sizes()).responseBodySize;
    });
    await other.goto(address, { waitUntil: 'networkidle' });
    assert.ok(weight > 0 && weight <= 60_000, `${weight} bytes`);
    await accessible(other, `the public form, ${colorScheme}`);
    await fits(other, 'the public form');
    shown = Date.now();
    assert.equal(await other.getByLabel('How much?').isVisible(), false);
    await other.keyboard.press('Tab');
    await other.keyboard.type('Kay');
    await other.keyboard.press('Tab');
    await other.keyboard.type(`kay.${colorScheme}@example.com`);
    await other.keyboard.press('Tab');
    await other.keyboard.press('Space');
    await other.keyboard.press('ArrowDown');
    assert.equal(await other.getByLabel('A loan').isChecked(), true);
    await other.keyboard.press('Tab');
    await other.keyboard.type('250');
    await other.keyboard.press('Tab');
    await other.keyboard.press('Space');
    await asAPerson(shown);
    await other.keyboard.press('Tab');
    await other.keyboard.press('Tab');
    await other.keyboard.press('Enter');
    await other.getByText('It has reached us').waitFor();
    await accessible(other, `its thanks, ${colorScheme}`);
    await visitor.close();
  }
});

/** The newest mail to an address that carries an appointment, as its calendar and the link by which it is changed. */
async function appointmentMail(page, address, subject) {
  let raw;
  await until(`the mail to ${address}`, async () => {
    const { messages } = await (await page.request.get(`${stack.url}/api/stand-ins/mail?search=${encodeURIComponent(address)}`)).json();
    const found = messages.find((m) => m.subject.startsWith(subject));
    if (!found) return false;
    raw = await (await page.request.get(`${stack.url}/api/stand-ins/mail/${found.number}/source`)).body();
    return true;
  });
  const mail = await simpleParser(raw);
  const part = mail.attachments.find((a) => a.contentType === 'text/calendar');
  assert.match(raw.toString('latin1'), /content-type: text\/calendar;[^\n]*(\n[ \t][^\n]*)*method=(REQUEST|CANCEL)/i);
  const calendar = new ICAL.Component(ICAL.parse(part.content.toString('utf8')));
  return { method: calendar.getFirstPropertyValue('method'), event: new ICAL.Event(calendar.getFirstSubcomponent('vevent')), link: mail.text.match(/\/a\/[\w-]+/)?.[0] };
}

test('A member says when they can be met; times are chosen without script and from another zone, read by calendars, moved and cancelled by link', async () => {
  const { page, leave } = await desk();
  await page.goto(`${stack.url}/meetings`);
  await page.getByLabel('A new page').fill('A word about wills');
  await page.keyboard.press('Enter');
  await page.getByRole('button', { name: 'A word about wills' }).waitFor();
  const minutes = page.getByLabel('How many minutes it takes');
  await until('it is the page that is picked', async () => (await page.getByLabel('Title').inputValue()) === 'A word about wills');
  await minutes.fill('30');
  await page.keyboard.press('Tab');
  await page.getByText('It is kept.').first().waitFor();
  await page.getByRole('button', { name: 'More hours on Saturday' }).click();
  await page.getByLabel('Saturday, from').waitFor();
  await page.getByRole('button', { name: 'Show it to everybody' }).click();
  const link = page.getByRole('complementary').getByRole('link', { name: /\/time\// });
  await link.waitFor();
  const address = (await link.getAttribute('href')).replace(/^https?:\/\/[^/]+/, stack.url);

  // Without script, on a narrow telephone: days open by a press, and what is lacking is said.
  const plain = await browser.newContext({ viewport: { width: 360, height: 740 }, javaScriptEnabled: false });
  const bare = await plain.newPage();
  await bare.goto(address);
  await bare.getByText('These are times of America/New_York.').waitFor();
  await bare.getByLabel('Your first name').fill('Plain');
  await bare.getByLabel('Your email address').fill('plain.time@example.com');
  let shown = Date.now();
  await bare.getByRole('button', { name: 'Choose this time' }).click();
  await bare.getByText('Choose one of the times.').waitFor();
  shown = Date.now();
  await bare.locator('summary').nth(1).click();
  await bare.locator('details').nth(1).getByRole('radio').first().check();
  await asAPerson(shown);
  await bare.getByRole('button', { name: 'Choose this time' }).click();
  await bare.getByRole('heading', { name: 'It is yours' }).waitFor();
  await plain.close();

  // With script, in both colours, from Berlin: times are theirs.
  for (const colorScheme of ['light', 'dark']) {
    const visitor = await browser.newContext({ viewport: { width: 360, height: 740 }, reducedMotion: 'reduce', colorScheme, timezoneId: 'Europe/Berlin', locale: 'en-GB' });
    const other = await visitor.newPage();
    let weight = 0;
    other.on('response', async (r) => {
      weight += (await r.request().sizes()).responseBodySize;
    });
    await other.goto(address, { waitUntil: 'networkidle' });
    assert.ok(weight > 0 && weight <= 60_000, `${weight} bytes`);
    await other.getByText('These are times of your own zone, Europe/Berlin.').waitFor();
    await accessible(other, `times to choose, ${colorScheme}`);
    await fits(other, 'times to choose');
    shown = Date.now();

    // By key: the first day is open, its first time is the next to be reached.
    await other.keyboard.press('Tab');
    await other.keyboard.press('Tab');
    await other.keyboard.press('Space');
    const chosen = await other.locator('.times input:checked').inputValue();
    const face = new Intl.DateTimeFormat('en-GB', { timeStyle: 'short', timeZone: 'Europe/Berlin' }).format(new Date(chosen));
    assert.equal((await other.locator('.times label:has(:checked) time').innerText()).trim(), face);
    await other.getByLabel('Your first name').fill('Berta');
    await other.getByLabel('Your email address').fill(`berta.${colorScheme}@example.com`);
    await other.getByLabel(/What is it about/).fill('The will of an aunt');
    await asAPerson(shown);
    await other.getByRole('button', { name: 'Choose this time' }).click();
    await other.getByRole('heading', { name: 'It is yours' }).waitFor();
    assert.deepEqual(await visitor.cookies(), []);
    await accessible(other, `a chosen time, ${colorScheme}`);
    const made = await appointmentMail(page, `berta.${colorScheme}@example.com`, 'first meeting');
    assert.equal(made.method, 'REQUEST');
    assert.equal(made.event.startDate.toJSDate().toISOString(), new Date(chosen).toISOString());
    assert.equal(made.event.duration.toSeconds(), 1800);

    if (colorScheme === 'light') {
      // Moved by its link, and cancelled; calendars know it again.
      await other.goto(stack.url + made.link);
      await accessible(other, 'an appointment to be moved');
      await fits(other, 'an appointment to be moved');
      await other.locator('summary').nth(1).click();
      const to = other.locator('details').nth(1).getByRole('radio').first();
      const moved = await to.inputValue();
      await to.check();
      await other.getByRole('button', { name: 'Move it to this time' }).click();
      const again = await appointmentMail(page, 'berta.light@example.com', 'Moved');
      assert.deepEqual([again.event.uid, again.event.sequence, again.event.startDate.toJSDate().toISOString()], [made.event.uid, 1, new Date(moved).toISOString()]);
      await other.getByRole('button', { name: 'Cancel the appointment' }).click();
      await other.getByText('This appointment was cancelled.').waitFor();
      const gone = await appointmentMail(page, 'berta.light@example.com', 'Cancelled');
      assert.deepEqual([gone.method, gone.event.uid, gone.event.sequence], ['CANCEL', made.event.uid, 2]);
    }

    await visitor.close();
  }

  // Whoever is met reads it on Today.
  await page.goto(stack.url);
  await page.getByText(/Berta has chosen a time: first meeting/).first().waitFor();
  await leave();
});

test('A letter is shown as a page with a form in it; what is sent there stands under Inquiries with what brought it', async () => {
  const { page, hand, button, leave } = await desk();
  const form = await aForm('Asked on a page');
  // The editor's part of the page comes late, while somebody writes the name already: it leaves the cursor where it is.
  let named;
  const written = new Promise((done) => (named = done));
  await page.route(/LetterEditor-[^/]*\.js$/, async (route) => {
    await written;
    await route.continue();
  });
  await page.goto(`${stack.url}/letters/new`);
  await page.getByLabel('Name of the letter').click();
  await page.keyboard.type('What a will');
  named();
  await page.getByRole('textbox', { name: 'Body of the letter' }).waitFor();
  await page.keyboard.type(' is');
  assert.equal(await page.getByLabel('Name of the letter').inputValue(), 'What a will is');
  await page.getByRole('textbox', { name: 'Subject' }).fill('What a will is, and what it is not');
  await page.getByRole('textbox', { name: 'Body of the letter' }).click();
  await page.keyboard.type('A will says who gets what.');
  await button('Put in').click();
  await page.getByRole('menuitem', { name: 'a form', exact: true }).click();
  await page.getByRole('button', { name: 'Form: none yet' }).click();
  await page.getByRole('button', { name: 'Asked on a page', exact: true }).click();
  await page.getByRole('button', { name: 'Form: Asked on a page' }).waitFor();
  await hand.press(button('Keep the letter'));
  await hand.press(button('As a page'));
  await page.getByRole('heading', { level: 1, name: 'What a will is, and what it is not' }).waitFor();
  await page.getByLabel('What they say of it').fill('In five sentences, and a question at the end.');
  await page.keyboard.press('Tab');
  await page.getByText('It is kept.').first().waitFor();
  await hand.press(button('Show it to everybody'));
  const link = page.getByRole('complementary').getByRole('link', { name: /\/page\// });
  await link.waitFor();
  const address = (await link.getAttribute('href')).replace(/^https?:\/\/[^/]+/, stack.url);

  // The browser says what every browser says; ours says by itself that no person looks through it.
  const visitor = await browser.newContext({ viewport: { width: 360, height: 740 }, reducedMotion: 'reduce', userAgent: 'Mozilla/5.0 (X11; Linux x86_64) AppleWebKit/537.36' });
  const other = await visitor.newPage();
  await other.goto(address);
  const shown = Date.now();
  assert.equal(await other.locator('meta[name=description]').getAttribute('content'), 'In five sentences, and a question at the end.');
  await accessible(other, 'a letter as a page');
  await fits(other, 'a letter as a page');
  await other.getByLabel('Your first name').fill('Pagea');
  await other.getByLabel('Your email address').fill('pagea@example.com');
  await other.getByLabel(/What would you like/).fill('May one write it by hand?');
  await asAPerson(shown);
  await other.getByRole('button', { name: 'Send' }).click();
  await other.getByText('It has reached us').waitFor();
  assert.deepEqual(await visitor.cookies(), []);
  await visitor.close();

  await page.reload();
  await page.getByText('opened 1 time').waitFor();
  await page.getByText('1 form was sent by it.').waitFor();
  await page.goto(`${stack.url}/inquiries`);
  await page.getByRole('button', { name: /Pagea/ }).click();
  await page.getByText(/on http.*\/page\/what-a-will-is/).waitFor();
  assert.ok(form);
  await leave();
});

test('A call is taken in from any page by key, given to somebody, and marked; taken back, it waits again', async () => {
  const { page, hand, leave } = await desk();
  await page.goto(`${stack.url}/letters`);
  await page.getByRole('heading', { name: 'Letters', level: 1 }).waitFor();
  await hand.key('i');
  await page.getByLabel('Who asks').waitFor();
  await hand.type('Runa Dahl 207 555 0188');
  await hand.key('Tab');
  await hand.type('Asks whether we do wills');
  await hand.key('Control+Enter');
  await page.getByRole('button', { name: /Runa Dahl/ }).waitFor();
  assert.ok(hand.actions <= 5, `${hand.actions} actions`);
  await page.getByRole('button', { name: /Runa Dahl/ }).click();
  await page.keyboard.press('v');
  await page.getByLabel('Who is to have it').selectOption({ label: 'Tomas Brandt' });
  await page.getByRole('button', { name: 'Give', exact: true }).click();
  await page.getByText('with Tomas Brandt').waitFor();
  await page.getByRole('button', { name: /Runa Dahl/ }).click();
  await page.keyboard.press('x');
  await page.getByText('is marked as nothing').waitFor();
  await page.getByRole('button', { name: /Runa Dahl/ }).waitFor({ state: 'detached' });
  await page.keyboard.press('Control+z');
  await page.getByRole('button', { name: /Runa Dahl/ }).waitFor();
  await leave();
});

test('A call goes to another day by one key, and stands there in the almanac; taken back, it is on the sheet again', async () => {
  const { page, leave } = await desk();
  await page.goto(stack.url);
  const sheet = await today(page);
  // The one below the first has its day still to come or is late: either can be moved.
  const call = sheet.calls.find((c) => !c.ownTask && c.kind === 'call');
  const row = page.locator(`#item-${call.touchId}`);
  await row.locator('[data-pick]').click();
  const about = page.getByRole('region', { name: 'Whom one calls' });
  await about.getByRole('img', { name: /touch(es)? over/ }).waitFor();
  for (const paper of ['A4', 'Letter']) {
    const printed = await page.request.get(new URL(await page.getByRole('link', { name: `Print on ${paper}` }).getAttribute('href'), stack.url).href);
    assert.equal((await printed.body()).subarray(0, 5).toString(), '%PDF-');
  }
  await page.keyboard.press('m');
  const day = row.getByRole('group', { name: 'To which day?' }).getByRole('button').first();
  await day.waitFor();
  const words = (await day.textContent()).trim();
  await day.press('Enter');
  await row.waitFor({ state: 'detached' });
  await page.getByText(`${call.person.name} stands on`).first().waitFor();
  await until('the almanac has it on that day', async () => {
    const { days } = await (await page.request.get(`${stack.url}/api/almanac?kind=call&days=5`)).json();
    const next = days.find((d) => words.startsWith(dayWords(d.date)));
    const names = await (
      await page.request.get(`${stack.url}/api/almanac/names?date=${next.date}${call.memberId ? `&member=${call.memberId}` : ''}`)
    ).json();
    return names.names.some((n) => n.touchId === call.touchId && n.moved);
  });
  await page.keyboard.press('Control+z');
  await row.waitFor();
  await leave();
});

/** “Tue 2 Mar”, as pages say a date. */
const dayWords = (date) =>
  new Intl.DateTimeFormat('en-GB', { timeZone: 'UTC', weekday: 'short', day: 'numeric', month: 'short' }).format(new Date(`${date}T12:00:00Z`)).replace(',', '');

/** So many people who are to be called today, whatever others have ticked off: as the sheet has them. */
async function calledToday(page, ...names) {
  const ada = await apiClient(stack.url, 'ada@example.com', stack.password);
  const owner = (await ada.get('/api/session')).member.id;
  const ids = [];
  for (const [i, first] of names.entries()) ids.push((await ada.post('/api/people', { firstName: first, lastName: 'Ringer', mobile: `+1 802 555 01${80 + i}`, owner })).id);
  const program = (await ada.post('/api/programs', { name: `Calls for ${names.join(' and ')}` })).id;
  const { draft } = await ada.get(`/api/programs/${program}`);
  delete draft.window;
  draft.purpose = 'transactional';
  draft.startsWhen = [{ kind: 'by-hand' }];
  draft.steps = [{ id: 'a', kind: 'call', when: { from: 'start', offset: 'P0D' }, script: 'How are you, {{ person.first_name }}?', slack: 'P0D' }];
  await ada.put(`/api/programs/${program}/draft`, { draftNumber: 1, draft });
  await ada.post(`/api/programs/${program}/switch-on`, { draftNumber: 2, alsoThese: false });
  await ada.post('/api/people/start', { ids, program });
  return until('they are on the sheet', async () => {
    const calls = (await today(page)).calls.filter((c) => c.kind === 'call' && ids.includes(c.person?.id));
    return calls.length === ids.length && calls;
  });
}

test('on a telephone without a network the sheet opens, and what is ticked off goes out once when it is back', async () => {
  const { page, leave } = await desk({ width: 390 });
  await page.goto(stack.url);
  await page.getByRole('heading', { level: 2, name: 'Calls' }).waitFor();
  const calls = await calledToday(page, 'Odile', 'Orla');
  await page.evaluate(() => navigator.serviceWorker.ready);
  await until('its worker stands by', () => page.evaluate(async () => (await navigator.serviceWorker.ready).active?.state === 'activated'));
  const rows = calls.map((c) => page.locator(`#item-${c.touchId}`));
  await until('the sheet is kept', () => page.evaluate((id) => localStorage.getItem('germinal.kept.offline')?.includes(id) ?? false, calls[0].touchId));
  await page.context().setOffline(true);
  await page.reload();
  const gone = page.getByText('The connection is gone.').locator('..');
  await gone.waitFor();
  for (const row of rows) {
    await row.locator('[data-pick]').click();
    await row.getByRole('button', { name: '1 Spoke' }).click();
    await row.getByRole('textbox', { name: /a remark/ }).press('Enter');
    await row.waitFor({ state: 'detached' });
  }
  await gone.getByText(/2 things wait/).waitFor();

  // The telephone is put away and taken out again.
  await until('what waits is kept', () => page.evaluate(() => JSON.parse(localStorage.getItem('germinal.kept.offline')).state.mutations.length === 2));
  await page.reload();
  await gone.getByText(new RegExp(`2 things wait.*${calls[1].person.name}: spoke`)).waitFor();
  for (const row of rows) assert.equal(await row.count(), 0);
  await fits(page, 'the sheet without a network');

  await page.context().setOffline(false);
  await gone.waitFor({ state: 'detached' });
  for (const call of calls) {
    await until(`${call.person.name} was called`, async () => {
      const { past } = await (await page.request.get(`${stack.url}/api/people/${call.person.id}/thread`)).json();
      return past.filter((l) => l.touchId === call.touchId && l.kind === 'call').length === 1;
    });
    await until('it counts as done', async () => (await (await page.request.get(`${stack.url}/api/touches/${call.touchId}`)).json()).status === 'done');
  }
  await page.reload();
  await page.getByRole('heading', { level: 2, name: 'Calls' }).waitFor();
  for (const row of rows) assert.equal(await row.count(), 0);
  const guard = (await (await page.request.get(`${stack.url}/api/session`)).json()).guard;
  for (const call of calls) await page.request.post(`${stack.url}/api/touches/${call.touchId}/undo`, { headers: { 'X-Germinal-Guard': guard } });
  await leave();
});

test('A call ends in the practice’s own words, with what follows it in the same breath; one undo takes all of it back', async () => {
  const { page, leave } = await desk();
  await page.goto(`${stack.url}/practice/calls`);
  await page.getByRole('button', { name: '+ another way' }).click();
  await page.getByLabel('How it ends').fill('ring later');
  await page.keyboard.press('Enter');
  await page.getByRole('button', { name: '“ring later”, when they are called again' }).click();
  await page.getByLabel('Working days until they are called again').fill('3');
  await page.keyboard.press('Enter');
  await page.getByText('they are called again after 3 working days').waitFor();

  await page.goto(stack.url);
  const sheet = await today(page);
  const call = sheet.calls.find((c) => !c.ownTask && c.kind === 'call');
  const ending = sheet.outcomes.find((o) => o.name === 'ring later');
  const row = page.locator(`#item-${call.touchId}`);
  await row.locator('[data-pick]').click();
  await page.keyboard.press(String(sheet.outcomes.indexOf(ending) + 1));
  await row.getByText(/Then: called again/).waitFor();
  await row.getByRole('button', { name: 'change what follows' }).click();
  await row.getByLabel('write a note').check();
  await row.getByRole('textbox', { name: /a remark/ }).fill('after the harvest');
  await row.getByRole('textbox', { name: /a remark/ }).press('Enter');
  await row.waitFor({ state: 'detached' });
  const tasksOf = async () => (await (await page.request.get(`${stack.url}/api/people/${call.person.id}/dealings`)).json()).tasks.filter((t) => t.source.startsWith('after a call'));
  await until('what follows is on the sheet', async () => (await tasksOf()).length === 2);
  assert.deepEqual(
    (await tasksOf()).map((t) => [t.kind, t.due]),
    [
      ['task', sheet.now.slice(0, 10)],
      ['call', ending.again],
    ],
  );
  await page.keyboard.press('Control+z');
  await row.waitFor();
  assert.deepEqual(await tasksOf(), []);

  await page.goto(`${stack.url}/practice/calls`);
  await page.getByRole('button', { name: 'Take “ring later” out' }).click();
  await until('it is gone again', async () => !(await (await page.request.get(`${stack.url}/api/outcomes`)).json()).some((o) => o.name === 'ring later'));
  await leave();
});

test('Messages are read one after another by key before they go: fine, held, in other words for one only', async () => {
  const { page, leave } = await desk();
  await page.goto(stack.url);
  await page.getByRole('link', { name: 'read them one after another' }).click();
  await page.getByRole('heading', { name: 'Proof', level: 1 }).waitFor();
  await page.getByLabel('What is read').selectOption('week');
  const { items } = await (await page.request.get(`${stack.url}/api/proof?span=week`)).json();
  const email = items.findIndex((i) => i.kind === 'email' && !i.held && !i.read);
  assert.ok(email >= 0 && items.length > email + 1);
  const stateOf = async (touchId) => (await (await page.request.get(`${stack.url}/api/proof?span=week`)).json()).items.find((i) => i.touchId === touchId);
  await page.locator('[data-pick]').nth(email).click();
  const item = items[email];
  const sheet = page.getByRole('region', { name: `To ${item.person.name}` });
  await sheet.getByText(item.subject, { exact: true }).waitFor();

  // Fine, and the next one lies there.
  await page.keyboard.press('f');
  await until('it has been read', async () => (await stateOf(item.touchId)).read);
  await page.keyboard.press('Control+z');
  await until('it has not', async () => !(await stateOf(item.touchId)).read);

  await page.locator('[data-pick]').nth(email).click();
  await page.keyboard.press('w');
  const words = page.getByRole('form', { name: `Words for ${item.person.name} only` });
  await words.getByRole('textbox', { name: 'Subject' }).fill('Only for you, this once');
  await words.getByRole('button', { name: `Keep these for ${item.person.name}` }).click();
  await words.waitFor({ state: 'detached' });
  await sheet.getByText('Only for you, this once', { exact: true }).waitFor();
  await sheet.getByText('in words of its own').waitFor();
  assert.equal((await stateOf(item.touchId)).subject, 'Only for you, this once');

  await page.keyboard.press('w');
  await words.getByRole('button', { name: 'the program’s words again' }).click();
  await sheet.getByText(item.subject, { exact: true }).waitFor();

  await page.keyboard.press('h');
  await until('it is held', async () => (await stateOf(item.touchId)).held);
  await page.keyboard.press('Control+z');
  await until('it is let go', async () => !(await stateOf(item.touchId)).held);
  await leave();
});

test('A task is written, comes again, is handed over with a word, and a set is made for somebody', async () => {
  const { page, leave } = await desk();
  await page.goto(`${stack.url}/tasks`);
  const form = page.getByRole('form', { name: 'A task' });
  await form.getByLabel('What is to be done').fill('Read the market for the letter');
  await form.getByLabel('How often').selectOption({ label: 'every two weeks' });
  await form.getByLabel('What is to be done').press('Enter');
  const line = page.getByRole('button', { name: /^Read the market for the letter/ }).first();
  await line.click();
  const margin = page.getByRole('complementary', { name: 'The task' });
  await page.keyboard.press('x');
  await until('its next one stands two weeks on', async () => {
    const { tasks } = await (await page.request.get(`${stack.url}/api/tasks`)).json();
    const next = tasks.find((t) => t.title === 'Read the market for the letter');
    return next && (new Date(next.due) - new Date((await today(page)).now.slice(0, 10))) / 86_400_000 === 14;
  });
  await line.click();
  await margin.getByRole('button', { name: 'hand it over …' }).click();
  await margin.getByLabel('To whom').selectOption({ label: 'to Tomas Brandt' });
  await margin.getByLabel('A word with it').fill('you know the new houses better');
  await margin.getByLabel('A word with it').press('Enter');
  await line.waitFor({ state: 'detached' });
  await page.getByLabel('Whose', { exact: true }).selectOption({ label: 'of Tomas Brandt' });
  await page.getByText('you know the new houses better').first().waitFor();

  await page.getByRole('link', { name: 'sets of tasks' }).click();
  await page.getByRole('button', { name: '+ a set' }).click();
  await page.getByLabel('Set 1: what it is for').fill('New client');
  await page.getByLabel('Line 1 of set 1: what is to be done').fill('Open the folder');
  await page.getByRole('button', { name: '+ a line' }).click();
  await page.getByLabel('Line 2 of set 1: after how many working days').fill('5');
  await page.getByLabel('Line 2 of set 1: task or call').selectOption('call');
  await page.getByLabel('Line 2 of set 1: what is to be done').fill('Ask how the first week was');
  await page.getByRole('button', { name: 'Keep the sets' }).click();
  await page.getByText('Kept.').waitFor();

  const person = (await today(page)).calls.find((c) => c.person).person;
  await page.goto(`${stack.url}/people/${person.id}`);
  const toDo = page.getByRole('region', { name: 'To do' });
  await toDo.getByRole('button', { name: 'write one' }).click();
  await toDo.getByRole('button', { name: 'New client (2)' }).click();
  await toDo.getByText('Ask how the first week was').waitFor();
  await page.keyboard.press('Escape');
  await page.getByRole('button', { name: 'Undo' }).last().click();
  await toDo.getByText('Ask how the first week was').waitFor({ state: 'detached' });
  await leave();
});

test('In the almanac a whole line is held and moved by key and mouse, opens to names with their why, and is taken back', async () => {
  const { page, leave } = await desk();
  await page.goto(`${stack.url}/almanac`);
  await page.getByRole('heading', { name: 'Almanac', level: 1 }).waitFor();
  const { days } = await (await page.request.get(`${stack.url}/api/almanac?days=14`)).json();
  const at = days.slice(2).find((d) => d.isWorkingDay && d.groups.some((g) => g.kind === 'email' && g.goes > 1 && g.held === 0 && g.willNot === 0));
  const group = at.groups.find((g) => g.kind === 'email' && g.goes > 1 && g.held === 0 && g.willNot === 0);
  const row = page.locator(`[id="line-${at.date}/${group.programId}/${group.stepId}"]`);
  await row.locator('[data-pick]').click();
  const margin = page.getByRole('complementary', { name: 'Who it is' });
  await margin.getByRole('listitem').first().waitFor();
  assert.equal(await margin.getByRole('listitem').count(), group.goes + group.held + group.willNot);

  await page.keyboard.press('h');
  await row.getByText('held').waitFor();
  await row.getByRole('button', { name: /^Release all/ }).waitFor();
  await page.keyboard.press('Control+z');
  await row.getByRole('button', { name: /^Hold all/ }).waitFor();

  await margin.getByRole('button', { name: 'move all to another day' }).click();
  const to = new Date(`${at.date}T12:00:00Z`);
  to.setUTCDate(to.getUTCDate() + 1);
  while ([0, 6].includes(to.getUTCDay())) to.setUTCDate(to.getUTCDate() + 1);
  await margin.getByLabel('To which day').fill(to.toISOString().slice(0, 10));
  await margin.getByRole('button', { name: 'Move', exact: true }).click();
  await row.waitFor({ state: 'detached' });
  await page.keyboard.press('Control+z');
  await row.waitFor();

  await row.locator('[data-pick]').click();
  await margin.getByRole('listitem').first().getByRole('button').click();
  await margin.getByRole('heading', { name: /^Why/ }).waitFor();
  await margin.getByRole('button', { name: /^back to all/ }).click();

  // The year by key: another week, and its first day at the top.
  await page.getByRole('slider', { name: 'Week' }).press('End');
  await page.getByRole('button', { name: 'back to today' }).waitFor();
  await leave();
});

test('A program is looked at in the almanac before it is on: its lines stand there, and go with it', async () => {
  const { page, leave } = await desk();
  const ada = await apiClient(stack.url, 'ada@example.com', stack.password);
  const draft = { ...(await ada.post('/api/programs', { name: 'A spring letter' })), name: 'A spring letter' };
  const written = (await ada.get(`/api/programs/${draft.id}`)).draft;
  written.startsWhen = [{ kind: 'stage-entered', stage: 'Planning/Client' }];
  written.steps = [{ id: 'a', kind: 'email', when: { from: 'start', offset: 'P7D' }, subject: 'Spring, {{ person.first_name }}', body: '<p>It is here.</p>' }];
  await ada.put(`/api/programs/${draft.id}/draft`, { draftNumber: 1, draft: written });
  await page.goto(`${stack.url}/programs/${draft.id}`);
  await page.getByRole('link', { name: 'See it in the almanac' }).click();
  await page.getByText(`As it would be if “${draft.name}” were on`).waitFor();
  await page.getByRole('button', { name: /^Spring, …/ }).first().click();
  await page.getByRole('complementary', { name: 'Who it is' }).getByRole('link').nth(5).waitFor();
  assert.equal(await page.getByRole('button', { name: /^(Hold|Release) all of/ }).count(), 0, 'nothing is held from here');
  await page.getByLabel('What if').selectOption({ label: 'as it is' });
  await page.getByText('As it would be').waitFor({ state: 'detached' });
  await page.getByRole('button', { name: /^Hold all of/ }).first().waitFor();
  await leave();
});

test('A stage is called otherwise by keyboard, everywhere, and called back; a reason goes together with another when that is said', async () => {
  const { page, leave } = await desk();
  await page.goto(`${stack.url}/pipeline`);
  await page.getByRole('link', { name: 'Stages', exact: true }).click();
  await page.getByRole('button', { name: 'Call the stage “Plan drafted” otherwise' }).press('Enter');
  await page.getByLabel('What the stage is called').fill('Plan on the table');
  await page.keyboard.press('Enter');
  await page.getByText('“Plan drafted” is called “Plan on the table” now, everywhere.').waitFor();
  await page.goto(`${stack.url}/pipeline`);
  await page.getByRole('heading', { name: 'Plan on the table' }).waitFor();
  await page.goto(`${stack.url}/pipeline/stages`);
  await page.getByRole('button', { name: 'Call the stage “Plan on the table” otherwise' }).click();
  await page.getByLabel('What the stage is called').fill('Plan drafted');
  await page.keyboard.press('Enter');
  await page.getByText('is called “Plan drafted” now, everywhere.').waitFor();

  await page.getByRole('button', { name: 'Another reason' }).click();
  await page.getByLabel('What the reason is called').fill('too dear');
  await page.keyboard.press('Enter');
  // What was just said lies over the end of the page; the keyboard goes below it.
  await page.getByRole('button', { name: 'Call the reason “too dear” otherwise' }).press('Enter');
  await page.getByLabel('What the reason is called').fill('fees');
  await page.keyboard.press('Enter');
  await page.getByRole('button', { name: 'Put them together' }).click();
  await page.getByRole('button', { name: 'Call the reason “too dear” otherwise' }).waitFor({ state: 'detached' });
  await leave();
});

test('A post stands on the sheet on its day: its words are copied, it is put up, and the feed shows it; one goes by itself', async () => {
  const { page, leave } = await desk();
  await page.context().grantPermissions(['clipboard-read', 'clipboard-write']);
  await page.goto(`${stack.url}/posts`);
  await page.getByRole('button', { name: 'Write a post' }).click();
  await page.getByLabel('Words', { exact: true }).fill('Coffee in our garden on Saturday.\nEverybody is welcome.');
  await page.getByLabel('Where it is to stand').fill('our gate');
  await page.getByRole('button', { name: 'Keep it for its day' }).click();
  await page.getByRole('button', { name: /^Coffee in our garden/ }).waitFor();

  await page.goto(stack.url);
  await page.getByRole('button', { name: /Coffee in our garden/ }).first().click();
  await page.keyboard.press('c');
  await page.getByText('The words are copied.').waitFor();
  assert.equal(await page.evaluate(() => navigator.clipboard.readText()), 'Coffee in our garden on Saturday.\nEverybody is welcome.');
  await page.keyboard.press('1');
  await page.keyboard.press('Enter');
  await until('it stands', async () => (await (await page.request.get(`${stack.url}/api/posts`)).json()).standing.some((p) => p.words.startsWith('Coffee in our garden')));
  const feed = (await (await page.request.get(`${stack.url}/api/posts`)).json()).feed;
  assert.match(await (await page.request.get(feed)).text(), /Everybody is welcome/);

  await page.goto(`${stack.url}/posts`);
  await page.getByRole('button', { name: 'Write a post' }).click();
  await page.getByLabel('Words', { exact: true }).fill('This one goes to the board by itself.');
  await page.getByLabel('Who puts it there').selectOption('gateway');
  await page.getByRole('button', { name: 'Keep it for its day' }).click();
  await until('the board has it', async () => (await (await fetch(`${stack.standIns}/board/posts`)).json()).filter((p) => p.words.startsWith('This one goes')).length === 1);
  await page.getByRole('link', { name: 'Ideas' }).click();
  await page.getByRole('button', { name: /Ferry timetable/ }).click();
  await page.keyboard.press('w');
  await page.getByLabel('Words', { exact: true }).waitFor();
  assert.match(await page.getByLabel('Words', { exact: true }).inputValue(), /^Ferry timetable/);
  await page.getByRole('button', { name: 'leave it' }).click();
  await leave();
});

test('A film is brought in, played by whoever a letter led there, and what they saw stands in their thread', async () => {
  const { page, leave } = await desk();
  await page.goto(`${stack.url}/letters/films`);
  await page.getByLabel('A film to bring in').setInputFiles(path.join(root, 'demo/films/a-word-about-march.mp4'));
  const film = await until('the film with its still', async () => (await (await page.request.get(`${stack.url}/api/films`)).json()).find((f) => f.name === 'a-word-about-march' && f.still));
  const reader = (await (await page.request.get(`${stack.url}/api/films/${(await (await page.request.get(`${stack.url}/api/films`)).json()).at(-1).id}/seen`)).json())[0].person;

  // Whoever has only the address is nobody; with no name, and nothing in any thread.
  const context = await browser.newContext({ userAgent: 'Mozilla/5.0 (X11; Linux x86_64) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/156.0.0.0 Safari/537.36' });
  const there = await context.newPage();
  await there.goto(`${stack.url}${film.path}`);
  await there.getByRole('heading', { name: 'a-word-about-march' }).waitFor();
  await there.evaluate(async () => {
    const video = document.querySelector('video');
    video.muted = true;
    await video.play();
    await new Promise((done) => video.addEventListener('timeupdate', () => video.currentTime > 1 && done()));
    video.pause();
  });
  await until('it was seen', async () => (await (await page.request.get(`${stack.url}/api/films`)).json()).find((f) => f.id === film.id).seenByOthers === 1);
  await fits(there);
  await context.close();
  await page.goto(`${stack.url}/people/${reader.id}`);
  await page.getByText('Watched “A word about March”').first().waitFor();

  await page.goto(`${stack.url}/letters/new`);
  const body = page.getByLabel('Body of the letter');
  await body.click();
  await page.keyboard.type('See for yourself:');
  await page.getByRole('button', { name: 'Put in' }).click();
  await page.getByRole('menuitem', { name: 'a film' }).click();
  await page.getByLabel('Which film').selectOption({ label: 'A word about March, 0:12' });
  await page.getByRole('button', { name: 'Put the film in' }).click();
  await body.getByRole('link', { name: 'A word about March (0:12)' }).waitFor();
  assert.equal(await body.getByRole('img', { name: 'A still of the film: A word about March' }).count(), 1);
  await leave();
});

test('A calendar of one’s own as a file takes its hours from the times one can choose', async () => {
  const { page, leave } = await desk();
  const pages = async () => (await (await page.request.get(`${stack.url}/api/meetings`)).json()).pages;
  const mine = (await pages()).find((p) => p.title.includes('Ada'));
  const first = new Date(mine.next[0]);
  const at = (date) => date.toISOString().replace(/[-:]|\.\d+/g, '');
  const calendar = `BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//Example//EN\r\nBEGIN:VEVENT\r\nUID:1@example.com\r\nDTSTAMP:20270101T000000Z\r\nDTSTART:${at(first)}\r\nDTEND:${at(new Date(first.valueOf() + 1_800_000))}\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n`;
  await page.goto(`${stack.url}/meetings`);
  await page.getByLabel('A calendar as a file').setInputFiles({ name: 'dentist.ics', mimeType: 'text/calendar', buffer: Buffer.from(calendar) });
  await page.getByRole('button', { name: 'Take “dentist” out' }).waitFor();
  assert.ok(!(await pages()).find((p) => p.id === mine.id).next.includes(mine.next[0]), 'the time is taken');
  await page.getByRole('button', { name: 'Take “dentist” out' }).click();
  await until('the time is free again', async () => (await pages()).find((p) => p.id === mine.id).next.includes(mine.next[0]));
  await leave();
});

test('An opportunity is moved by key with another, won with its sum, lost with what happens later; the numbers say how sure they are', async () => {
  const { page, leave } = await desk();
  await page.goto(`${stack.url}/pipeline`);
  await page.getByRole('heading', { name: 'Planning', level: 1 }).waitFor();
  const read = async () => (await page.request.get(`${stack.url}/api/pipeline`)).json();
  const before = await read();
  const [inquiry, meeting] = before.stages;
  const [one, two] = inquiry.rows;
  const stretch = (name) => page.getByRole('region', { name, exact: true });
  await stretch(inquiry.name).locator('[data-pick]').first().click();
  await page.keyboard.press('x');
  await page.keyboard.press('j');
  await page.keyboard.press('x');
  await page.keyboard.press('>');
  await stretch(meeting.name).getByRole('button', { name: new RegExp(one.person.name) }).first().waitFor();
  await stretch(meeting.name).getByRole('button', { name: new RegExp(two.person.name) }).first().waitFor();
  await page.keyboard.press('Control+z');
  await stretch(inquiry.name).getByRole('button', { name: new RegExp(one.person.name) }).first().waitFor();

  await stretch(inquiry.name).locator(`#opportunity-${one.id} [data-pick]`).click();
  await page.keyboard.press('w');
  await page.getByLabel(/^What it brought/).fill('2450.50');
  await page.getByRole('button', { name: `${one.person.name}: won` }).click();
  await page.locator(`#opportunity-${one.id}`).waitFor({ state: 'detached' });
  await stretch(inquiry.name).locator(`#opportunity-${two.id} [data-pick]`).click();
  await page.keyboard.press('l');
  await page.getByLabel('Why it was lost').fill('timing');
  await page.getByText('By itself starts “Timing was wrong”.').waitFor();
  await page.getByRole('button', { name: `${two.person.name}: lost` }).click();
  await page.locator(`#opportunity-${two.id}`).waitFor({ state: 'detached' });
  const after = await read();
  assert.equal(after.months[0].won, before.months[0].won + 1);
  assert.equal(after.months[0].wonWorth, before.months[0].wonWorth + 2450.5);
  assert.equal(after.months[0].lost, before.months[0].lost + 1);

  const numbers = page.getByRole('region', { name: 'Its numbers' });
  await numbers.getByText(/half of \d+ go on within \d+ days? \(with 80 % trust/).first().waitFor();
  await numbers.getByText(/of all that were closed \d+ of \d+, between/).waitFor();
  await numbers.getByText('in eight of ten between').waitFor();
  await leave();
});

test('A broadcast is written, seen before it goes, sent by key, and read for what it did', async () => {
  const { page, leave } = await desk();
  await page.goto(`${stack.url}/programs/broadcasts`);
  await page.getByRole('heading', { name: 'Broadcasts', level: 1 }).waitFor();
  await page.keyboard.press('w');
  await page.getByLabel('Name of the broadcast').waitFor();
  const id = new URL(page.url()).pathname.split('/').pop();
  await page.getByLabel('Name of the broadcast').fill('A word in spring');
  await page.getByText('nobody yet', { exact: true }).click();
  await page.getByLabel('Which segment').selectOption('Clients in Maine');
  await page.getByText('which way', { exact: true }).click();
  await page.getByRole('button', { name: 'email', exact: true }).click();
  await page.getByLabel('Body of the letter').click();
  await page.keyboard.type('In April our door is open on Thursdays.');
  await page.getByText('The email has no subject.').first().waitFor();
  await page.getByLabel('Subject').fill('Thursdays in April');
  const margin = page.getByRole('complementary', { name: 'Before it goes' });
  await margin.getByText(/It is for/).waitFor();
  await margin.getByText('1 of ').waitFor();
  await page.keyboard.press('Escape');
  await margin.getByText(/It is for/).click();
  await page.keyboard.press(']');
  await margin.getByText('2 of ').waitFor();
  await accessible(page, 'a broadcast that is written');
  await fits(page, 'a broadcast that is written');
  await margin.getByRole('button', { name: 'Send it now …' }).click();
  const asking = page.getByRole('alertdialog');
  await asking.getByText(/by email/).waitFor();
  // What cannot be called back is not the first thing that Enter presses.
  await page.keyboard.press('Shift+Tab');
  await page.keyboard.press('Enter');
  await page.getByText(/It began|It begins/).waitFor();
  const numbers = async () => (await page.request.get(`${stack.url}/api/broadcasts/${id}/numbers`)).json();
  await until('it has gone', async () => (await (await page.request.get(`${stack.url}/api/broadcasts/${id}`)).json()).status === 'done');
  const found = await numbers();
  assert.ok(found.sent > 3, `only ${found.sent} went`);
  await page.getByRole('row', { name: /^arrived/ }).getByRole('button').click();
  await page.getByRole('complementary', { name: 'Who that is' }).getByRole('listitem').first().waitFor();
  await accessible(page, 'what a broadcast did');
  await fits(page, 'what a broadcast did');
  // It came to whom it was for, and stands in their thread.
  const [first] = (await (await page.request.get(`${stack.url}/api/broadcasts/${id}/who?what=sent`)).json()).people;
  await page.goto(`${stack.url}/people/${first.id}`);
  await page.getByRole('list', { name: 'Thread' }).getByText('Thursdays in April').first().waitFor();
  await leave();
});

test('Results are gone to by key; a number leads to its people and a list, another month is chosen, a table is a file, the numbers come by mail', async () => {
  const { page, button, leave } = await desk();
  await page.goto(stack.url);
  await page.getByRole('heading', { level: 2, name: 'Calls' }).waitFor();
  await page.keyboard.press('g');
  await page.keyboard.press('s');
  await page.getByRole('heading', { level: 1, name: 'Results of February 2027' }).waitFor();
  await page.getByRole('table', { name: 'Who can be written to' }).waitFor();
  await accessible(page, 'results');
  await fits(page, 'results');

  // A number, and the people behind it; put on a list by keyboard alone.
  const number = page.getByRole('button', { name: /^inquiries, \d+: who that is$/ });
  const many = Number(/\d+/.exec(await number.getAttribute('aria-label'))[0]);
  await number.focus();
  await page.keyboard.press('Enter');
  const margin = page.getByRole('complementary', { name: 'Who that is' });
  await margin.getByText(many === 1 ? '1 person' : `${many} people`, { exact: true }).waitFor();
  await margin.getByRole('button', { name: 'Put them on a list' }).focus();
  await page.keyboard.press('Enter');
  await page.getByLabel('The list').fill('Asked in February');
  await page.keyboard.press('Enter');
  await page.getByText(/on the list “Asked in February” now/).waitFor();
  assert.equal((await (await page.request.get(`${stack.url}/api/people?list=Asked+in+February&most=200`)).json()).rows.length, many);
  await button('back', margin).click();

  // Another month, and back over the address.
  await page.getByLabel('Month').selectOption('2026-12');
  await page.getByRole('heading', { level: 1, name: 'Results of December 2026' }).waitFor();
  await page.getByLabel('Of the people who are looked after by').selectOption({ label: 'Tomas Brandt' });
  await page.getByText('of the people Tomas Brandt looks after').waitFor();
  await page.reload();
  await page.getByText('of the people Tomas Brandt looks after').waitFor();

  const file = page.waitForEvent('download');
  await page.getByRole('link', { name: 'Business as a CSV file' }).click();
  const rows = fs.readFileSync(await (await file).path(), 'utf8').trim().split('\r\n');
  assert.match(rows[0], /^month,.*won/);
  assert.match(rows[13], /^2026-12,/);

  await button('Have them by mail').click();
  await page.getByText(/on the first working day of each month, next/).waitFor();
  await button('no more by mail').click();
  await button('Have them by mail').waitFor();

  // On paper it is the text alone.
  await page.emulateMedia({ media: 'print' });
  assert.equal(await page.locator('#top').isVisible(), false);
  assert.equal(await page.getByRole('heading', { level: 1 }).isVisible(), true);
  await leave();
});

test('Somebody asks who did that: the journal by keyboard, narrowed, and as a file', async () => {
  const { page, button, leave } = await desk();
  const person = (await (await page.request.get(`${stack.url}/api/people?most=1&sort=name`)).json()).rows[0];
  await page.goto(`${stack.url}/people/${person.id}`);
  await page.getByRole('heading', { level: 1 }).waitFor();
  await page.keyboard.press('r');
  await page.getByRole('textbox', { name: /remark/i }).fill('Asked about the fence.');
  await page.keyboard.press('Control+Enter');
  await page.getByText('Asked about the fence.').first().waitFor();

  await page.getByRole('link', { name: 'Who did what to this person' }).click();
  await page.getByRole('heading', { level: 1, name: 'Journal' }).waitFor();
  const lines = page.locator('main .row').filter({ hasText: 'Ada' });
  await lines.first().getByText('wrote a remark about').waitFor();
  await lines.first().getByText(/^from (127\.0\.0\.1|::1)$/).click();
  await lines.first().getByText(/Chrome/).waitFor();
  await accessible(page, 'journal');
  await fits(page, 'journal');

  // About everything, by one member, with a word; the address keeps it.
  await button('about everything').click();
  await lines.filter({ hasText: 'signed in' }).first().waitFor();
  await page.getByLabel('By whom').selectOption({ label: 'by Ada Quill' });
  await page.getByLabel('with the words').fill('fence remark nobody wrote');
  await page.getByText('Nothing was done that this asks for.').waitFor();
  await page.getByLabel('with the words').fill('remark');
  await lines.first().getByText('wrote a remark about').waitFor();
  await page.reload();
  await lines.first().getByText('wrote a remark about').waitFor();
  assert.match(page.url(), /find=remark/);

  const file = page.waitForEvent('download');
  await page.getByRole('link', { name: 'as a file' }).click();
  const rows = fs.readFileSync(await (await file).path(), 'utf8').trim().split('\r\n');
  assert.match(rows[0], /^at,by,what,more,ended,from,program$/);
  assert.ok(rows.slice(1).every((row) => row.includes('wrote a remark about')));
  await lines.first().getByRole('link').click();
  await page.getByRole('heading', { level: 1, name: person.name }).waitFor();

  // What has a page of its own is one press away.
  await aBroadcast('Told in the journal');
  await page.goto(`${stack.url}/journal?find=Told+in+the+journal`);
  await page.getByRole('link', { name: 'Told in the journal' }).first().click();
  await page.getByRole('complementary', { name: 'Before it goes' }).waitFor();
  await leave();
});

test('Mail is signed with a key of one’s own, as a verifier that is not ours reads it; the brake is set', async () => {
  const { page, button, leave } = await desk();
  await page.goto(`${stack.url}/results`);
  await page.getByRole('link', { name: 'Sending', exact: true }).click();
  await page.getByRole('heading', { level: 1, name: 'Sending' }).waitFor();
  await page.getByText('There is no resolver here that could be asked').waitFor();
  await button('make a key to sign with').focus();
  await page.keyboard.press('Enter');
  await page.getByRole('button', { name: /^Its record is set: sign with g\d+$/ }).waitFor();
  await page.getByText(/_domainkey\.example\.com TXT/).waitFor();
  await accessible(page, 'sending');
  await fits(page, 'sending');
  const [, record] = await (await page.request.get(`${stack.url}/api/sending/records?domain=example.com`)).json();
  await page.getByRole('button', { name: /^Its record is set/ }).click();
  await page.getByText(/^Letters are signed since .* with the key g\d+/).waitFor();

  // A trial of a broadcast, through the same line as every letter.
  const draft = await aBroadcast('Signed');
  const guard = (await (await page.request.get(`${stack.url}/api/session`)).json()).guard;
  const sent = await page.request.post(`${stack.url}/api/broadcasts/${draft.id}/trial`, { data: { nth: 0, to: [] }, headers: { 'X-Germinal-Guard': guard } });
  assert.ok(sent.ok(), await sent.text());
  let raw;
  await until('the trial is there', async () => {
    const { messages } = await (await page.request.get(`${stack.url}/api/stand-ins/mail?search=ada%40example.com`)).json();
    const found = messages.find((m) => m.subject.startsWith('Trial: '));
    if (found) raw = await (await page.request.get(`${stack.url}/api/stand-ins/mail/${found.number}/source`)).body();
    return found;
  });
  // Who is asked for the record has what the page says it should be.
  const resolver = async (name, kind) => (name === record.name && kind === 'TXT' ? [[record.value]] : []);
  const { results } = await dkimVerify(raw, { resolver });
  assert.deepEqual(results.map((r) => [r.signingDomain, r.status.result]), [['example.com', 'pass']]);
  const changed = await dkimVerify(Buffer.from(raw.toString('latin1').replace('Subject: Trial', 'Subject: Other'), 'latin1'), { resolver });
  assert.notEqual(changed.results[0]?.status.result, 'pass');

  // The brake: a limit that would stop nothing is told, another one is kept.
  await page.getByLabel('Came back, in a hundred').fill('90');
  await button('So it is').click();
  await page.getByText('Between 1 and 20 in a hundred; 5 is usual.').waitFor();
  await page.getByLabel('Came back, in a hundred').fill('4');
  await button('So it is').click();
  await until('it is kept', async () => (await (await page.request.get(`${stack.url}/api/sending`)).json()).brake.bouncePercent === 4);
  await leave();
});

test('A member chooses another language: every page speaks it, dates and all; they choose back', async () => {
  const german = JSON.parse(fs.readFileSync(path.join(root, 'src', 'words', 'de.json'), 'utf8'));
  // Whole sentences only: a single word may be somebody's own, such as what a stage is called.
  const english = new Set(Object.keys(german).filter((m) => m !== german[m] && !/[{<'‹]/.test(m) && m.trim().split(' ').length > 2));
  const { page, leave } = await desk();
  const [person] = (await (await page.request.get(`${stack.url}/api/people?most=1&sort=name`)).json()).rows;
  const [program] = await programs(page);
  await page.goto(`${stack.url}/you`);
  const language = page.getByRole('combobox', { name: 'Language' });
  await language.focus();
  for (const key of ['ArrowDown', 'ArrowDown', 'ArrowDown', 'Tab', 'Enter']) await page.keyboard.press(key);
  await page.getByRole('heading', { level: 1, name: 'Sie', exact: true }).waitFor();
  assert.equal(await page.locator('html').getAttribute('lang'), 'de-DE');

  const paths = ['/', '/almanac', '/almanac/forgotten', '/people', '/people/segments', `/people/${person.id}`, '/pipeline', '/tasks', '/programs'];
  paths.push(`/programs/${program.id}`, '/programs/broadcasts', '/letters', '/forms', '/proof', '/posts', '/practice', '/practice/calls', '/practice/sending', '/you');
  const left = {};
  for (const at of paths) {
    await page.goto(stack.url + at);
    await page.getByRole('heading', { level: 1 }).first().waitFor();
    await page.waitForLoadState('networkidle');
    const words = await page.evaluate(() => {
      const said = [];
      const texts = document.createTreeWalker(document.body, NodeFilter.SHOW_TEXT);
      while (texts.nextNode()) if (!texts.currentNode.parentElement?.closest('script,style,[lang=en],iframe')) said.push(texts.currentNode.textContent.trim());
      for (const e of document.querySelectorAll('[aria-label],[placeholder],[title]')) said.push(e.ariaLabel ?? '', e.title ?? '', e.getAttribute('placeholder') ?? '');
      return said;
    });
    for (const word of words) if (english.has(word)) left[word] = at;
  }
  assert.deepEqual(left, {}, 'what is still said in English, and where');

  const sheet = await (await page.request.get(`${stack.url}/api/today`)).json();
  await page.goto(stack.url);
  const day = new Intl.DateTimeFormat('de-DE', { weekday: 'long', timeZone: sheet.zone }).format(new Date(sheet.now));
  await page.getByText(new RegExp(day)).first().waitFor();
  await accessible(page, 'today, in German');
  await fits(page, 'today, in German');

  // Back, from a browser that has never heard of it: the language is the member's, not the browser's.
  const other = await desk({ fresh: true });
  await other.page.goto(stack.url);
  await other.page.getByLabel('Email address').fill('ada@example.com');
  await other.page.getByLabel('Password').fill(stack.password);
  await other.page.keyboard.press('Enter');
  await other.page.getByRole('heading', { level: 2, name: 'Anrufe' }).waitFor();
  await other.page.goto(`${stack.url}/you`);
  await other.page.getByRole('combobox', { name: 'Sprache' }).selectOption('');
  await other.page.getByRole('button', { name: 'Darin weiterlesen' }).click();
  await other.page.getByRole('heading', { level: 1, name: 'You', exact: true }).waitFor();
  await other.leave();
  await page.reload();
  await page.getByRole('heading', { level: 2, name: 'Calls' }).waitFor();
  await leave();
});

for (const width of [1280, 390]) {
  test(`every menu, popover and dialog of every page, ${width} px`, async (t) => {
    const { page, leave } = await desk({ width });
    await page.goto(stack.url);
    await page.getByRole('heading', { level: 2, name: 'Calls' }).waitFor();
    const all = await programs(page);
    const segments = await (await page.request.get(`${stack.url}/api/segments`)).json();
    const named = (name) => `/programs/${all.find((p) => p.name === name).id}`;
    const form = await aForm(`Every menu ${width}`);
    const draft = await aBroadcast(`Every menu ${width}`);
    const [{ id: landing }] = await (await page.request.get(`${stack.url}/api/pages`)).json();
    const pages = [
      ['/', 'Calls'],
      ['/almanac', 'Almanac'],
      ['/almanac/forgotten', 'Nobody forgotten'],
      ['/pipeline', 'Planning'],
      ['/pipeline/lost', 'Lost ones'],
      ['/proof', 'Proof'],
      ['/tasks', 'Tasks'],
      ['/tasks/sets', 'Sets of tasks'],
      ['/pipeline/stages', 'Stages and reasons'],
      ['/posts', 'Posts'],
      ['/posts/ideas', 'Ideas'],
      ['/programs/broadcasts', 'Broadcasts'],
      [`/programs/broadcasts/${draft.id}`, undefined],
      ['/letters/films', 'Films'],
      ['/practice/calls', 'How calls end'],
      ['/people', 'People'],
      ['/people/bring-in', 'Bring people in'],
      ['/people/lists', 'Lists'],
      ['/people/consent', 'May we'],
      ['/people/same', 'These may be the same'],
      ['/people/segments', 'Segments'],
      [`/people/segments/${segments.find((s) => s.name === 'Cooled off').id}`, undefined],
      [`/people/${(await today(page)).calls[0].person.id}`, undefined],
      ['/inquiries', 'Inquiries'],
      ['/inquiries/giving', 'Who gets inquiries'],
      ['/meetings', 'Times to choose'],
      ['/forms', 'Forms'],
      [`/forms/${form}`, undefined],
      [`/forms/${form}/sent`, undefined],
      ['/programs', 'Programs'],
      [named('First eight weeks'), undefined],
      [named('Retirement at 65'), undefined],
      [named('Keys only, and no line'), undefined],
      ['/programs/ready', 'Ready programs'],
      ['/programs/ready/review', 'Asking for a review'],
      [`${named('First eight weeks')}/rehearse`, undefined],
      [`${named('First eight weeks')}/walk`, undefined],
      [`${named('Year-round')}/results`, undefined],
      ['/results', 'Results of'],
      ['/results/sending', 'Sending'],
      ['/journal', 'Journal'],
      ['/letters', 'Letters'],
      ['/letters/offers', 'Offers'],
      ['/letters/figures', 'Figures'],
      ['/letters/files', 'Files'],
      ['/letters/pages', 'Pages'],
      [`/letters/pages/${landing}`, undefined],
      ['/letters/new?layout=An+invitation', undefined],
      ['/signing', 'How you sign'],
      ['/practice', undefined],
      ['/practice/who', 'Who we are'],
      ['/practice/days', 'Days we work'],
      ['/practice/pace', 'How often, and at what hours'],
      ['/practice/consent', 'May we'],
      // Pages of settings are of one shape; these have nothing that is narrow.
      ...(width === 1280
        ? [
            ['/practice/looks', 'How letters and pages look'],
            ['/practice/mail', 'Mail and texts'],
            ['/practice/fields', 'Fields and dates of people'],
            ['/practice/words', 'Words of ours'],
            ['/practice/prices', 'What messages cost'],
            ['/practice/keeping', 'How long things are kept'],
          ]
        : []),
      ['/practice/tags', 'Tags'],
      ['/practice/others', 'Other programs'],
      ['/practice/members', 'Members'],
      ['/practice/data', 'All data'],
      ['/beginning', 'Beginning'],
      ['/you', undefined],
      ['/you/mail', 'Your mail account'],
      ['/stand-ins/mail', undefined],
      ['/stand-ins/texts', undefined],
    ];
    const seen = new Set();
    let opened = 0;
    for (const [where, heading] of pages) {
      await page.goto(stack.url + where);
      await (heading ? page.getByRole('heading', { name: heading }) : page.locator('main h1')).first().waitFor({ state: 'attached' });
      await until('nothing loads any more', async () => (await page.getByText(/^Loading …$/).count()) === 0);
      await accessible(page, where, width !== 1280);
      await fits(page, where);
      opened += await everythingOpens(page, where, seen, width !== 1280);
    }
    assert.ok(opened > 30, `only ${opened} things opened`);
    t.diagnostic(`${opened} things opened`);
    await leave();
  });
}

test('no page had an error of its own', () => assert.deepEqual(problems, []));
