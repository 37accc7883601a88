// @vitest-environment jsdom
import { beforeEach, expect, test } from 'vitest';
import { timesHere } from './times';

const radio = (at: string, more = '') =>
  `<label><input type="radio" name="g.time" value="${at}"${more}> <time datetime="${at}">x</time></label>`;

function page(days: string) {
  document.body.innerHTML = `<div><fieldset class="times" data-zone="Hier: {zone}." data-one="1 Zeit" data-many="{n} Zeiten"><legend>When?</legend><p class="zone">Theirs</p>${days}</fieldset><input type="hidden" name="g.zone"></div>`;
  const times = document.querySelector<HTMLElement>('.times');
  if (!times) throw new Error('no times');
  timesHere(times, 'en-GB');
  return times;
}

// Tests run in one zone, whichever it is; what a day is there is worked out beside it.
const dayOf = (at: string) => new Intl.DateTimeFormat('en-GB', { weekday: 'long', day: 'numeric', month: 'long' }).format(new Date(at));

beforeEach(() => {
  document.body.innerHTML = '';
});

test('times stand under the days of the reader, each once, and their zone is sent along', () => {
  const all = ['2027-03-02T04:30:00Z', '2027-03-02T12:00:00Z', '2027-03-02T23:30:00Z', '2027-03-09T12:00:00Z'];
  const times = page(
    `<details name="day" open><summary>a</summary><div>${all
      .slice(0, 3)
      .map((t) => radio(t))
      .join('')}</div></details><details name="day"><summary>b</summary><div>${radio('2027-03-09T12:00:00Z')}</div></details>`,
  );
  expect([...times.querySelectorAll('input')].map((i) => i.value)).toEqual(all);
  for (const details of times.querySelectorAll('details')) {
    const days = new Set([...details.querySelectorAll('input')].map((i) => dayOf(i.value)));
    expect(days.size).toBe(1);
    expect(details.querySelector('summary')?.textContent).toContain([...days][0]);
  }
  expect(times.querySelector('details')?.open).toBe(true);
  const zone = Intl.DateTimeFormat().resolvedOptions().timeZone;
  expect(document.querySelector<HTMLInputElement>('input[name="g.zone"]')?.value).toBe(zone);
  expect(times.querySelector('.zone')?.textContent).toBe(`Hier: ${zone.replaceAll('_', ' ')}.`);
  const counts = [...times.querySelectorAll('details')].map((d) => [
    d.querySelector('summary span')?.textContent,
    d.querySelectorAll('input').length,
  ]);
  for (const [said, n] of counts) expect(said).toBe(n === 1 ? '1 Zeit' : `${n} Zeiten`);
});

test('the day of what is chosen already is open, and no other', () => {
  const times = page(
    `<details name="day" open><summary>a</summary><div>${radio('2027-03-02T12:00:00Z')}</div></details><details name="day"><summary>b</summary><div>${radio('2027-03-09T12:00:00Z', ' checked')}</div></details>`,
  );
  expect([...times.querySelectorAll('details')].map((d) => d.open)).toEqual([false, true]);
});
