import { phrase } from '../words/phrase';

/** How a line to a mail server is kept from others' ears, in words. */
export const securities = [
  ['starttls', phrase('made secure first (STARTTLS)')],
  ['tls', phrase('secure from the start (TLS)')],
  ['none', phrase('not secure')],
] as const;
