import { useQuery } from '@tanstack/react-query';
import { Link } from 'react-router';
import { api, take } from '../../api/client';
import { Button, Trouble } from '../../ui/bits';
import { size } from '../../ui/size';
import { phrase } from '../../words/phrase';
import type { Step } from './programFile';
import { Say } from './Say';

type Email = Extract<Step, { kind: 'email' }>;

/** The files an email carries; that it carries none is said only where it can be changed. */
export function StepFiles({ step, picked, set }: { step: Email; picked: boolean; set: (step: Email) => void }) {
  const names = step.attachments ?? [];
  if (names.length === 0 && !picked) return null;
  const words = names.length === 0 ? phrase('It carries no file.') : phrase('With it: {names}.', { names: names.join(', ') });
  return (
    <Say words={words} label={phrase('Files it carries')} soft={names.length === 0}>
      {(close) => (
        <Choose
          names={names}
          set={(attachments) => set({ ...step, attachments: attachments.length > 0 ? attachments : undefined })}
          close={close}
        />
      )}
    </Say>
  );
}

function Choose({ names, set, close }: { names: string[]; set: (names: string[]) => void; close: () => void }) {
  const files = useQuery({ queryKey: ['files'], queryFn: () => take(api.GET('/api/files')) });
  const carried = (name: string) => names.some((n) => n.toLowerCase() === name.toLowerCase());
  const gone = names.filter((n) => files.data?.every((f) => f.name.toLowerCase() !== n.toLowerCase()));
  const bytes = files.data?.filter((f) => carried(f.name)).reduce((sum, f) => sum + f.bytes, 0) ?? 0;
  return (
    <>
      <Trouble error={files.error} />
      <ul className="m-0 mb-2 list-none p-0">
        {[
          ...(files.data ?? []).map((f) => ({ name: f.name, words: size(f.bytes) })),
          ...gone.map((name) => ({ name, words: phrase('not kept') })),
        ].map((f) => (
          <li key={f.name}>
            <label className="flex min-h-6 items-center gap-2 text-small">
              <input
                type="checkbox"
                checked={carried(f.name)}
                onChange={(e) => set(e.target.checked ? [...names, f.name] : names.filter((n) => n.toLowerCase() !== f.name.toLowerCase()))}
              />
              <span className="flex-1">{f.name}</span> <span className="text-soft">{f.words}</span>
            </label>
          </li>
        ))}
      </ul>
      {bytes > 0 && <p className="text-small text-soft">{phrase('{bytes} of 10 MB.', { bytes: size(bytes) })}</p>}
      <p className="flex gap-x-5 text-small">
        <Button onClick={close}>{phrase('Done')}</Button>
        <Link to="/letters/files">{phrase('Keep another file')}</Link>
      </p>
    </>
  );
}
