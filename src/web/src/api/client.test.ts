import { describe, expect, test } from 'vitest';
import { ApiError, problem, take } from './client';

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
