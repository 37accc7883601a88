import { useQuery } from '@tanstack/react-query';
import { Link } from 'react-router';
import { api, take } from '../../api/client';
import { Empty, Loading, Trouble } from '../../ui/bits';
import { DayPage, PageHead } from '../../ui/DayPage';
import { phrase } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';
import { KeptLinks } from '../letters/KeptLinks';

/** Letters that are shown to everybody as pages: what each is called, where it is, what came of it. */
export default function LandingsPage() {
  const pages = useQuery({ queryKey: ['landings'], queryFn: () => take(api.GET('/api/pages')) });
  if (pages.isPending) return <Loading what={phrase('Opening the pages')} />;
  return (
    <DayPage
      marginTitle={phrase('What pages are for')}
      margin={
        <>
          <h3>{phrase('What pages are for')}</h3>
          <p>
            {phrase(
              'A letter can be shown to everybody as a page: the same words, offers and figures, written once. A form in it stands there to be filled in; in the letter it is a button that leads to it.',
            )}
          </p>
          <p className="mt-3">
            <Sentence
              m="Open a letter and press <i>As a page</i>. What is changed in the letter afterwards is not seen before it is shown again."
              v={{ i: (c) => <i>{c}</i> }}
            />
          </p>
        </>
      }
    >
      <PageHead title={phrase('Pages')} aside={<KeptLinks />} />
      <Trouble error={pages.error} />
      {pages.data?.length === 0 && <Empty>{phrase('No letter is a page yet. Open one, and press “As a page”.')}</Empty>}
      {pages.data?.map((p) => (
        <div key={p.id} className="row flex items-baseline gap-4">
          <span className="gutter">{p.shown ? phrase('shown') : ''}</span>
          <span className="min-w-0 flex-1">
            <Link className="font-serif text-ink" to={`/letters/pages/${p.id}`}>
              {p.title}
            </Link>
            <span className="block text-small text-soft">
              {phrase('{shown, select, true {everybody can open it} other {nobody sees it}} · the letter “{letterName}”', {
                shown: String(p.shown),
                letterName: p.letterName,
              })}
            </span>
          </span>
          <span className="text-small text-soft">
            {phrase('opened {visits, plural, one {# time} other {# times}} in 30 days{sent}', {
              visits: p.visits,
              sent: p.sent > 0 ? phrase(' · {sent, plural, one {# form was sent} other {# forms were sent}} by it', { sent: p.sent }) : '',
            })}
          </span>
        </div>
      ))}
    </DayPage>
  );
}
