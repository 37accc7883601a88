import { sha256 } from '@noble/hashes/sha2.js';

/** So many bits at the head of the digest are zero; the server asks for the same (`FormTokens.WorkBits`). */
export const workBits = 16;

/** Digests between two looks at whether anything else wants to be done. */
const slice = 2_000;

/** The number with which the SHA-256 of `token:number` begins with enough zero bits. It leaves the page time to be written in. */
export async function workFor(token: string, bits = workBits): Promise<string> {
  const text = new TextEncoder();
  for (let n = 0; ; n++) {
    const d = sha256(text.encode(`${token}:${n}`));
    const head = (((d[0] ?? 0) << 24) | ((d[1] ?? 0) << 16) | ((d[2] ?? 0) << 8) | (d[3] ?? 0)) >>> 0;
    if (head >>> (32 - bits) === 0) return String(n);
    if (n % slice === slice - 1) await new Promise((go) => setTimeout(go));
  }
}
