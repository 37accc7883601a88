import { Link, useLocation } from 'react-router';
import type { Schemas } from '../../api/client';
import { phrase } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';

const rooms = [
  ['/letters', phrase('Letters')],
  ['/letters/offers', phrase('Offers')],
  ['/letters/figures', phrase('Figures')],
  ['/letters/files', phrase('Files')],
  ['/letters/films', phrase('Films')],
  ['/letters/pages', phrase('Pages')],
] as const;

/** The way between letters and what they take from. */
export function KeptLinks() {
  const { pathname } = useLocation();
  return (
    <nav aria-label={phrase('What letters are made of')} className="flex flex-wrap gap-x-5">
      {rooms
        .filter(([path]) => path !== pathname)
        .map(([path, name]) => (
          <Link key={path} to={path} className="inline-flex min-h-6 items-center">
            {name}
          </Link>
        ))}
    </nav>
  );
}

/** Who takes something the practice keeps. */
export function Uses({ uses }: { uses: Schemas['KeptUse'][] }) {
  if (uses.length === 0) return <span className="block text-small text-soft">{phrase('used nowhere yet')}</span>;
  return (
    <span className="block text-small text-soft">
      <Sentence
        m="in {uses}"
        v={{
          uses: uses.map((u, i) => (
            <span key={u.kind + u.id}>
              {i > 0 && ', '}
              <Link to={`/${u.kind}s/${u.id}`} className="text-soft">
                {u.name}
              </Link>
            </span>
          )),
        }}
      />
    </span>
  );
}
