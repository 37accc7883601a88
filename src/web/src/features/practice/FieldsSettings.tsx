import { useQuery } from '@tanstack/react-query';
import { api, take } from '../../api/client';
import { listed, phrase, quoted } from '../../words/phrase';
import { LinesSetting } from './fields';
import { OwnFieldsList } from './OwnFieldsList';
import type { SettingsForm } from './settings';

/** What is known of people beside what everybody has. */
export function FieldsSettings({ practice, draft, set, wrong }: SettingsForm) {
  return (
    <>
      <h2 className="mb-1 text-small text-soft">{phrase('Fields of your own')}</h2>
      <OwnFieldsList fields={draft.ownFields} set={(ownFields) => set({ ownFields })} error={wrong('ownFields')} />
      <div className="mt-4">
        <LinesSetting
          label={phrase('Dates to keep of people')}
          value={draft.keyDates}
          set={(keyDates) => set({ keyDates })}
          error={wrong('keyDates')}
        />
      </div>
      {practice.keyDates
        .filter((d) => !draft.keyDates.some((x) => x.trim().toLowerCase() === d))
        .map((d) => (
          <DateTakenOut key={d} name={d} />
        ))}
    </>
  );
}

/** The words that this practice uses. */
export function WordsSettings({ draft, set, wrong }: SettingsForm) {
  return (
    <>
      <LinesSetting
        label={phrase('Topics people may take or leave')}
        value={draft.topics}
        set={(topics) => set({ topics })}
        error={wrong('topics')}
      />
      <LinesSetting
        label={phrase('Kinds of appointments')}
        value={draft.appointmentTypes}
        set={(appointmentTypes) => set({ appointmentTypes })}
        error={wrong('appointmentTypes')}
      />
      <LinesSetting
        label={phrase('What people can be to each other')}
        hint={phrase('what the other is in return after a slash: solicitor / client')}
        value={draft.relations}
        set={(relations) => set({ relations })}
        error={wrong('relations')}
      />
    </>
  );
}

/** Of a date that is no longer offered, who uses it; what people have there stays, and programs go on by it. */
function DateTakenOut({ name }: { name: string }) {
  const uses = useQuery({
    queryKey: ['date-uses', name],
    queryFn: () => take(api.GET('/api/practice/dates/uses', { params: { query: { name } } })),
  });
  if (!uses.data) return null;
  const { people, programs } = uses.data;
  return (
    <p role="status" className="-mt-1 mb-3 max-w-md text-small text-straw">
      {people === 0 && programs.length === 0
        ? phrase('“{name}” is no longer offered; nobody uses it.', { name })
        : programs.length === 0
          ? phrase('“{name}” is no longer offered. {people, plural, one {# person has} other {# people have}} it: that stays as it is.', {
              name,
              people,
            })
          : phrase(
              '“{name}” is no longer offered. {people, plural, one {# person has} other {# people have}} it, and {programs} {n, plural, one {counts} other {count}} by it: that stays as it is.',
              { name, people, programs: listed(programs.map((p) => quoted(p))), n: programs.length },
            )}
    </p>
  );
}
