// Takes the pictures of docs/screenshots from a running demo, and one of an empty installation where its beginning is given:
//   node scripts/screenshots.mjs [address] [password] [http://…/begin?key=…]
import { execFileSync } from 'node:child_process';
import fs from 'node:fs';
import path from 'node:path';
import { openBrowser, root } from '../tests/browser/stack.mjs';

const [url = 'http://127.0.0.1:5080', password, beginning] = process.argv.slice(2);
const browser = await openBrowser();
const page = await (await browser.newContext({ viewport: { width: 1280, height: 800 }, reducedMotion: 'reduce' })).newPage();
const shot = async (name) => {
  await page.waitForTimeout(900);
  await page.screenshot({ path: path.join(root, 'docs', 'screenshots', `${name}.png`) });
};
await page.goto(`${url}/`);
await page.getByLabel('Email address').waitFor();
await page.getByLabel('Email address').fill('ada@example.com');
await page.getByLabel('Password').fill(password);
await page.keyboard.press('Enter');
await page.getByRole('heading', { level: 2, name: 'Calls' }).waitFor();
await shot('today');
// The printed sheet, its first page as a picture.
const sheet = path.join(root, '.data', 'sheet.pdf');
fs.writeFileSync(sheet, await (await page.request.get(`${url}/api/today/sheet.pdf`)).body());
execFileSync('pdftoppm', ['-png', '-r', '80', '-singlefile', sheet, path.join(root, 'docs', 'screenshots', 'day-sheet')]);
fs.rmSync(sheet);
const someone = (await (await page.request.get(`${url}/api/today`)).json()).calls[0].person.id;
await page.goto(`${url}/proof`);
await page.getByText(/^1 of /).waitFor();
await page.locator('[data-pick]').nth(2).click();
await page.getByText(/^3 of /).waitFor();
await shot('proof');
await page.goto(`${url}/almanac`);
await page.getByRole('slider', { name: 'Week' }).press('PageDown');
await page.getByRole('button', { name: 'back to today' }).waitFor();
await page.getByRole('button', { name: /^Many happy returns/ }).first().click();
await page.getByRole('button', { name: 'move all to another day' }).waitFor();
await shot('almanac');
await page.goto(`${url}/pipeline`);
await page.getByRole('heading', { name: 'Planning', level: 1 }).waitFor();
await page.getByText('in eight of ten between').waitFor();
await page.keyboard.press('l');
await page.getByLabel('Why it was lost').fill('timing');
await page.getByText(/^By itself starts/).waitFor();
await shot('pipeline');
// Somebody who lives with somebody, of those who are called today where there is one.
const sent = (await (await page.request.get(`${url}/api/segments`)).json()).find((s) => s.name === 'Sent by a client');
const around = await (await page.request.get(`${url}/api/people?segment=${sent.id}&most=60`)).json();
let whom = someone;
for (const p of around.rows) {
  if ((await (await page.request.get(`${url}/api/people/${p.id}/circle`)).json()).household) {
    whom = p.id;
    break;
  }
}
await page.goto(`${url}/people/${whom}`);
await page.getByText(/^More about/).waitFor();
await shot('person');
await page.goto(`${url}/inquiries`);
await page.getByRole('button', { name: /daughter/ }).click();
await page.keyboard.press('w');
await page.getByLabel(/^To /).waitFor();
await shot('inquiries');
await page.goto(`${url}/forms`);
await page.getByRole('link', { name: 'evening talk' }).click();
await page.getByRole('textbox', { name: 'Question 1' }).waitFor();
await shot('form');
await page.goto(`${url}/programs`);
await page.getByText('First eight weeks').first().waitFor();
await page.getByText('First eight weeks').first().click();
await page.getByLabel('Name of the program').waitFor();
await shot('program');
await page.goto(`${url}/results`);
await page.getByRole('table', { name: 'Who can be written to' }).waitFor();
await shot('results');
// What a broadcast did, one being written, and what a program did.
await page.goto(`${url}/programs/broadcasts`);
await page.getByRole('link', { name: 'Rates in September' }).click();
await page.getByRole('heading', { name: 'Versions beside each other' }).waitFor();
await shot('broadcast-results');
await page.goto(`${url}/programs/broadcasts`);
await page.getByRole('heading', { name: 'Broadcasts', level: 1 }).waitFor();
await page.keyboard.press('w');
await page.getByLabel('Name of the broadcast').fill('Rates in March');
await page.getByText('nobody yet', { exact: true }).click();
await page.getByLabel('Which segment').selectOption('Clients in Maine');
await page.getByText('which way', { exact: true }).click();
await page.getByRole('button', { name: 'email', exact: true }).click();
await page.getByText('or another way').click();
await page.getByRole('button', { name: 'a card', exact: true }).click();
await page.getByLabel('Subject').fill('Loan rates in March');
await page.getByLabel('Body of the letter').click();
await page.keyboard.type('Rates have come down again. If your loan is fixed until summer, now is the time to ask.');
await page.getByLabel('Words of the card').fill('Rates have come down again. Call me if your loan is fixed until summer.');
await page.getByText('as soon as it is sent', { exact: true }).click();
await page.getByLabel('When it goes').selectOption('own');
await page.keyboard.press('Escape');
await page.getByText(/^It is for/).waitFor();
await page.getByRole('heading', { name: /^As .* has it$/ }).waitFor();
await page.evaluate(() => window.scrollTo(0, 0));
await shot('broadcast');
// A ready program taken; what it would do; and a letter begun from a layout.
await page.goto(`${url}/programs/ready/eight-weeks-plan`);
await page.getByLabel('Which stage do they stand in when it starts?').selectOption('Planning/Inquiry');
await page.getByLabel('Which stage means that they are clients?').selectOption('Planning/Client');
await page.getByRole('button', { name: 'Take it' }).click();
await page.getByRole('link', { name: 'Rehearse it over everybody' }).click();
await page.getByRole('button', { name: 'Rehearse it' }).click();
await page.getByText(/it starts for/).waitFor();
await page.getByRole('list', { name: 'Who gets it' }).getByRole('button').first().click();
await page.getByRole('heading', { name: /^What comes for / }).waitFor();
await page.evaluate(() => window.scrollTo(0, 0));
await page.locator('[data-sonner-toast]').waitFor({ state: 'detached' });
await shot('rehearsal');
await page.goto(`${url}/letters/new?layout=An+invitation`);
await page.getByRole('heading', { name: /reads it/ }).waitFor();
await page.getByLabel('Name of the letter').fill('An evening in March');
await page.getByLabel('Body of the letter').locator('p').nth(1).click();
await page.getByRole('button', { name: 'Put in' }).click();
await page.getByRole('menuitem', { name: 'a passage only for some' }).click();
await shot('letter');
// Two changes, so that there is something to take back.
await page.goto(`${url}/practice/pace`);
await page.getByLabel('until', { exact: true }).fill('20:00');
await page.getByRole('button', { name: 'Keep these settings' }).click();
await page.getByText('Kept.').waitFor();
await page.goto(`${url}/practice/words`);
await page.getByLabel('Kinds of appointments, one a line').fill('first meeting\nyearly review\nsigning\nsite visit');
await page.getByRole('button', { name: 'Keep these settings' }).click();
await page.getByText('Kept.').waitFor();
await page.goto(`${url}/practice`);
await page.getByText('kinds of appointments: now with “site visit”').waitFor();
await shot('practice');
await page.goto(`${url}/people/bring-in`);
await page.getByLabel('A file of people').setInputFiles(path.join(root, 'demo', 'people', 'sample.csv'));
await page.getByRole('heading', { name: 'Is this right?' }).waitFor();
await shot('import-review');
await page.goto(`${url}/practice/members`);
await page.getByRole('button', { name: /Tomas/ }).click();
await page.getByLabel('Letters come from').waitFor();
await shot('members');
await page.goto(`${url}/journal`);
await page.getByRole('heading', { name: 'Journal', level: 1 }).waitFor();
await shot('journal');
if (beginning) {
  await page.context().clearCookies();
  await page.goto(beginning);
  await page.getByLabel('Your practice').fill('Fern & Hollow');
  await page.getByLabel('Your name').fill('Iris Fern');
  await page.getByLabel('Email address').fill('iris@example.com');
  await page.getByLabel('Password').fill('the kettle knew it first');
  await page.keyboard.press('Enter');
  await page.getByRole('heading', { name: 'Beginning' }).waitFor();
  await shot('beginning');
}
await browser.close();
