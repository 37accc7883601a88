import { language as ofPage } from './language';

/**
 * Puts the times one can choose from under the days of the reader's own zone, says which zone that is, and sends it along.
 * What is said with it stands at the times, as the server says it.
 */
export function timesHere(times: HTMLElement, language = ofPage()) {
  const zone = Intl.DateTimeFormat().resolvedOptions().timeZone;
  const said = times.querySelector('.zone');
  if (said) said.textContent = (times.dataset.zone ?? '{zone}').replace('{zone}', () => zone.replaceAll('_', ' '));
  const sent = document.querySelector<HTMLInputElement>('input[name="g.zone"]');
  if (sent) sent.value = zone;
  const day = new Intl.DateTimeFormat(language, { weekday: 'long', day: 'numeric', month: 'long', timeZone: zone });
  const time = new Intl.DateTimeFormat(language, { timeStyle: 'short', timeZone: zone });
  const days = new Map<string, HTMLElement[]>();
  for (const label of times.querySelectorAll('label')) {
    const shown = label.querySelector('time');
    if (!shown) continue;
    const at = new Date(shown.dateTime);
    shown.textContent = time.format(at);
    const name = day.format(at);
    days.set(name, [...(days.get(name) ?? []), label]);
  }
  const old = [...times.querySelectorAll('details')];
  const before = old[0]?.previousElementSibling;
  const fresh = [...days].map(([name, labels], place) => {
    const group = document.createElement('details');
    group.name = 'day';
    const chosen = labels.some((l) => l.querySelector('input')?.checked);
    group.open = chosen || (place === 0 && !times.querySelector('input:checked'));
    const head = document.createElement('summary');
    const count = document.createElement('span');
    count.textContent = (labels.length === 1 ? times.dataset.one : times.dataset.many?.replace('{n}', String(labels.length))) ?? '';
    head.append(`${name} `, count);
    const box = document.createElement('div');
    box.append(...labels);
    group.append(head, box);
    return group;
  });
  for (const group of old) group.remove();
  before?.after(...fresh);
}
