import type { Schemas } from '../../api/client';
import { Button } from '../../ui/bits';
import { channels } from './settings';

type Policy = Schemas['PolicyDto'];

const fresh: Policy = {
  name: '',
  openChannels: ['call', 'post'],
  inquiryMonths: 6,
  clientMonths: 24,
  strictForTransactional: false,
  topics: [],
  footer: '',
};

/**
 * Policies by name, for programs that are not to go by the practice's own: which channels need a yes, how long an inquiry or being a
 * client carries one, which topics they are for, and what stands under their letters.
 */
export function PoliciesList({ policies, set, error }: { policies: Policy[]; set: (policies: Policy[]) => void; error?: string }) {
  const change = (at: number, part: Partial<Policy>) => set(policies.map((p, i) => (i === at ? { ...p, ...part } : p)));
  return (
    <>
      <ul className="m-0 mb-2 list-none p-0">
        {policies.map((p, i) => (
          // Its place is what it is known by while it is written.
          <li key={i} className="border-t border-dotted border-rule py-2">
            <fieldset className="m-0 border-0 p-0">
              <legend className="sr-only">{p.name || `Policy ${i + 1}`}</legend>
              <div className="flex flex-wrap items-baseline gap-x-4 gap-y-1">
                <input
                  aria-label={`Policy ${i + 1}: name`}
                  placeholder="what it is called"
                  maxLength={60}
                  className="w-56"
                  value={p.name}
                  onChange={(e) => change(i, { name: e.target.value })}
                />
                <span className="text-small">a yes is needed for</span>
                {channels.map(([channel, words]) => (
                  <label key={channel} className="text-small">
                    <input
                      type="checkbox"
                      className="mr-1.5"
                      checked={!p.openChannels.includes(channel)}
                      onChange={(e) =>
                        change(i, {
                          openChannels: e.target.checked ? p.openChannels.filter((c) => c !== channel) : [...p.openChannels, channel],
                        })
                      }
                    />
                    {words}
                  </label>
                ))}
                <label className="text-small">
                  <input
                    type="checkbox"
                    className="mr-1.5"
                    checked={p.strictForTransactional}
                    onChange={(e) => change(i, { strictForTransactional: e.target.checked })}
                  />
                  for their own dealings too
                </label>
              </div>
              <div className="mt-2 flex flex-wrap items-baseline gap-x-4 gap-y-1 text-small">
                <label>
                  an inquiry carries it for{' '}
                  <input
                    type="number"
                    min={0}
                    max={120}
                    className="w-16"
                    value={p.inquiryMonths}
                    onChange={(e) => change(i, { inquiryMonths: Number(e.target.value) })}
                  />{' '}
                  months
                </label>
                <label>
                  being a client for{' '}
                  <input
                    type="number"
                    min={0}
                    max={120}
                    className="w-16"
                    value={p.clientMonths}
                    onChange={(e) => change(i, { clientMonths: Number(e.target.value) })}
                  />{' '}
                  months
                </label>
                <Button look="danger" aria-label={`take out the policy ${p.name || i + 1}`} onClick={() => set(policies.toSpliced(i, 1))}>
                  take out
                </Button>
              </div>
              <div className="mt-2 flex flex-wrap items-start gap-3">
                <textarea
                  aria-label={`Policy ${i + 1}: the topics it is for, one a line`}
                  placeholder="the topics it is for, one a line; none for any"
                  rows={2}
                  className="w-64"
                  defaultValue={p.topics.join('\n')}
                  onChange={(e) => change(i, { topics: e.target.value.split('\n').filter((t) => t.trim()) })}
                />
                <textarea
                  aria-label={`Policy ${i + 1}: what stands under letters`}
                  placeholder="what stands under its letters"
                  rows={2}
                  className="w-64"
                  value={p.footer}
                  onChange={(e) => change(i, { footer: e.target.value })}
                />
              </div>
            </fieldset>
          </li>
        ))}
      </ul>
      <Button onClick={() => set([...policies, fresh])}>+ a policy</Button>
      {error && (
        <p role="alert" className="mt-1 text-small text-ember">
          {error}
        </p>
      )}
    </>
  );
}
