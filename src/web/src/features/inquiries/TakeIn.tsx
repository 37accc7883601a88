import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { Popover } from 'radix-ui';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import { api, take } from '../../api/client';
import { Button, Field, fieldError, Trouble } from '../../ui/bits';
import { Float } from '../../ui/Float';
import { useKeys } from '../../ui/keys';
import { said } from '../../ui/undo';
import { phrase } from '../../words/phrase';
import { ways } from './waits';
import { whoAsks } from './whoAsks';

/** Takes an inquiry in by hand, from anywhere: who, and what they ask. The key i. */
export function TakeIn() {
  const queries = useQueryClient();
  const go = useNavigate();
  const [open, setOpen] = useState(false);
  const [who, setWho] = useState('');
  const [person, setPerson] = useState<{ id: string; name: string }>();
  const [how, setHow] = useState('phone');
  const [text, setText] = useState('');
  useKeys({
    i: () => setOpen(true),
  });
  const read = whoAsks(who);
  const known = useQuery({
    queryKey: ['find', read.name, 'asks'],
    enabled: open && !person && read.name.length > 1,
    queryFn: () => take(api.GET('/api/people', { params: { query: { search: read.name, most: 4 } } })),
  });
  const takeIn = useMutation({
    meta: { says: () => phrase('an inquiry of {person}', { person: person?.name ?? who }) },
    mutationFn: () =>
      take(
        api.POST('/api/inquiries', {
          body: { person: person?.id ?? null, ...(person ? { name: '', email: '', mobile: '' } : read), how, topic: null, text },
        }),
      ),
    onSuccess: (done) => {
      queries.invalidateQueries({ queryKey: ['inquiries'] });
      queries.invalidateQueries({ queryKey: ['today'] });
      setOpen(false);
      setWho('');
      setPerson(undefined);
      setText('');
      said(phrase('The inquiry of {done} is taken in.', { done: done.name }));
      go('/inquiries');
    },
  });
  const wrong = fieldError(takeIn.error, 'name') ?? fieldError(takeIn.error, 'email') ?? fieldError(takeIn.error, 'mobile');
  const understood = [read.name, read.mobile, read.email].filter(Boolean).join(' · ');
  return (
    <Popover.Root open={open} onOpenChange={setOpen}>
      <Popover.Trigger className="min-h-6 text-small whitespace-nowrap text-soft hover:text-ink max-[699px]:hidden" title={phrase('key i')}>
        {phrase('+ inquiry')}
      </Popover.Trigger>
      <Popover.Portal container={open ? document.getElementById('top') : undefined}>
        <Float
          open={open}
          close={() => setOpen(false)}
          className="w-[min(420px,94vw)] p-4"
          align="end"
          sideOffset={10}
          aria-label={phrase('Take an inquiry in')}
        >
          <form
            onSubmit={(e) => {
              e.preventDefault();
              takeIn.mutate();
            }}
          >
            <Field label={phrase('Who asks')} error={wrong}>
              {(id, by) =>
                person ? (
                  <span className="flex items-baseline gap-3">
                    <b className="font-semibold">{person.name}</b>
                    <Button look="plain" onClick={() => setPerson(undefined)}>
                      {phrase('somebody else')}
                    </Button>
                  </span>
                ) : (
                  <input
                    id={id}
                    aria-describedby={by}
                    autoFocus
                    autoComplete="off"
                    className="w-full"
                    placeholder={phrase('name, number or address')}
                    value={who}
                    onChange={(e) => setWho(e.target.value)}
                  />
                )
              }
            </Field>
            {!person && (known.data?.rows.length ?? 0) > 0 && (
              <ul className="m-0 mb-2 list-none p-0 text-small">
                {known.data?.rows.map((r) => (
                  <li key={r.id}>
                    <Button onClick={() => setPerson({ id: r.id, name: r.name })}>{phrase('it is {name}', { name: r.name })}</Button>{' '}
                    <span className="text-soft">{r.email ?? r.mobile ?? ''}</span>
                  </li>
                ))}
              </ul>
            )}
            {!person && understood && understood !== who.trim() && (
              <p className="mt-0 text-small text-soft">{phrase('understood as {understood}', { understood })}</p>
            )}
            <Field label={phrase('What they ask')} error={fieldError(takeIn.error, 'text')}>
              {(id, by) => (
                <textarea
                  id={id}
                  aria-describedby={by}
                  rows={3}
                  className="w-full font-serif"
                  value={text}
                  onChange={(e) => setText(e.target.value)}
                />
              )}
            </Field>
            <div className="flex items-baseline justify-between gap-4">
              <select aria-label={phrase('How they asked')} value={how} onChange={(e) => setHow(e.target.value)}>
                {Object.entries(ways)
                  .filter(([way]) => way !== 'form')
                  .map(([way, words]) => (
                    <option key={way} value={way}>
                      {words}
                    </option>
                  ))}
              </select>
              <Button type="submit" look="main" disabled={takeIn.isPending || !text.trim() || (!person && !who.trim())}>
                {phrase('Take it in')}
              </Button>
            </div>
            {!wrong && !fieldError(takeIn.error, 'text') && <Trouble error={takeIn.error} />}
          </form>
        </Float>
      </Popover.Portal>
    </Popover.Root>
  );
}
