import { Stretch } from '../../ui/DayPage';
import { phrase } from '../../words/phrase';
import { NumberSetting, YesSetting } from './fields';
import { PoliciesList } from './PoliciesList';
import { channels, chosen, type SettingsForm } from './settings';

/** Which channels need a yes, and for how long one is carried. */
export function ConsentSettings({ draft, set, wrong }: SettingsForm) {
  return (
    <>
      <fieldset className="m-0 mb-3 border-0 p-0">
        <legend className="mb-0.5 text-small text-soft">{phrase('A recorded yes is needed for')}</legend>
        <div className="flex flex-wrap gap-x-5 gap-y-1">
          {channels.map(([channel, words]) => (
            <label key={channel} className="text-small">
              <input
                type="checkbox"
                className="mr-1.5"
                checked={!draft.openChannels.includes(channel)}
                onChange={(e) =>
                  set({
                    openChannels: chosen(
                      channels.map(([c]) => c),
                      draft.openChannels,
                      channel,
                      !e.target.checked,
                    ),
                  })
                }
              />
              {words}
            </label>
          ))}
        </div>
        <p className="m-0 mt-1 text-small text-soft">{phrase('The others need only that nobody said no.')}</p>
      </fieldset>
      <YesSetting
        label={phrase('Transactional messages too need a recorded yes')}
        value={draft.strictForTransactional}
        set={(strictForTransactional) => set({ strictForTransactional })}
      />
      <div className="flex flex-wrap gap-x-8">
        <NumberSetting
          label={phrase('An inquiry carries a yes for so many months')}
          value={draft.inquiryMonths}
          set={(n) => set({ inquiryMonths: n ?? 0 })}
          error={wrong('inquiryMonths')}
        />
        <NumberSetting
          label={phrase('Being a client carries one for so many')}
          value={draft.clientMonths}
          set={(n) => set({ clientMonths: n ?? 0 })}
          error={wrong('clientMonths')}
        />
      </div>
      <div className="-mx-7 max-[699px]:-mx-4">
        <Stretch title={phrase('Policies by name')} note={phrase('for programs that are not to go by these')} />
      </div>
      <div className="py-3">
        <PoliciesList policies={draft.policies} set={(policies) => set({ policies })} error={wrong('policies')} />
      </div>
    </>
  );
}
