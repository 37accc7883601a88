import { useState } from 'react';
import { api, take } from '../../api/client';
import { Button, Field, fieldError } from '../../ui/bits';
import { phrase } from '../../words/phrase';

/** What a new button of a letter says, and where it leads; what following it sets off is said at the link itself. */
export function ButtonForm({ use, leave }: { use: (words: string, href: string) => void; leave: () => void }) {
  const [words, setWords] = useState('');
  const [address, setAddress] = useState('');
  const [trouble, setTrouble] = useState<unknown>();
  return (
    <form
      className="border-b border-rule px-4 py-2.5"
      aria-label={phrase('A button')}
      onSubmit={async (e) => {
        e.preventDefault();
        e.stopPropagation();
        try {
          const whole = await take(api.GET('/api/programs/link-address', { params: { query: { written: address } } }));
          use(words.trim(), whole.address);
        } catch (wrong) {
          setTrouble(wrong);
        }
      }}
    >
      <div className="flex flex-wrap gap-x-4">
        <Field label={phrase('What the button says')}>
          {(id) => (
            <input id={id} autoFocus required maxLength={80} className="w-56" value={words} onChange={(e) => setWords(e.target.value)} />
          )}
        </Field>
        <Field label={phrase('Where it leads')} error={fieldError(trouble, 'written')}>
          {(id, by) => (
            <input
              id={id}
              aria-describedby={by}
              required
              maxLength={2000}
              className="w-64"
              value={address}
              onChange={(e) => setAddress(e.target.value)}
            />
          )}
        </Field>
      </div>
      <div className="flex gap-4">
        <Button type="submit" look="main">
          {phrase('Put the button in')}
        </Button>
        <Button look="plain" onClick={leave}>
          {phrase('leave it out')}
        </Button>
      </div>
    </form>
  );
}
