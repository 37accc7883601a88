// Takes the pictures of docs/screenshots from a running demo:  node scripts/screenshots.mjs [address] [password]
import path from 'node:path';
import { openBrowser, root } from '../tests/browser/stack.mjs';

const [url = 'http://127.0.0.1:5080', password] = process.argv.slice(2);
const browser = await openBrowser();
const page = await (await browser.newContext({ viewport: { width: 1280, height: 800 }, reducedMotion: 'reduce' })).newPage();
const shot = async (name) => {
  await page.waitForTimeout(900);
  await page.screenshot({ path: path.join(root, 'docs', 'screenshots', `${name}.png`) });
};
await page.goto(`${url}/`);
await page.getByLabel('Email address').waitFor();
await shot('sign-in');
await page.getByLabel('Email address').fill('ada@example.com');
await page.getByLabel('Password').fill(password);
await page.keyboard.press('Enter');
await page.getByRole('heading', { level: 2, name: 'Calls' }).waitFor();
await shot('today');
const someone = (await (await page.request.get(`${url}/api/today`)).json()).calls[0].person.id;
await page.goto(`${url}/people`);
await page.getByRole('link', { name: 'Bring people in' }).waitFor();
await shot('people');
await page.getByLabel('Pick all shown').check();
await page.getByRole('button', { name: /^Pick all .* who fit/ }).click();
await page.getByLabel('Start a program').selectOption({ label: 'First eight weeks' });
await page.getByRole('button', { name: 'Start …' }).click();
await page.getByRole('heading', { name: 'What it would do' }).waitFor();
await shot('many');
await page.goto(`${url}/people/segments`);
await page.getByRole('link', { name: 'Cooled off' }).click();
await page.getByRole('combobox', { name: 'Why is somebody in, or not' }).fill('abernath');
await page.getByRole('listbox').getByRole('option').first().click();
await page.getByText('What decides is marked at the left.').waitFor();
await shot('segment');
await page.goto(`${url}/people/same`);
await page.getByRole('list', { name: 'Pairs' }).waitFor();
await shot('same');
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
await page.getByText(/^More about/).click();
await page.getByText('Others to them').scrollIntoViewIfNeeded();
await page.getByRole('heading', { name: 'As a whole' }).scrollIntoViewIfNeeded();
await shot('around');
await page.goto(`${url}/programs`);
await page.getByText('First eight weeks').first().waitFor();
await shot('programs');
await page.getByText('First eight weeks').first().click();
await page.getByLabel('Name of the program').waitFor();
await shot('program');
await page.goto(`${url}/programs`);
await page.getByText('Retirement at 65').first().click();
await page.getByRole('button', { name: 'If', exact: true }).click();
await page.getByRole('button', { name: /^What it asks/ }).click();
await shot('fork');
// A ready program, read and taken; what it would do; and a letter begun from a layout.
await page.goto(`${url}/programs/ready/eight-weeks-plan`);
await page.getByRole('heading', { name: /would get it/ }).waitFor();
await shot('ready');
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
await page.goto(`${url}/practice`);
await page.getByRole('button', { name: 'Keep these settings' }).waitFor();
await shot('practice');
await page.goto(`${url}/people/consent`);
await page.getByText('Lost within thirty days').waitFor();
await shot('consent');
await page.goto(`${url}/people/bring-in`);
await page.getByLabel('A file of people').setInputFiles(path.join(root, 'demo', 'people', 'sample.csv'));
await page.getByRole('heading', { name: 'Is this right?' }).waitFor();
await shot('import-review');
// The stand-in's box is empty until time passes.
const { guard } = await (await page.request.get(`${url}/api/session`)).json();
await page.request.post(`${url}/api/clock/move`, { data: { to: 'P7D' }, headers: { 'X-Germinal-Guard': guard } });
for (let i = 0; i < 1000 && (await (await page.request.get(`${url}/api/clock`)).json()).moveTo; i++) await page.waitForTimeout(300);
await page.goto(`${url}/stand-ins/mail`);
await page.locator('button.row').nth(3).click();
await shot('mail');
await page.goto(`${url}/stand-ins/texts`);
await page.getByRole('button', { name: /^To / }).first().waitFor();
await shot('texts');
await browser.close();
