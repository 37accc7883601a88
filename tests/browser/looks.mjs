// What is asked of every page: axe finds nothing, and nothing is wider than the screen.
import assert from 'node:assert/strict';
import fs from 'node:fs';
import { createRequire } from 'node:module';

const axe = fs.readFileSync(createRequire(import.meta.url).resolve('axe-core/axe.min.js'), 'utf8');

/**
 * What axe finds, in lines. It cannot run in a frame in which nothing runs, so letters are left out.
 * @param within selectors of the parts that are looked at; the whole page where there is none
 * @param only the options of axe that say which rules are meant
 * @param covered whether something lies over a part of the page: which line it cuts says nothing, since the page can be scrolled
 */
async function found(page, only, within = [], covered = false) {
  if (!(await page.evaluate(() => 'axe' in window))) await page.evaluate(axe);
  return page.evaluate(
    async ([only, within, covered]) => {
      const context = { include: within.length > 0 ? within.map((w) => [w]) : [['html']], exclude: [['iframe']] };
      const { violations } = await window.axe.run(context, { ...only, resultTypes: ['violations'], iframes: false });
      const seen = (n) => !covered || !/partially obscured/.test(n.failureSummary ?? '');
      return violations.map((v) => ({ ...v, nodes: v.nodes.filter(seen) })).filter((v) => v.nodes.length > 0).map((v) => `${v.id}: ${v.nodes.map((n) => `${n.target} ${n.failureSummary?.split('\n')[1] ?? ''}`).slice(0, 3).join(' | ')}`);
    },
    [only, within, covered],
  );
}

const tags = { runOnly: { type: 'tag', values: ['wcag2a', 'wcag2aa', 'wcag21aa', 'wcag22aa', 'best-practice'] } };
const rules = (values) => ({ runOnly: { type: 'rule', values } });

/** What may be otherwise where there is little room: sizes, what folds into one word, what scrolls by itself. Names, roles and colours are the same at any width. */
const ofWidth = ['target-size', 'scrollable-region-focusable', 'heading-order', 'region', 'landmark-one-main', 'landmark-unique', 'page-has-heading-one', 'button-name', 'link-name', 'label'];

/**
 * WCAG 2.2 AA and axe's best practices in both colour sets.
 * @param again whether the page was looked at so at another width: then only what may be otherwise at this one is
 */
export async function accessible(page, name, again = false) {
  // What sticks to an edge of the screen covers a line that comes out from under it as one scrolls; which line that is says nothing.
  await page.evaluate(() => {
    window.scrollTo(0, 0);
    for (const margin of document.querySelectorAll('aside')) margin.scrollTo(0, 0);
  });
  assert.deepEqual(await found(page, again ? rules(ofWidth) : tags, [], true), [], name);
  if (again) return;
  // In the other colours only the colours are others.
  await page.emulateMedia({ colorScheme: 'dark' });
  assert.deepEqual(await found(page, rules(['color-contrast']), [], true), [], `${name}, dark`);
  await page.emulateMedia({ colorScheme: 'light' });
}

/** No sideways scroll. */
export async function fits(page, name) {
  const wide = await page.evaluate(() => document.documentElement.scrollWidth - window.innerWidth);
  assert.ok(wide <= 0, `${name} is ${wide} px too wide`);
}

/** What is asked of the page as a whole while something floats over it. */
const wholePage = ['aria-hidden-focus', 'region', 'landmark-one-main', 'landmark-unique', 'heading-order', 'page-has-heading-one', 'duplicate-id-aria'];
const openers = '[aria-haspopup]:visible, [aria-expanded]:visible';
const floats = ['[role=dialog]', '[role=menu]', '[role=listbox]'];

/**
 * Opens everything on the page that opens, one after the other, and looks at it; each kind of thing once: what floats by its words (as
 * far as a colon), what opens in place by how it looks, so that forty lines of a thread are looked at as one.
 * @param seen what was looked at before; the line at the top is the same on every page
 * @param again as of `accessible`
 * @returns how many things were opened
 */
export async function everythingOpens(page, name, seen, again = false) {
  let opened = 0;
  for (let i = 0; i < (await page.locator(openers).count()); i++) {
    const opener = page.locator(openers).nth(i);
    const { what, top, floats: isFloat, looks } = await opener.evaluate((e) => ({
      what: (e.getAttribute('aria-label') || e.textContent || e.tagName).split(':')[0].slice(0, 60),
      top: e.closest('#top') !== null,
      floats: e.hasAttribute('aria-haspopup') || e.getAttribute('role') === 'combobox',
      looks: `${e.tagName} ${e.className}`,
    }));
    const kind = `${top ? 'top' : name.replace(/[0-9a-f-]{36}/, '')} ${isFloat ? what.replace(/^(Pause|Add a step after) .*/, '$1').replace(/\d/g, 'N') : looks}`;
    if (seen.has(kind)) continue;
    seen.add(kind);
    opened++;
    await opener.click();
    const floating = page.locator(floats.map((f) => `${f}:visible`).join(', '));
    if (isFloat && (await floating.first().waitFor({ timeout: 5000 }).then(() => true, () => false))) {
      if (again) {
        assert.deepEqual(await found(page, rules(ofWidth.filter((r) => !wholePage.includes(r))), floats), [], `${name} › ${what}`);
        await fits(page, `${name} › ${what}`);
        await page.keyboard.press('Escape');
        await floating.first().waitFor({ state: 'detached' });
        continue;
      }
      assert.deepEqual(await found(page, rules(wholePage)), [], `${name} › ${what}, the page`);
      assert.deepEqual(await found(page, { ...tags, rules: Object.fromEntries(wholePage.map((r) => [r, { enabled: false }])) }, floats), [], `${name} › ${what}`);
      await page.emulateMedia({ colorScheme: 'dark' });
      assert.deepEqual(await found(page, rules(['color-contrast']), floats), [], `${name} › ${what}, dark`);
      await page.emulateMedia({ colorScheme: 'light' });
      await fits(page, `${name} › ${what}`);
      await page.keyboard.press('Escape');
      await floating.first().waitFor({ state: 'detached' });
    } else {
      // It opens in place: it is looked at as a part of the page.
      assert.deepEqual(await found(page, rules(again ? ofWidth : [...wholePage, 'label', 'button-name', 'target-size', 'color-contrast']), [], true), [], `${name} › ${what}`);
      await page.keyboard.press('Escape');
    }
    if ((await opener.getAttribute('aria-expanded', { timeout: 1000 }).catch(() => null)) === 'true') await opener.click();
  }
  return opened;
}

/** WCAG 2.2 AA of a page that is no page of the application: a letter, which has no landmarks. In the colours it is shown in. */
export async function readable(page, name) {
  const wcag = { runOnly: { type: 'tag', values: tags.runOnly.values.filter((t) => t !== 'best-practice') } };
  assert.deepEqual(await found(page, wcag), [], name);
}
