import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { api, type Schemas, take } from '../../api/client';
import { Button, Empty, Field, fieldError, Trouble } from '../../ui/bits';
import { machineMoment } from '../../ui/when';
import { phrase, together } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';
import { Say } from '../programs/Say';
import { ShownOnce } from './ShownOnce';

type AllHooks = Schemas['HooksDto'];
type Hook = AllHooks['hooks'][number];

/** Addresses that are told, what each is told, and another one. */
export function Hooks({ hooks, picked, pick }: { hooks: AllHooks; picked?: string; pick: (id: string) => void }) {
  const queries = useQueryClient();
  const [secret, setSecret] = useState<string>();
  const taken = (answer: AllHooks) => queries.setQueryData(['hooks'], answer);
  const end = useMutation({
    mutationFn: (id: string) => take(api.POST('/api/hooks/{id}/end', { params: { path: { id } } })),
    onSuccess: taken,
  });
  const change = useMutation({
    mutationFn: ({ id, kinds }: { id: string; kinds: string[] }) =>
      take(api.PUT('/api/hooks/{id}', { params: { path: { id } }, body: { address: '', kinds } })),
    onSuccess: taken,
  });
  return (
    <>
      {hooks.hooks.length === 0 && (
        <Empty>{phrase('Nobody is told anything. An address that is added here is told what you choose, as it happens.')}</Empty>
      )}
      {hooks.hooks.map((h) => (
        <div key={h.id} className="row" aria-current={h.id === picked || undefined}>
          <p className={`m-0 flex flex-wrap items-baseline gap-x-4 font-serif ${h.endedAt ? 'text-soft' : ''}`}>
            <Button look="plain" className="min-h-6 whitespace-normal break-all text-left" onClick={() => pick(h.id)}>
              {h.address}
            </Button>
            {!h.endedAt && (
              <Button
                look="danger"
                className="min-h-6 font-sans"
                disabled={end.isPending}
                aria-label={phrase('End {address}', { address: h.address })}
                onClick={() => end.mutate(h.id)}
              >
                {phrase('end it')}
              </Button>
            )}
          </p>
          <p className="m-0 text-small text-soft">{state(h)}</p>
          {!h.endedAt && (
            <p className="m-0 text-small">
              <Sentence
                m="It is told {kinds}."
                v={{
                  kinds: (
                    <Say words={told(h.kinds, hooks)} label={phrase('What {address} is told', { address: h.address })}>
                      {(close) => (
                        <KindsForm
                          all={hooks}
                          start={h.kinds}
                          words={phrase('Tell it these')}
                          take={(kinds) => {
                            close();
                            change.mutate({ id: h.id, kinds });
                          }}
                        />
                      )}
                    </Say>
                  ),
                }}
              />
            </p>
          )}
        </div>
      ))}
      <div className="px-7 max-[699px]:px-4">
        <Trouble error={end.error ?? change.error} />
      </div>
      {secret && (
        <ShownOnce
          words={phrase('The key its calls are signed with. It is shown now and never again:')}
          secret={secret}
          done={() => setSecret(undefined)}
        />
      )}
      <NewHook all={hooks} made={setSecret} />
    </>
  );
}

function state(h: Hook) {
  if (h.endedAt) return phrase('Told nothing since {endedAt}. {why}', { endedAt: machineMoment(h.endedAt), why: h.why });
  const parts = [
    h.waiting > 0 && phrase('{waiting, number} wait to be taken', { waiting: h.waiting }),
    h.givenUp > 0 && phrase('{givenUp, number} were never taken', { givenUp: h.givenUp }),
  ].filter(Boolean);
  return phrase('Since {createdAt}{parts}.', {
    createdAt: machineMoment(h.createdAt),
    parts: parts.length > 0 ? `; ${parts.join(', ')}` : '',
  });
}

/** “somebody answers, when a letter bounces”, as it goes on after “when”. */
const whenEach = (words: string[]) => together(words, (first, second) => phrase('{first}, when {second}', { first, second }));

function told(kinds: string[], all: AllHooks) {
  if (kinds.length === all.kinds.length) return phrase('everything');
  const words = all.kinds.filter((k) => kinds.includes(k.kind)).map((k) => k.means);
  return words.length > 3
    ? phrase('when {words}, and {words2, number} more', { words: whenEach(words.slice(0, 2)), words2: words.length - 2 })
    : phrase('when {words}', { words: whenEach(words) });
}

function KindsForm({ all, start, words, take: taken }: { all: AllHooks; start: string[]; words: string; take: (kinds: string[]) => void }) {
  const [kinds, setKinds] = useState(start);
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault();
        taken(kinds);
      }}
    >
      <Kinds all={all} kinds={kinds} set={setKinds} />
      <Button type="submit" look="main" disabled={kinds.length === 0}>
        {words}
      </Button>
    </form>
  );
}

function Kinds({ all, kinds, set }: { all: AllHooks; kinds: string[]; set: (kinds: string[]) => void }) {
  return (
    <fieldset className="m-0 mb-3 border-0 p-0">
      <legend className="mb-0.5 text-small text-soft">{phrase('told when')}</legend>
      <div className="columns-2 gap-x-8 max-[699px]:columns-1">
        {all.kinds.map((k) => (
          <label key={k.kind} className="block break-inside-avoid py-0.5 text-small">
            <input
              type="checkbox"
              className="mr-1.5"
              checked={kinds.includes(k.kind)}
              onChange={(e) => set(e.target.checked ? [...kinds, k.kind] : kinds.filter((x) => x !== k.kind))}
            />
            {k.means}
          </label>
        ))}
      </div>
    </fieldset>
  );
}

function NewHook({ all, made }: { all: AllHooks; made: (secret: string) => void }) {
  const queries = useQueryClient();
  const [address, setAddress] = useState('');
  const [kinds, setKinds] = useState<string[]>([]);
  const make = useMutation({
    mutationFn: () => take(api.POST('/api/hooks', { body: { address, kinds } })),
    onSuccess: (answer) => {
      queries.setQueryData(['hooks'], answer.hooks);
      made(answer.secret);
      setAddress('');
      setKinds([]);
    },
  });
  const own = ['address', 'kinds'].some((f) => fieldError(make.error, f));
  return (
    <form
      className="px-7 py-4 max-[699px]:px-4"
      aria-label={phrase('Another address')}
      onSubmit={(e) => {
        e.preventDefault();
        make.mutate();
      }}
    >
      <Field label={phrase('Another address')} error={fieldError(make.error, 'address')} hint={phrase('of the other program: https://…')}>
        {(id, by) => (
          <input
            id={id}
            aria-describedby={by}
            className="w-full max-w-md"
            maxLength={2000}
            value={address}
            onChange={(e) => setAddress(e.target.value)}
          />
        )}
      </Field>
      <Kinds all={all} kinds={kinds} set={setKinds} />
      {fieldError(make.error, 'kinds') && (
        <p role="alert" className="m-0 mb-2 text-small text-ember">
          {fieldError(make.error, 'kinds')}
        </p>
      )}
      {!own && <Trouble error={make.error} />}
      <Button type="submit" look="main" disabled={make.isPending}>
        {phrase('Tell it')}
      </Button>
    </form>
  );
}
