import type { Schemas } from '../../api/client';
import { Field } from '../../ui/bits';
import { phrase } from '../../words/phrase';

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
    <Field label={phrase('Country')} error={error} hint={phrase('holidays, hours for calls and what needs a yes are preset by it')}>
      {(id, by) => (
        <select id={id} aria-describedby={by} className="w-full" value={value} onChange={(e) => set(e.target.value)}>
          <option value="">{phrase('another one: everything needs a yes')}</option>
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

const channelWords: Record<string, string> = {
  email: phrase('email'),
  text: phrase('texts'),
  call: phrase('calls'),
  post: phrase('letters by post'),
};

/** What a country presets, and by which law. */
export function PresetWords({ country }: { country?: Country }) {
  if (!country)
    return (
      <>
        <h2 className="!font-sans !text-small">{phrase('What is preset')}</h2>
        <p className="mt-1">
          {phrase('Nothing goes without a recorded yes, texts and calls from eight to nine, Monday to Friday, no holidays.')}
        </p>
      </>
    );
  const open = country.openChannels.map((c) => channelWords[c] ?? c);
  return (
    <>
      <h2 className="!font-sans !text-small">{phrase('{country}: what is preset', { country: country.name })}</h2>
      <p className="mt-1">
        {phrase(
          'Monday to Friday, its public holidays, texts and calls from {quietFrom} to {quietTo}. Without a recorded yes: {open}. An inquiry carries a yes for {inquiryMonths, plural, one {# month} other {# months}}, being a client for {clientMonths, plural, one {# month} other {# months}}.',
          {
            quietFrom: country.quietFrom,
            quietTo: country.quietTo,
            open: open.join(', '),
            inquiryMonths: country.inquiryMonths,
            clientMonths: country.clientMonths,
          },
        )}
      </p>
      <ul className="mt-3 list-none p-0">
        {country.sources.map((s) => (
          <li key={s.what} className="mb-2">
            {s.what} <span className="block text-[12px]">{s.source}</span>
          </li>
        ))}
      </ul>
      <p className="mt-3">
        {phrase('It is a beginning and no advice: all of it can be changed, and somebody who knows your law should look at it.')}
      </p>
    </>
  );
}
