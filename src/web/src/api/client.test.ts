import { afterEach, describe, expect, test, vi } from 'vitest';
import { ApiError, api, problem, setGuard, take } from './client';

describe('answers of the API', () => {
  test('data is handed through', async () => {
    await expect(take(Promise.resolve({ data: 7, response: new Response() }))).resolves.toBe(7);
  });

  test('problem details become an error with words and fields', () => {
    const error = problem({ title: 'Something has to be put right', detail: 'Give a name.', errors: { name: ['Give a name.'] } }, 400);
    expect(error).toBeInstanceOf(ApiError);
    expect(error.message).toBe('Give a name.');
    expect(error.fields.name).toEqual(['Give a name.']);
  });

  test('without a detail the first field speaks; a 404 has words of its own', () => {
    expect(problem({ errors: { at: ['09:30 would be right.'] } }, 400).message).toBe('09:30 would be right.');
    expect(problem(undefined, 404).message).toBe('That is not here any more.');
    expect(problem({}, 500).message).toMatch(/nothing was changed/);
  });

  test('a refused answer and a server that is away both throw', async () => {
    await expect(take(Promise.resolve({ error: { detail: 'No.' }, response: new Response(null, { status: 409 }) }))).rejects.toMatchObject({
      status: 409,
      message: 'No.',
    });
    await expect(take(Promise.reject(new TypeError('fetch failed')))).rejects.toMatchObject({ status: 0 });
  });
});

describe('the guard of writing calls', () => {
  afterEach(() => vi.unstubAllGlobals());

  /** A server whose guard is `new`, where a member is signed in, and what it was sent. */
  function server(member: string | undefined) {
    const sent: string[] = [];
    vi.stubGlobal('fetch', async (asked: Request | string) => {
      if (typeof asked === 'string') return Response.json({ guard: 'new', member: member && { id: member } });
      const guard = asked.headers.get('X-Germinal-Guard');
      sent.push(`${guard} ${await asked.text()}`);
      return guard === 'new'
        ? new Response(null, { status: 204 })
        : Response.json({ detail: 'Load it again.' }, { status: 400, headers: { 'X-Germinal-Guard': 'old' } });
    });
    return sent;
  }

  const write = () => take(api.POST('/api/session/forgotten', { baseUrl: 'http://localhost', body: { email: 'ada@example.com' } }));

  test('one that had grown old is got anew, and the call goes once more with all it said', async () => {
    setGuard({ guard: 'old', member: null });
    const sent = server(undefined);
    await write();
    expect(sent).toEqual(['old {"email":"ada@example.com"}', 'new {"email":"ada@example.com"}']);
    await write();
    expect(sent.length).toBe(3);
  });

  test('where somebody else signed in meanwhile nothing is done in their name', async () => {
    setGuard({ guard: 'old', member: null });
    const sent = server('tomas');
    await expect(write()).rejects.toMatchObject({ status: 400, message: 'Load it again.' });
    expect(sent.length).toBe(1);
  });
});
