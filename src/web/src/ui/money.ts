import { locale } from '../words/phrase';

/** An amount in a currency, as one says it; a code that is none stands before the amount. */
export function money(amount: number, currency: string): string {
  try {
    return amount.toLocaleString(locale(), { style: 'currency', currency, maximumFractionDigits: amount < 1 ? 3 : 2 });
  } catch {
    return `${currency} ${amount.toFixed(2)}`;
  }
}
