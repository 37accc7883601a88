import type { Schemas } from '../../api/client';
import { Field } from '../../ui/bits';
import { count } from '../../ui/when';

type Country = Schemas['CountryDto'];

/** The country whose presets fit the browser's language; empty for none of them. */
export function countryOfBrowser(countries: readonly Country[]): string {
  const region = new Intl.Locale(navigator.language).maximize().region;
  return countries.find((c) => c.country === region)?.country ?? '';
}

/** The country whose holidays, hours and rules of consent a practice begins with. */
export function CountryField({
  countries,
  value,
  set,
  error,
}: {
  countries: readonly Country[];
  value: string;
  set: (country: string) => void;
  error?: string;
}) {
  return (
    <Field label="Country" error={error} hint="holidays, hours for calls and what needs a yes are preset by it">
      {(id, by) => (
        <select id={id} aria-describedby={by} className="w-full" value={value} onChange={(e) => set(e.target.value)}>
          <option value="">another one: everything needs a yes</option>
          {countries.map((c) => (
            <option key={c.country} value={c.country}>
              {c.name}
            </option>
          ))}
        </select>
      )}
    </Field>
  );
}

const channelWords: Record<string, string> = { email: 'email', text: 'texts', call: 'calls', post: 'letters by post' };

/** What a country presets, and by which law. */
export function PresetWords({ country }: { country?: Country }) {
  if (!country)
    return (
      <>
        <h2 className="!font-sans !text-small">What is preset</h2>
        <p className="mt-1">Nothing goes without a recorded yes, texts and calls from eight to nine, Monday to Friday, no holidays.</p>
      </>
    );
  const open = country.openChannels.map((c) => channelWords[c] ?? c);
  return (
    <>
      <h2 className="!font-sans !text-small">{country.name}: what is preset</h2>
      <p className="mt-1">
        Monday to Friday, its public holidays, texts and calls from {country.quietFrom} to {country.quietTo}. Without a recorded yes:{' '}
        {open.join(', ')}. An inquiry carries a yes for {count(country.inquiryMonths, 'month', 'months')}, being a client for{' '}
        {count(country.clientMonths, 'month', 'months')}.
      </p>
      <ul className="mt-3 list-none p-0">
        {country.sources.map((s) => (
          <li key={s.what} className="mb-2">
            {s.what} <span className="block text-[12px]">{s.source}</span>
          </li>
        ))}
      </ul>
      <p className="mt-3">It is a beginning and no advice: all of it can be changed, and somebody who knows your law should look at it.</p>
    </>
  );
}
