import { Button } from '../../ui/bits';
import { phrase } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';
import { NumberSetting, TextSetting } from './fields';
import { channels, chosen, type Draft, type SettingsForm } from './settings';

/** How much one person gets, how much goes in a day, and when. */
export function PaceSettings({ draft, set, wrong }: SettingsForm) {
  return (
    <>
      <PaceRules draft={draft} set={set} error={wrong('pace')} />
      <div className="flex flex-wrap gap-x-8">
        <TextSetting
          label={phrase('Texts and calls from')}
          hint={phrase('on the person’s own clock')}
          className="w-28"
          value={draft.quietFrom}
          set={(quietFrom) => set({ quietFrom })}
          error={wrong('quietFrom')}
        />
        <TextSetting
          label={phrase('until')}
          className="w-28"
          value={draft.quietTo}
          set={(quietTo) => set({ quietTo })}
          error={wrong('quietTo')}
        />
      </div>
      <div className="flex flex-wrap gap-x-8">
        {(['email', 'text'] as const).map((channel) => (
          <NumberSetting
            key={channel}
            label={
              channel === 'email'
                ? phrase('At most so many emails a day, from all of us')
                : phrase('At most so many texts a day, from all of us')
            }
            min={1}
            none={phrase('no limit')}
            value={draft.dailyLimits[channel]}
            set={(most) => {
              const { [channel]: _, ...rest } = draft.dailyLimits;
              set({ dailyLimits: most === undefined ? rest : { ...rest, [channel]: most } });
            }}
            error={wrong('dailyLimits')}
          />
        ))}
      </div>
    </>
  );
}

function PaceRules({ draft, set, error }: { draft: Draft; set: (change: Partial<Draft>) => void; error?: string }) {
  const change = (at: number, rule: Partial<Draft['pace'][number]>) =>
    set({ pace: draft.pace.map((p, i) => (i === at ? { ...p, ...rule } : p)) });
  return (
    <fieldset className="m-0 mb-4 border-0 p-0">
      <legend className="mb-0.5 text-small text-soft">{phrase('How often one person may get commercial messages')}</legend>
      {draft.pace.map((rule, i) => (
        <div key={i} className="flex flex-wrap items-baseline gap-x-2 gap-y-1 py-1">
          <Sentence
            m="at most{max}in{days}days, of{channels}<button>take out</button>"
            v={{
              max: (
                <input
                  aria-label={phrase('Rule {i, number}: how many', { i: i + 1 })}
                  type="number"
                  min={1}
                  className="w-16"
                  value={rule.max}
                  onChange={(e) => change(i, { max: Number(e.target.value) })}
                />
              ),
              days: (
                <input
                  aria-label={phrase('Rule {i, number}: days', { i: i + 1 })}
                  type="number"
                  min={1}
                  className="w-16"
                  value={rule.days}
                  onChange={(e) => change(i, { days: Number(e.target.value) })}
                />
              ),
              channels: channels.map(([channel, words]) => (
                <label key={channel} className="text-small">
                  <input
                    type="checkbox"
                    aria-label={phrase('Rule {i, number}: {words}', { i: i + 1, words })}
                    className="mr-1"
                    checked={rule.channels.includes(channel)}
                    onChange={(e) =>
                      change(i, {
                        channels: chosen(
                          channels.map(([c]) => c),
                          rule.channels,
                          channel,
                          e.target.checked,
                        ),
                      })
                    }
                  />
                  {words}
                </label>
              )),
              button: (c) => (
                <Button look="danger" className="ml-2 min-h-6" onClick={() => set({ pace: draft.pace.filter((_, at) => at !== i) })}>
                  {c}
                </Button>
              ),
            }}
          />
        </div>
      ))}
      <Button className="min-h-6" onClick={() => set({ pace: [...draft.pace, { max: 1, days: 1, channels: ['email', 'text'] }] })}>
        {phrase('add a rule')}
      </Button>
      {error && (
        <div role="alert" className="text-small text-ember">
          {error}
        </div>
      )}
    </fieldset>
  );
}
