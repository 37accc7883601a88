import type { QueryClient } from '@tanstack/react-query';
import { api, type Schemas, take } from '../../api/client';
import { said } from '../../ui/undo';
import { phrase } from '../../words/phrase';

/** What can be done to one person or many as one act; the last part of the address it is sent to. */
export type ActKind = 'tag' | 'untag' | 'stage' | 'join' | 'leave' | 'owner' | 'start';

/** The people and what is done: `ids` or `matching`, and the tag, stage, list, member or program. */
export type ActBody = Schemas['ActBody'];

const nothing: ActBody = { ids: null, matching: null, tag: null, stage: null, list: null, owner: null, program: null };

/** A body for one kind of act. */
export function actOn(people: Pick<ActBody, 'ids' | 'matching'>, kind: ActKind, what: string): ActBody {
  const key = {
    tag: 'tag',
    untag: 'tag',
    stage: 'stage',
    join: 'list',
    leave: 'list',
    owner: 'owner',
    start: 'program',
  } as const;
  return { ...nothing, ...people, [key[kind]]: what };
}

export const doAct = (kind: ActKind, body: ActBody) => take(api.POST(`/api/people/${kind}`, { body }));

export const previewAct = (kind: ActKind, body: ActBody) => take(api.POST(`/api/people/${kind}/preview`, { body }));

/** Takes an act back, and says what that came to. */
export async function undoAct(id: string, queries: QueryClient) {
  const back = await take(api.POST('/api/acts/{id}/undo', { params: { path: { id } } }));
  queries.invalidateQueries();
  return undoneWords(back);
}

/** What taking back came to, in sentences. */
export function undoneWords(back: Schemas['ActUndone']) {
  const words = [phrase('Taken back for {people, plural, one {# person} other {# people}}.', { people: back.people })];
  if (back.stopped > 0)
    words.push(
      back.stopped === 1
        ? phrase('For one of them something had gone out already: the program is stopped there.')
        : phrase('For {stopped, number} of them something had gone out already: the program is stopped there.', { stopped: back.stopped }),
    );
  if (back.changed > 0)
    words.push(
      phrase('For {changed, plural, one {# person} other {# people}} it has been changed since, and was left as it is.', {
        changed: back.changed,
      }),
    );
  if (back.staysStopped > 0)
    words.push(
      phrase(
        '{staysStopped, plural, one {# program} other {# programs}} that it stopped {staysStopped, plural, one {stays} other {stay}} stopped.',
        { staysStopped: back.staysStopped },
      ),
    );
  return words.join(' ');
}

/** Makes two people of one again. */
export async function undoMerge(id: string, queries: QueryClient) {
  await take(api.POST('/api/merges/{id}/undo', { params: { path: { id } } }));
  queries.invalidateQueries();
  return phrase('Taken back: they are two people again.');
}

/** Takes back what was done to one person: a stop, a pause, a drop, a yes or a no; for as long as nothing has built on it. */
export async function undoEvent(person: string, event: number, queries: QueryClient) {
  await take(api.POST('/api/people/{id}/events/{happened}/undo', { params: { path: { id: person, happened: event } } }));
  queries.invalidateQueries();
  return phrase('Taken back: it is as it was.');
}

/** A call, note or task that was done by mistake stands on the sheet again. */
export async function putBack(touch: string, queries: QueryClient) {
  await take(api.POST('/api/touches/{id}/undo', { params: { path: { id: touch } } }));
  queries.invalidateQueries();
  return phrase('Taken back: it stands on the day sheet again.');
}

/** What a member says of a message or call before it goes. */
export type Mark = 'hold' | 'release' | 'drop' | 'read';

/** Holds, releases or drops a touch. What it gives back tells how a drop is taken back. */
export function markTouch(touch: string, person: string, how: Mark) {
  return take(api.POST(`/api/touches/{id}/${how}`, { params: { path: { id: touch }, query: { person } } }));
}

/** Moves a touch to another day, or back to its own (null). What it gives back says what becomes of it there. */
export function moveTouch(touch: string, person: string, to: string | null) {
  return take(api.POST('/api/touches/{id}/move', { params: { path: { id: touch } }, body: { person, to } }));
}

/** Names what was dropped, with the way back. */
export function saidDropped(what: string, person: string, done: Awaited<ReturnType<typeof markTouch>>, queries: QueryClient) {
  const event = done?.event;
  said(
    phrase('Dropped {what}: it will not go, and the program goes on after it', { what }),
    event ? () => undoEvent(person, event, queries) : undefined,
  );
}
