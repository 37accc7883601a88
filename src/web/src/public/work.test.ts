import { createHash } from 'node:crypto';
import { describe, expect, it } from 'vitest';
import { workFor } from './work';

describe('the work of a page', () => {
  // Against the digest of another library.
  it.each(['a', 'token-2', 'x'.repeat(64)])('finds a number for %s', async (token) => {
    const answer = await workFor(token, 10);
    const digest = createHash('sha256').update(`${token}:${answer}`).digest();
    expect(digest.readUInt32BE(0) >>> 22).toBe(0);
  });

  it('finds the first there is', async () => {
    const answer = Number(await workFor('first', 8));
    for (let n = 0; n < answer; n++) expect(createHash('sha256').update(`first:${n}`).digest()[0]).not.toBe(0);
  });
});
