import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { api, type Schemas, take } from '../../api/client';
import { Button, Empty, Field, fieldError, Trouble } from '../../ui/bits';
import { machineMoment } from '../../ui/when';
import { phrase, quoted } from '../../words/phrase';
import { ShownOnce } from './ShownOnce';

type AllKeys = Schemas['KeysDto'];
type Key = AllKeys['keys'][number];

const spans = [
  [30, phrase('a month‹after›')],
  [90, phrase('three months‹after›')],
  [365, phrase('a year‹after›')],
  [730, phrase('two years‹after›')],
] as const;

/** The keys there are, and another one. */
export function Keys({ keys }: { keys: AllKeys }) {
  const queries = useQueryClient();
  const [made, setMade] = useState<string>();
  const end = useMutation({
    mutationFn: (id: string) => take(api.POST('/api/keys/{id}/end', { params: { path: { id } } })),
    onSuccess: (answer) => queries.setQueryData(['keys'], answer),
  });
  const words = Object.fromEntries(keys.rights.map((r) => [r.name, r.what]));
  return (
    <>
      {keys.keys.length === 0 && <Empty>{phrase('No other program works here. A key lets one in, with what you say it may.')}</Empty>}
      {keys.keys.map((k) => (
        <div key={k.id} className="row">
          <p className={`m-0 flex flex-wrap items-baseline gap-x-4 font-serif ${k.ended ? 'text-soft' : ''}`}>
            <span className="break-words">{quoted(k.name)}</span>
            <code className="text-small">{k.begins}…</code>
            {!k.ended && (
              <Button
                look="danger"
                className="min-h-6 font-sans"
                disabled={end.isPending}
                aria-label={phrase('End “{name}”', { name: k.name })}
                onClick={() => end.mutate(k.id)}
              >
                {phrase('end it')}
              </Button>
            )}
          </p>
          <p className="m-0 max-w-[75ch] text-small text-soft">{says(k, words)}</p>
        </div>
      ))}
      <div className="px-7 max-[699px]:px-4">
        <Trouble error={end.error} />
      </div>
      {made && <ShownOnce words={phrase('The key. It is shown now and never again:')} secret={made} done={() => setMade(undefined)} />}
      <NewKey keys={keys} made={setMade} />
    </>
  );
}

function says(k: Key, words: Record<string, string>) {
  const may = phrase('It may {rights}.', { rights: k.rights.map((r) => words[r] ?? r).join('; ') });
  const used = k.usedAt ? phrase('used last {usedAt}', { usedAt: machineMoment(k.usedAt) }) : phrase('never used');
  return k.ended
    ? phrase('It has ended, {used}.', { used })
    : phrase('{may} For {for}, until {expiresAt}; {used}.', { may, for: k.for, expiresAt: machineMoment(k.expiresAt), used });
}

function NewKey({ keys, made }: { keys: AllKeys; made: (key: string) => void }) {
  const queries = useQueryClient();
  const [name, setName] = useState('');
  const [rights, setRights] = useState<string[]>(['work']);
  const [days, setDays] = useState(365);
  const make = useMutation({
    mutationFn: () => take(api.POST('/api/keys', { body: { name, rights, days } })),
    onSuccess: (answer) => {
      queries.setQueryData(['keys'], answer.keys);
      made(answer.key);
      setName('');
    },
  });
  const own = ['name', 'rights', 'days'].some((f) => fieldError(make.error, f));
  return (
    <form
      className="px-7 py-4 max-[699px]:px-4"
      aria-label={phrase('Another key')}
      onSubmit={(e) => {
        e.preventDefault();
        make.mutate();
      }}
    >
      <div className="flex flex-wrap gap-x-8">
        <Field label={phrase('Another key, for')} error={fieldError(make.error, 'name')} hint={phrase('the program that will use it')}>
          {(id, by) => (
            <input id={id} aria-describedby={by} className="w-64" maxLength={200} value={name} onChange={(e) => setName(e.target.value)} />
          )}
        </Field>
        <Field label={phrase('which ends after')} error={fieldError(make.error, 'days')}>
          {(id, by) => (
            <select id={id} aria-describedby={by} value={days} onChange={(e) => setDays(Number(e.target.value))}>
              {spans.map(([n, words]) => (
                <option key={n} value={n}>
                  {words}
                </option>
              ))}
            </select>
          )}
        </Field>
      </div>
      <fieldset className="m-0 mb-3 border-0 p-0">
        <legend className="mb-0.5 text-small text-soft">{phrase('and may')}</legend>
        <div className="columns-2 gap-x-8 max-[699px]:columns-1">
          {keys.rights.map((r) => (
            <label key={r.name} className="block break-inside-avoid py-0.5 text-small">
              <input
                type="checkbox"
                className="mr-1.5"
                checked={rights.includes(r.name)}
                onChange={(e) => setRights(e.target.checked ? [...rights, r.name] : rights.filter((x) => x !== r.name))}
              />
              {r.what}
            </label>
          ))}
        </div>
        {fieldError(make.error, 'rights') && (
          <p role="alert" className="m-0 text-small text-ember">
            {fieldError(make.error, 'rights')}
          </p>
        )}
      </fieldset>
      {!own && <Trouble error={make.error} />}
      <Button type="submit" look="main" disabled={make.isPending}>
        {phrase('Make the key')}
      </Button>
    </form>
  );
}
