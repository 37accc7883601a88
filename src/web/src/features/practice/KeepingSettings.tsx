import { phrase } from '../../words/phrase';
import { NumberSetting, TextSetting, YesSetting } from './fields';
import type { SettingsForm } from './settings';

/** What messages cost. */
export function PriceSettings({ draft, set, wrong }: SettingsForm) {
  return (
    <div className="flex flex-wrap gap-x-8">
      {(
        [
          ['email', phrase('An email')],
          ['textPart', phrase('A part of a text')],
          ['note', phrase('A card or letter')],
        ] as const
      ).map(([key, label]) => (
        <NumberSetting
          key={key}
          label={label}
          step="any"
          value={draft.prices[key]}
          set={(price) => set({ prices: { ...draft.prices, [key]: price ?? 0 } })}
          error={key === 'email' ? wrong('prices') : undefined}
        />
      ))}
      <TextSetting
        label={phrase('In this currency')}
        className="w-20"
        value={draft.prices.currency}
        set={(currency) => set({ prices: { ...draft.prices, currency } })}
      />
    </div>
  );
}

/** How long things are kept. */
export function KeepingSettings({ draft, set, wrong }: SettingsForm) {
  return (
    <>
      <NumberSetting
        label={phrase('Forget lines of the journal after so many months')}
        hint={phrase('0 keeps them for good')}
        value={draft.keepJournalMonths}
        set={(n) => set({ keepJournalMonths: n ?? 0 })}
        error={wrong('keepJournalMonths')}
      />
      <NumberSetting
        label={phrase('Forget events after so many months')}
        hint={phrase('0 keeps them for good; touches, messages and the consent ledger are always kept')}
        value={draft.keepEventsMonths}
        set={(n) => set({ keepEventsMonths: n ?? 0 })}
        error={wrong('keepEventsMonths')}
      />
    </>
  );
}

/** Who says yes to programs. */
export function ProgramsSettings({ draft, set }: SettingsForm) {
  return (
    <YesSetting
      label={phrase('A principal says yes to each program, and to each change of it, before it is switched on')}
      value={draft.programsApproved}
      set={(programsApproved) => set({ programsApproved })}
    />
  );
}
