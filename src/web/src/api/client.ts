import createClient from 'openapi-fetch';
import { phrase } from '../words/phrase';
import type { components, paths } from './schema';

export type Schemas = components['schemas'];

/** By this name the guard goes with every writing call, and comes back as “old” where it is good no more. */
const guardHeader = 'X-Germinal-Guard';

let guard = '';

/** Who was signed in when the guard was given; undefined for nobody. */
let whose: string | undefined;

/** Remembers the guard that every writing call carries, and who it was given to. */
export function setGuard(session: Pick<Schemas['SessionDto'], 'guard' | 'member'>) {
  guard = session.guard;
  whose = session.member?.id;
}

/** Whether there is a new guard for the same member. Where somebody else signed in meanwhile, nothing is to be done in their name. */
async function guardAnew() {
  const session: Schemas['SessionDto'] = await (await fetch('/api/session')).json();
  if (session.member?.id !== whose) return false;
  setGuard(session);
  return true;
}

/** Sends a call. A writing one whose guard had grown old, as where the sign-in ran out meanwhile, is sent once more with a new one. */
async function send(request: Request) {
  const again = request.method === 'GET' ? undefined : request.clone();
  const answer = await fetch(request);
  if (!again || answer.headers.get(guardHeader) !== 'old' || !(await guardAnew())) return answer;
  again.headers.set(guardHeader, guard);
  return fetch(again);
}

/** The current guard, for uploads that do not go through the client. */
export function currentGuard() {
  return guard;
}

export const api = createClient<paths>({ baseUrl: '', fetch: send });

api.use({
  onRequest({ request }) {
    if (request.method !== 'GET') {
      request.headers.set(guardHeader, guard);
    }
    return request;
  },
  onResponse({ response }) {
    if (response.status === 401) {
      window.dispatchEvent(new Event('germinal:signed-out'));
    }
    return response;
  },
});

/** An error with the words to show and, by field, what would be right. */
export class ApiError extends Error {
  constructor(
    message: string,
    readonly status: number,
    readonly fields: Record<string, string[]> = {},
    /** Who has the same already, by field; the call may say that it is meant anyway. */
    readonly others: Record<string, { id: string; name: string }> = {},
  ) {
    super(message);
  }
}

type Answer<T> = { data?: T; error?: unknown; response: Response };

/** The data of an answer, or an ApiError made of its problem details (RFC 9457). */
export async function take<T>(call: Promise<Answer<T>>): Promise<T> {
  const { data, error, response } = await call.catch(() => {
    globalThis.window?.dispatchEvent(new Event('germinal:no-answer'));
    throw new ApiError(phrase('Germinal does not answer. Check that it is running, then try again.'), 0);
  });
  if (!response.ok) {
    throw problem(error, response.status);
  }
  return data as T;
}

/** Problem details as an ApiError. */
export function problem(error: unknown, status: number): ApiError {
  const details = (typeof error === 'object' && error !== null ? error : {}) as {
    detail?: string;
    title?: string;
    errors?: Record<string, string[]>;
    others?: Record<string, { id: string; name: string }>;
  };
  const first = Object.values(details.errors ?? {})[0]?.[0];
  const words =
    details.detail ??
    first ??
    (status === 404 ? phrase('That is not here any more.') : (details.title ?? phrase('Something went wrong; nothing was changed.')));
  return new ApiError(words, status, details.errors, details.others);
}

/** Asks for a file and hands it to the browser to keep. */
export async function download(path: string, body: unknown, name: string): Promise<void> {
  const response = await fetch(path, {
    method: 'POST',
    body: JSON.stringify(body),
    headers: { 'content-type': 'application/json', [guardHeader]: guard },
  }).catch(() => {
    throw new ApiError(phrase('Germinal does not answer. Check that it is running, then try again.'), 0);
  });
  if (!response.ok) {
    throw problem(await response.json().catch(() => undefined), response.status);
  }
  const link = document.createElement('a');
  link.href = URL.createObjectURL(await response.blob());
  link.download = name;
  link.click();
  URL.revokeObjectURL(link.href);
}

/**
 * Sends a file as multipart form data.
 * @param said What is said of it, field by field.
 * @param headers What has to be known before any of it is read.
 */
export async function upload<T>(
  path: string,
  file: File,
  said: Record<string, string> = {},
  headers: Record<string, string> = {},
): Promise<T> {
  const body = new FormData();
  for (const [name, value] of Object.entries(said)) body.append(name, value);
  body.append('file', file);
  const response = await fetch(path, { method: 'POST', body, headers: { [guardHeader]: guard, ...headers } });
  const answer = await response.json().catch(() => undefined);
  if (!response.ok) {
    throw problem(answer, response.status);
  }
  return answer as T;
}
