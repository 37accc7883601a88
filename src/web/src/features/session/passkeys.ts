import { phrase } from '../../words/phrase';

/** Whether this browser knows passkeys, and reads and writes them as JSON (WebAuthn, level 3). */
export const canPasskeys = () =>
  typeof PublicKeyCredential !== 'undefined' && typeof PublicKeyCredential.parseRequestOptionsFromJSON === 'function';

/**
 * Asks for a passkey to sign in with.
 * @param options what the server asks, as JSON
 * @returns what the device answered, as JSON
 */
export async function usePasskey(options: string): Promise<string> {
  const publicKey = PublicKeyCredential.parseRequestOptionsFromJSON(JSON.parse(options));
  return answered(await navigator.credentials.get({ publicKey }));
}

/** Has the device make a passkey; what goes in and out is as above. */
export async function makePasskey(options: string): Promise<string> {
  const publicKey = PublicKeyCredential.parseCreationOptionsFromJSON(JSON.parse(options));
  return answered(await navigator.credentials.create({ publicKey }));
}

function answered(credential: Credential | null): string {
  if (!(credential instanceof PublicKeyCredential)) throw new Error(phrase('No passkey was chosen.'));
  return JSON.stringify(credential.toJSON());
}
