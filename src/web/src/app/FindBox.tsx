import { useQuery } from '@tanstack/react-query';
import { useEffect, useId, useRef, useState } from 'react';
import { useNavigate } from 'react-router';
import { api, take } from '../api/client';
import { useKeys } from '../ui/keys';
import { phrase } from '../words/phrase';

/** Finds people as one types; Ctrl K from anywhere. */
export function FindBox() {
  const [text, setText] = useState('');
  const [open, setOpen] = useState(false);
  const [at, setAt] = useState(0);
  const box = useRef<HTMLInputElement>(null);
  const leader = useRef(0);
  const list = useId();
  const go = useNavigate();
  const found = useQuery({
    queryKey: ['find', text],
    enabled: open && text.trim().length > 0,
    queryFn: () => take(api.GET('/api/people', { params: { query: { search: text, most: 8 } } })),
  });
  const rows = text.trim() ? (found.data?.rows ?? []) : [];

  useEffect(() => {
    function press(event: KeyboardEvent) {
      if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'k') {
        event.preventDefault();
        box.current?.focus();
        box.current?.select();
      }
    }
    window.addEventListener('keydown', press);
    return () => window.removeEventListener('keydown', press);
  }, []);

  // “g” and then a letter goes to a page.
  const chord = (path: string, event: KeyboardEvent) => {
    if (Date.now() - leader.current < 1200) {
      event.stopImmediatePropagation();
      go(path);
    }
  };
  useKeys({
    g: () => {
      leader.current = Date.now();
    },
  });
  useEffect(() => {
    function press(event: KeyboardEvent) {
      const path = {
        t: '/',
        a: '/almanac',
        p: '/people',
        i: '/inquiries',
        o: '/pipeline',
        r: '/programs',
        b: '/programs/broadcasts',
        l: '/letters',
        s: '/results',
      }[event.key];
      if (path && !(event.target instanceof HTMLElement && /^(INPUT|TEXTAREA|SELECT)$/.test(event.target.tagName))) chord(path, event);
    }
    window.addEventListener('keydown', press, true);
    return () => window.removeEventListener('keydown', press, true);
  });

  function open_(id: string) {
    setText('');
    setOpen(false);
    box.current?.blur();
    go(`/people/${id}`);
  }

  return (
    <div className="relative">
      <input
        ref={box}
        role="combobox"
        aria-expanded={open && rows.length > 0}
        aria-controls={list}
        aria-activedescendant={open && rows[at] ? `${list}-${at}` : undefined}
        aria-label={phrase('Find anyone')}
        placeholder={phrase('Find anyone')}
        className="w-[160px] max-[699px]:w-[76px] !rounded-none !border-0 !border-b !border-rule !bg-transparent !px-0.5 !py-[3px] text-small"
        value={text}
        onFocus={() => setOpen(true)}
        onBlur={() => setTimeout(() => setOpen(false), 150)}
        onChange={(e) => {
          setText(e.target.value);
          setAt(0);
          setOpen(true);
        }}
        onKeyDown={(e) => {
          if (e.key === 'ArrowDown') setAt(Math.min(at + 1, rows.length - 1));
          else if (e.key === 'ArrowUp') setAt(Math.max(at - 1, 0));
          else if (e.key === 'Enter' && rows[at]) open_(rows[at].id);
          else if (e.key === 'Escape') box.current?.blur();
          else return;
          e.preventDefault();
        }}
      />
      <span className="pointer-events-none absolute top-1 right-0.5 max-[699px]:hidden">
        <kbd>Ctrl K</kbd>
      </span>
      {open && text.trim() && (
        <div
          className="float absolute right-0 mt-1.5 w-[300px] py-1 max-[699px]:fixed max-[699px]:right-3 max-[699px]:left-3 max-[699px]:w-auto"
          id={list}
          role="listbox"
          aria-label={phrase('People found')}
        >
          {rows.map((p, i) => (
            <button
              key={p.id}
              id={`${list}-${i}`}
              type="button"
              role="option"
              aria-selected={i === at}
              tabIndex={-1}
              className={`block w-full px-3 py-1.5 text-small ${i === at ? 'bg-leaf-pale' : ''}`}
              onMouseDown={() => open_(p.id)}
            >
              <b className="font-semibold">{p.name}</b> <span className="text-soft">{p.stage?.split('/')[1] ?? p.email}</span>
            </button>
          ))}
          {found.isSuccess && rows.length === 0 && (
            <p className="px-3 py-1.5 text-small text-soft">{phrase('Nobody of that name or address.')}</p>
          )}
        </div>
      )}
    </div>
  );
}
