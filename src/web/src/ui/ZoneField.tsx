import { locale, phrase } from '../words/phrase';
import { Field } from './bits';
import { placeOf } from './when';

/**
 * A clock chosen by a place that keeps it. Its value is the zone's name (IANA); the browser knows which there are.
 * @param none what an empty value stands for
 */
export function ZoneField({
  label,
  none,
  value,
  set,
  error,
}: {
  label: string;
  none: string;
  value: string;
  set: (zone: string) => void;
  error?: string;
}) {
  const places = knownPlaces();
  return (
    <Field label={label} error={error} hint={phrase('a place that keeps the same time')}>
      {(id, by) => (
        <select id={id} aria-describedby={by} className="w-full" value={value} onChange={(e) => set(e.target.value)}>
          <option value="">{none}</option>
          {value && !places.some(([zone]) => zone === value) && <option value={value}>{placeOf(value)}</option>}
          {places.map(([zone, words]) => (
            <option key={zone} value={zone}>
              {words}
            </option>
          ))}
        </select>
      )}
    </Field>
  );
}

let places: [zone: string, words: string][] | undefined;

/** Every place a zone is named after with what its time is called, by name; made once, when it is first asked for. */
function knownPlaces() {
  places ??= Intl.supportedValuesOf('timeZone')
    .map((zone): [string, string] => [zone, `${placeOf(zone)}, ${timeName(zone)}`])
    .sort(([, a], [, b]) => a.localeCompare(b));
  return places;
}

/** “Mountain Time”. */
function timeName(zone: string) {
  return (
    new Intl.DateTimeFormat(locale(), { timeZone: zone, timeZoneName: 'longGeneric' })
      .formatToParts(0)
      .find((part) => part.type === 'timeZoneName')?.value ?? zone
  );
}
