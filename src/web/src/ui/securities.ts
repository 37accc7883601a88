/** How a line to a mail server is kept from others' ears, in words. */
export const securities = [
  ['starttls', 'made secure first (STARTTLS)'],
  ['tls', 'secure from the start (TLS)'],
  ['none', 'not secure'],
] as const;
