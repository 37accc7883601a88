import { Link } from 'react-router';
import { Field } from '../../ui/bits';
import { phrase } from '../../words/phrase';
import { YesSetting } from './fields';
import type { SettingsForm } from './settings';

/** How letters speak, and what stands in their links. */
export function LooksSettings({ draft, set, wrong }: SettingsForm) {
  return (
    <>
      <Field label={phrase('Letters speak as')} error={wrong('voice')}>
        {(id, by) => (
          <select id={id} aria-describedby={by} value={draft.voice} onChange={(e) => set({ voice: e.target.value })}>
            <option value="I">I</option>
            <option value="we">{phrase('we')}</option>
          </select>
        )}
      </Field>
      <YesSetting
        label={phrase('Letters carry a picture that tells when they were opened')}
        value={draft.seeOpens}
        set={(seeOpens) => set({ seeOpens })}
      />
      <Field
        label={phrase(
          'Added to the address of every link, so that your web statistics know where a visit came from; one a line: name=value',
        )}
        hint={phrase("'{'program'}' and '{'step'}' are filled in")}
        error={wrong('linkParameters')}
      >
        {(id, by) => (
          <textarea
            id={id}
            aria-describedby={by}
            rows={2}
            className="w-full max-w-md"
            defaultValue={Object.entries(draft.linkParameters)
              .map(([k, v]) => `${k}=${v}`)
              .join('\n')}
            onChange={(e) =>
              set({
                linkParameters: Object.fromEntries(
                  e.target.value
                    .split('\n')
                    .map((l) => l.trim().split('=', 2) as [string, string])
                    .filter(([k, v]) => k && v),
                ),
              })
            }
          />
        )}
      </Field>
      <p className="mb-4 text-small">
        <Link to="/signing">{phrase('How each member signs')}</Link>
      </p>
    </>
  );
}
