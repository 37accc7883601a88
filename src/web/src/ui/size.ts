import { locale, phrase } from '../words/phrase';

/** How large a file is, in words. */
export const size = (bytes: number) =>
  bytes < 1_000_000
    ? phrase('{kilobytes, number} kB', { kilobytes: Math.max(1, Math.round(bytes / 1024)) })
    : phrase('{megabytes} MB', {
        megabytes: (bytes / 1_048_576).toLocaleString(locale(), { minimumFractionDigits: 1, maximumFractionDigits: 1 }),
      });
