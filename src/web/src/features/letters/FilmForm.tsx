import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'react-router';
import { api, type Schemas, take } from '../../api/client';
import { Button, Field, Trouble } from '../../ui/bits';
import { phrase } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';

type Film = Schemas['FilmDto'];

/** Which film a letter leads to: its still stands there, and a button below. */
export function FilmForm({ use, leave }: { use: (film: Film) => void; leave: () => void }) {
  const films = useQuery({ queryKey: ['films'], queryFn: () => take(api.GET('/api/films')) });
  const [picked, setPicked] = useState<string>();
  const all = films.data ?? [];
  const film = all.find((f) => f.id === picked) ?? all[0];
  return (
    <form
      className="border-b border-rule px-4 py-2.5"
      aria-label={phrase('A film')}
      onSubmit={(e) => {
        e.preventDefault();
        e.stopPropagation();
        if (film) use(film);
      }}
    >
      <Trouble error={films.error} />
      {films.data && all.length === 0 && (
        <p className="text-small">
          <Sentence
            m="None is here yet. Bring one in under <link>Films</link>."
            v={{ link: (c) => <Link to="/letters/films">{c}</Link> }}
          />
        </p>
      )}
      {film && (
        <Field label={phrase('Which film')}>
          {(id) => (
            <select id={id} autoFocus value={film.id} onChange={(e) => setPicked(e.target.value)}>
              {all.map((f) => (
                <option key={f.id} value={f.id}>
                  {f.name}, {f.length}
                </option>
              ))}
            </select>
          )}
        </Field>
      )}
      <div className="flex gap-4">
        <Button type="submit" look="main" disabled={!film}>
          {phrase('Put the film in')}
        </Button>
        <Button look="plain" onClick={leave}>
          {phrase('leave it out')}
        </Button>
      </div>
    </form>
  );
}
