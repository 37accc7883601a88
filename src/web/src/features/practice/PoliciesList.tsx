import type { Schemas } from '../../api/client';
import { Button } from '../../ui/bits';
import { phrase } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';
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
              <legend className="sr-only">{p.name || phrase('Policy {i, number}', { i: i + 1 })}</legend>
              <div className="flex flex-wrap items-baseline gap-x-4 gap-y-1">
                <input
                  aria-label={phrase('Policy {i, number}: name', { i: i + 1 })}
                  placeholder={phrase('what it is called')}
                  maxLength={60}
                  className="w-56"
                  value={p.name}
                  onChange={(e) => change(i, { name: e.target.value })}
                />
                <span className="text-small">{phrase('a yes is needed for')}</span>
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
                  {phrase('for their own dealings too')}
                </label>
              </div>
              <div className="mt-2 flex flex-wrap items-baseline gap-x-4 gap-y-1 text-small">
                <label>
                  <Sentence
                    m="an inquiry carries it for {inquiryMonths} months"
                    v={{
                      inquiryMonths: (
                        <input
                          type="number"
                          min={0}
                          max={120}
                          className="w-16"
                          value={p.inquiryMonths}
                          onChange={(e) => change(i, { inquiryMonths: Number(e.target.value) })}
                        />
                      ),
                    }}
                  />
                </label>
                <label>
                  <Sentence
                    m="being a client for {clientMonths} months"
                    v={{
                      clientMonths: (
                        <input
                          type="number"
                          min={0}
                          max={120}
                          className="w-16"
                          value={p.clientMonths}
                          onChange={(e) => change(i, { clientMonths: Number(e.target.value) })}
                        />
                      ),
                    }}
                  />
                </label>
                <Button
                  look="danger"
                  aria-label={phrase('take out the policy {name}', { name: p.name || i + 1 })}
                  onClick={() => set(policies.toSpliced(i, 1))}
                >
                  {phrase('take out')}
                </Button>
              </div>
              <div className="mt-2 flex flex-wrap items-start gap-3">
                <textarea
                  aria-label={phrase('Policy {i, number}: the topics it is for, one a line', { i: i + 1 })}
                  placeholder={phrase('the topics it is for, one a line; none for any')}
                  rows={2}
                  className="w-64"
                  defaultValue={p.topics.join('\n')}
                  onChange={(e) => change(i, { topics: e.target.value.split('\n').filter((t) => t.trim()) })}
                />
                <textarea
                  aria-label={phrase('Policy {i, number}: what stands under letters', { i: i + 1 })}
                  placeholder={phrase('what stands under its letters')}
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
      <Button onClick={() => set([...policies, fresh])}>{phrase('+ a policy')}</Button>
      {error && (
        <p role="alert" className="mt-1 text-small text-ember">
          {error}
        </p>
      )}
    </>
  );
}
