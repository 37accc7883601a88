import { useMutation, useQuery } from '@tanstack/react-query';
import type { ReactNode } from 'react';
import { Link } from 'react-router';
import { api, take } from '../../api/client';
import { useMay } from '../../app/session';
import { Button, Loading, Trouble } from '../../ui/bits';
import { DayPage, PageHead, Stretch } from '../../ui/DayPage';
import { placeOf } from '../../ui/when';
import { phrase } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';
import { LastChanges } from './LastChanges';
import { elsewhere, settingsPages } from './settings';

/** The practice, read like a page: each line says how something is set, and leads to where it is changed. */
export default function PracticePage() {
  const practice = useQuery({ queryKey: ['practice'], queryFn: () => take(api.GET('/api/practice')) });
  const mayChange = useMay('change-settings');
  const mayExport = useMay('export-people');
  const p = practice.data;
  if (practice.isPending) return <Loading />;
  return (
    <DayPage
      marginTitle={phrase('The last changes')}
      margin={
        <>
          {mayChange && p && <LastChanges zone={p.zone} />}
          <CalendarFeed />
        </>
      }
    >
      <PageHead
        title={p?.name ?? phrase('The practice')}
        aside={
          p && (
            <Sentence
              m="everything by the clock of {zone}{mayExport}"
              v={{
                zone: placeOf(p.zone),
                mayExport: mayExport && (
                  <>
                    {' '}
                    ·{' '}
                    <a href="/api/practice/file" download className="inline-flex min-h-6 items-center">
                      {phrase('as a file')}
                    </a>
                  </>
                ),
              }}
            />
          )
        }
      />
      <div className="px-7">
        <Trouble error={practice.error} />
      </div>
      <Stretch title={phrase('How it is set')} note={mayChange ? undefined : phrase('A principal changes these.')} />
      {p &&
        Object.entries(settingsPages).map(([key, page]) => (
          <Line key={key} to={`/practice/${key}`} title={page.title} words={page.says(p)} />
        ))}
      <Stretch title={phrase('Set where it is used')} />
      {elsewhere.map(([title, to, words]) => (
        <Line key={to} to={to} title={title} words={words} />
      ))}
    </DayPage>
  );
}

function Line({ to, title, words }: { to: string; title: string; words: ReactNode }) {
  return (
    <div className="row grid grid-cols-[200px_1fr] items-baseline gap-x-5 max-[699px]:grid-cols-1">
      <Link className="min-h-6 font-semibold text-small" to={to}>
        {title}
      </Link>
      <p className="m-0 max-w-[64ch] font-serif break-words">{words}</p>
    </div>
  );
}

function CalendarFeed() {
  const feed = useMutation({ mutationFn: (renew: boolean) => take(api.POST('/api/calendar-feed', { params: { query: { renew } } })) });
  return (
    <>
      <h3 className="mt-5">{phrase('Your calendar')}</h3>
      <p className="mt-1">
        {phrase('Your calls, tasks and appointments for the calendar you use. The address is secret: whoever has it can read them.')}
      </p>
      {feed.data ? (
        <>
          <p className="mt-2 break-all font-serif text-ink">{feed.data.address}</p>
          <Button look="danger" onClick={() => feed.mutate(true)}>
            {phrase('make a new address, the old one stops working')}
          </Button>
        </>
      ) : (
        <Button onClick={() => feed.mutate(false)}>{phrase('show the address')}</Button>
      )}
      <Trouble error={feed.error} />
    </>
  );
}
