import { useQuery } from '@tanstack/react-query';
import { Link, useSearchParams } from 'react-router';
import { api, type Schemas, take } from '../../api/client';
import { Empty, Loading, Trouble } from '../../ui/bits';
import { DayPage, PageHead, Stretch } from '../../ui/DayPage';
import { phrase, quoted } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';
import { KeptLinks } from './KeptLinks';

type Line = Schemas['LetterLine'];

/** The letters a practice keeps: found by their words, with what uses each, and layouts to start from. */
export default function LetterList() {
  const [address, setAddress] = useSearchParams();
  const find = address.get('find') ?? '';
  const letters = useQuery({ queryKey: ['letters'], queryFn: () => take(api.GET('/api/letters')) });
  const layouts = useQuery({
    queryKey: ['letters', 'layouts'],
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: () => take(api.GET('/api/letters/layouts')),
  });
  const shown = letters.data?.filter((l) => fits(l, find)) ?? [];
  return (
    <DayPage
      marginTitle={phrase('What letters are for')}
      margin={
        <>
          <h3>{phrase('What letters are for')}</h3>
          <p>
            {phrase(
              'A letter kept here is written once. A step of a program follows it, and so does every other step that names it: change the letter, and whoever is still to get it gets the new words.',
            )}
          </p>
          <p className="mt-3">
            <Sentence
              m="Under each stands <link>how you sign</link>, where the letter has a place for it."
              v={{ link: (c) => <Link to="/signing">{c}</Link> }}
            />
          </p>
        </>
      }
    >
      <PageHead
        title={phrase('Letters')}
        aside={
          <span className="flex flex-wrap gap-x-5">
            <Link to="/letters/new" className="inline-flex min-h-6 items-center">
              {phrase('Write one')}
            </Link>
            <KeptLinks />
          </span>
        }
      />
      {letters.error && (
        <div className="px-7">
          <Trouble error={letters.error} />
        </div>
      )}
      {!letters.data ? (
        <Loading />
      ) : letters.data.length === 0 ? (
        <Empty>
          <Sentence
            m="None is kept yet. <link>Write one</link>, or begin with a layout below."
            v={{ link: (c) => <Link to="/letters/new">{c}</Link> }}
          />
        </Empty>
      ) : (
        <>
          <div className="px-7 pb-2">
            <input
              type="search"
              aria-label={phrase('Find letters by their words')}
              placeholder={phrase('words of a letter')}
              className="w-72 max-w-full"
              value={find}
              onChange={(e) => setAddress(e.target.value ? { find: e.target.value } : {}, { replace: true })}
            />
          </div>
          {shown.length === 0 && <Empty>{phrase('No letter has these words.')}</Empty>}
          <ul className="m-0 list-none p-0" aria-label={phrase('Letters')}>
            {shown.map((l) => (
              <li key={l.id} className="row">
                <span className="gutter">
                  {l.uses.length > 0 ? phrase('{uses, plural, one {# program} other {# programs}}', { uses: l.uses.length }) : ''}
                </span>
                <Link
                  to={`/letters/${l.id}`}
                  className="inline-flex min-h-6 items-center font-semibold text-ink no-underline hover:underline"
                >
                  {l.name}
                </Link>
                <span className="block font-serif">{l.subject || phrase('no subject yet')}</span>
                <span className="block font-serif text-soft">{l.begins}</span>
                {l.uses.length > 0 && <span className="block text-small text-soft">{sayUses(l.uses)}</span>}
              </li>
            ))}
          </ul>
        </>
      )}
      <Stretch title={phrase('To begin with')} note={phrase('a layout, filled with words that say what goes there')} />
      <ul className="m-0 list-none p-0" aria-label={phrase('Layouts')}>
        {layouts.data?.map((l) => (
          <li key={l.name} className="row">
            <Link
              to={`/letters/new?${new URLSearchParams({ layout: l.name })}`}
              className="inline-flex min-h-6 items-center font-semibold text-ink no-underline hover:underline"
            >
              {l.name}
            </Link>
            <span className="block font-serif text-soft">{l.about}</span>
          </li>
        ))}
      </ul>
    </DayPage>
  );
}

/** Whether a letter has all the words looked for, in its name, subject or beginning, or in the names of those that use it. */
export function fits(letter: Pick<Line, 'name' | 'subject' | 'begins' | 'uses'>, find: string) {
  const text = [letter.name, letter.subject, letter.begins, ...letter.uses.map((u) => u.program)].join(' ').toLowerCase();
  return find
    .toLowerCase()
    .split(/\s+/)
    .every((word) => text.includes(word));
}

/** Which programs use a letter, and in how many steps. */
export const sayUses = (uses: Line['uses']) =>
  phrase('used by {uses}', {
    uses: uses.map((u) => `${quoted(u.program)}${u.steps > 1 ? phrase(' ({steps, number} steps)', { steps: u.steps }) : ''}`).join(', '),
  });
