import { useQuery } from '@tanstack/react-query';
import { useId, useState } from 'react';
import { api, take } from '../../api/client';
import { phone } from '../../ui/when';
import { phrase } from '../../words/phrase';

/** Somebody picked by typing a few letters of their name, address or number; arrow keys and Enter, or a press. */
export function WhoField({
  label,
  pick,
  without,
  autoFocus,
}: {
  label: string;
  pick: (person: { id: string; name: string }) => void;
  /** Who is not offered. */
  without?: string;
  autoFocus?: boolean;
}) {
  const [text, setText] = useState('');
  const [at, setAt] = useState(0);
  const list = useId();
  const found = useQuery({
    queryKey: ['find', text],
    enabled: text.trim().length > 0,
    queryFn: () => take(api.GET('/api/people', { params: { query: { search: text, most: 8 } } })),
  });
  const rows = text.trim() ? (found.data?.rows ?? []).filter((p) => p.id !== without).slice(0, 6) : [];
  const choose = (i: number) => {
    const row = rows[i];
    if (!row) return;
    setText('');
    pick(row);
  };
  return (
    <div className="mb-2">
      <input
        type="text"
        role="combobox"
        aria-label={label}
        aria-expanded={rows.length > 0}
        aria-controls={list}
        aria-activedescendant={rows.length > 0 ? `${list}-${at}` : undefined}
        placeholder={phrase('name, address or number')}
        className="w-full"
        autoFocus={autoFocus}
        value={text}
        onChange={(e) => {
          setText(e.target.value);
          setAt(0);
        }}
        onKeyDown={(e) => {
          if (e.key === 'ArrowDown') setAt(Math.min(at + 1, rows.length - 1));
          else if (e.key === 'ArrowUp') setAt(Math.max(at - 1, 0));
          else if (e.key === 'Enter') choose(at);
          else return;
          e.preventDefault();
        }}
      />
      <div id={list} role="listbox" aria-label={label} className={rows.length > 0 ? 'border border-t-0 border-rule bg-sheet' : ''}>
        {rows.map((p, i) => (
          // biome-ignore lint/a11y/useFocusableInteractive: the combobox keeps the focus
          // biome-ignore lint/a11y/useKeyWithClickEvents: the combobox hears the keys
          <div
            key={p.id}
            id={`${list}-${i}`}
            role="option"
            aria-selected={i === at}
            className={`cursor-pointer px-2 py-1 ${i === at ? 'bg-picked' : ''}`}
            onMouseDown={(e) => e.preventDefault()}
            onClick={() => choose(i)}
          >
            {p.name}
            <span className="block text-small text-soft">
              {[p.email, p.mobile && phone(p.mobile), p.stage?.split('/')[1]].filter(Boolean).join(' · ')}
            </span>
          </div>
        ))}
      </div>
      {text.trim() && found.data && rows.length === 0 && <p className="my-1 text-small text-soft">{phrase('nobody like that')}</p>}
    </div>
  );
}
