import { Field } from '../../ui/bits';
import { ZoneField } from '../../ui/ZoneField';
import { phrase } from '../../words/phrase';
import { TongueField } from '../../words/TongueField';
import { TextSetting } from './fields';
import type { SettingsForm } from './settings';

/** Who the practice is. */
export function WhoSettings({ draft, set, wrong }: SettingsForm) {
  return (
    <>
      <TextSetting label={phrase('The name of the practice')} value={draft.name} set={(name) => set({ name })} error={wrong('name')} />
      <TextSetting
        label={phrase('Postal address')}
        hint={phrase('every commercial email carries it')}
        rows={3}
        value={draft.postalAddress}
        set={(postalAddress) => set({ postalAddress })}
        error={wrong('postalAddress')}
      />
      <TextSetting
        label={phrase('The practice’s own email address')}
        hint={phrase('where the practice itself signs a letter; empty where members always do')}
        value={draft.ownAddress}
        set={(ownAddress) => set({ ownAddress })}
        error={wrong('ownAddress')}
      />
      <div className="max-w-md">
        <ZoneField
          label={phrase('The clock everything goes by')}
          none={phrase('choose a place')}
          value={draft.zone}
          set={(zone) => set({ zone })}
          error={wrong('zone')}
        />
      </div>
      <TongueField
        label={phrase('The language of pages and letters, and of members who chose none')}
        value={draft.tongue}
        set={(tongue) => set({ tongue })}
        error={wrong('tongue')}
      />
      <Field label={phrase('A date like 4/1 in a list is')} error={wrong('dateOrder')}>
        {(id, by) => (
          <select id={id} aria-describedby={by} value={draft.dateOrder} onChange={(e) => set({ dateOrder: e.target.value })}>
            <option value="mdy">{phrase('the first of April')}</option>
            <option value="dmy">{phrase('the fourth of January')}</option>
          </select>
        )}
      </Field>
      <TextSetting
        label={phrase('A telephone number without its country code is from')}
        hint={phrase('two letters: US, GB')}
        className="w-20"
        value={draft.phoneRegion}
        set={(phoneRegion) => set({ phoneRegion: phoneRegion.toUpperCase() })}
        error={wrong('phoneRegion')}
      />
    </>
  );
}
