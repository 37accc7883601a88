/**
 * The script of a public form's page. The page works without it; with it, questions come and go with the answers before them, moments are said, and
 * times chosen, in the reader's own zone, a page that frames it knows its height, and the work is done that makes sending by the thousand dear.
 */
import { tellSeen } from './film';
import { followAnswers } from './followAnswers';
import { language } from './language';
import { timesHere } from './times';
import { workFor } from './work';

const form = document.querySelector<HTMLFormElement>('#form');
if (form) {
  followAnswers(form);
  const token = form.elements.namedItem('g.token');
  const work = form.elements.namedItem('g.work');
  if (token instanceof HTMLInputElement && work instanceof HTMLInputElement) {
    // It is done long before anybody has written their name; whoever is faster waits for the moment that is left.
    const done = workFor(token.value).then((answer) => {
      work.value = answer;
    });
    let waits = false;
    form.addEventListener('submit', (event) => {
      if (work.value) return;
      event.preventDefault();
      if (waits) return;
      waits = true;
      done.then(() => form.submit());
    });
  }
}

const film = document.querySelector<HTMLVideoElement>('#film');
if (film) tellSeen(film);

for (const times of document.querySelectorAll<HTMLElement>('.times')) timesHere(times);

for (const time of document.querySelectorAll<HTMLTimeElement>('time:not(.times time)')) {
  const at = new Date(time.dateTime);
  if (!Number.isNaN(at.valueOf())) time.textContent = at.toLocaleString(language(), { dateStyle: 'full', timeStyle: 'short' });
}

if (window.parent !== window) {
  const tell = () => window.parent.postMessage({ formHeight: document.documentElement.getBoundingClientRect().height }, '*');
  new ResizeObserver(tell).observe(document.documentElement);
  tell();
}
