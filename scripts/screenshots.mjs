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
await page.goto(`${url}/people/${someone}`);
await page.locator('#now').waitFor();
await shot('person');
await page.goto(`${url}/programs`);
await page.getByText('First eight weeks').waitFor();
await shot('programs');
await page.getByText('First eight weeks').first().click();
await page.getByLabel('Name of the program').waitFor();
await shot('program');
await page.goto(`${url}/practice`);
await page.getByRole('button', { name: 'Keep these settings' }).waitFor();
await shot('practice');
await page.goto(`${url}/people/bring-in`);
await page.locator('input[type=file]').setInputFiles(path.join(root, 'demo', 'people', 'sample.csv'));
await page.getByRole('heading', { name: 'Is this right?' }).waitFor();
await shot('import-review');
// The stand-in's box is empty until time passes.
const { guard } = await (await page.request.get(`${url}/api/session`)).json();
await page.request.post(`${url}/api/clock/move`, { data: { to: 'P1D' }, headers: { 'X-Germinal-Guard': guard } });
for (let i = 0; i < 200 && (await (await page.request.get(`${url}/api/clock`)).json()).moveTo; i++) await page.waitForTimeout(300);
await page.goto(`${url}/stand-ins/mail`);
await page.locator('button.row').nth(3).click();
await shot('mail');
await browser.close();
