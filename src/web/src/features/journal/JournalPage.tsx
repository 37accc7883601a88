import { useInfiniteQuery } from '@tanstack/react-query';
import { Fragment, useEffect, useRef, useState } from 'react';
import { Link, useSearchParams } from 'react-router';
import { api, type Schemas, take } from '../../api/client';
import { useSession } from '../../app/session';
import { Button, Empty, Loading, Trouble } from '../../ui/bits';
import { Choices } from '../../ui/Choices';
import { DayPage, PageHead, Stretch } from '../../ui/DayPage';
import { longDay, time } from '../../ui/when';
import { phrase } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';

type Line = Schemas['JournalLine'];

/** What the journal can be narrowed to; they stand in the page's own address. */
const names = ['member', 'person', 'program', 'find', 'from', 'until'] as const;

/** Where a thing is looked at, by its kind; others have no page of their own. */
const places: Record<string, string> = {
  broadcast: '/programs/broadcasts',
  form: '/forms',
  import: '/people/bring-in',
  letter: '/letters',
  page: '/letters/pages',
  segment: '/people/segments',
};

/** Everything that was done, by whom, when and from where. */
export default function JournalPage() {
  const [search, setSearch] = useSearchParams();
  const asked = Object.fromEntries(names.map((n) => [n, search.get(n) ?? ''])) as Record<(typeof names)[number], string>;
  const query = Object.fromEntries(Object.entries(asked).filter(([, value]) => value)) as Partial<typeof asked>;
  const narrow = (change: Partial<typeof asked>) =>
    setSearch(Object.fromEntries(Object.entries({ ...query, ...change }).filter(([, value]) => value)), { replace: true });
  const session = useSession();
  const journal = useInfiniteQuery({
    queryKey: ['journal', query],
    initialPageParam: undefined as number | undefined,
    queryFn: ({ pageParam }) => take(api.GET('/api/journal', { params: { query: { ...query, before: pageParam } } })),
    getNextPageParam: (last) => last.next ?? undefined,
    placeholderData: (before) => before,
  });
  const first = journal.data?.pages[0];
  const lines = journal.data?.pages.flatMap((p) => p.lines) ?? [];
  return (
    <DayPage marginTitle={phrase('About the journal')} margin={<About months={first?.keptMonths} />}>
      <PageHead
        title={phrase('Journal')}
        aside={
          <>
            <a href={`/api/journal/table.csv?${new URLSearchParams(query)}`} download="journal.csv">
              {phrase('as a file')}
            </a>{' '}
            · <Link to="/practice">{phrase('The practice')}</Link>
          </>
        }
      >
        <Choices
          choices={[
            {
              key: 'member',
              label: phrase('By whom'),
              none: phrase('by anybody'),
              of: (session.data?.members ?? []).map((m) => [m.id, phrase('by {name}', { name: m.name })]),
            },
          ]}
          values={asked}
          set={(key, value) => narrow({ [key]: value })}
        >
          {(asked.person || asked.program) && (
            <span>
              <Sentence
                m="about {b} <button>about everything</button>"
                v={{
                  b: <b className="font-semibold">{first?.about ?? phrase('something that is gone')}</b>,
                  button: (c) => (
                    <Button look="plain" onClick={() => narrow({ person: '', program: '' })}>
                      {c}
                    </Button>
                  ),
                }}
              />
            </span>
          )}
          <label>
            {phrase('from')} <input type="date" value={asked.from} onChange={(e) => narrow({ from: e.target.value })} />
          </label>
          <label>
            {phrase('until')} <input type="date" value={asked.until} onChange={(e) => narrow({ until: e.target.value })} />
          </label>
          <Words value={asked.find} set={(find) => narrow({ find })} />
        </Choices>
      </PageHead>
      <div className="px-7 max-[699px]:px-4">
        <Trouble error={journal.error} />
      </div>
      {journal.isPending && <Loading what={phrase('Opening the journal')} />}
      {journal.isSuccess && lines.length === 0 && (
        <Empty>
          {Object.keys(query).length > 0
            ? phrase('Nothing was done that this asks for.')
            : phrase('Nothing was done yet. Whatever anybody does stands here.')}
        </Empty>
      )}
      {first && <Days lines={lines} zone={first.zone} />}
      {journal.hasNextPage && (
        <p className="row">
          <Button onClick={() => journal.fetchNextPage()} disabled={journal.isFetchingNextPage}>
            {phrase('Earlier')}
          </Button>
        </p>
      )}
    </DayPage>
  );
}

function Days({ lines, zone }: { lines: Line[]; zone: string }) {
  return lines.map((line, i) => {
    const day = longDay(line.at, zone);
    return (
      <Fragment key={line.id}>
        {(i === 0 || longDay(lines[i - 1]?.at ?? '', zone) !== day) && <Stretch title={day} />}
        <One line={line} zone={zone} />
      </Fragment>
    );
  });
}

function One({ line, zone }: { line: Line; zone: string }) {
  const [before, after] = line.words.split('{}');
  const words = (
    <>
      {before}
      {after !== undefined && <Subject line={line} />}
      {after}
    </>
  );
  return (
    <div className="row flex items-baseline gap-4">
      <span className="gutter">
        <time dateTime={line.at} title={line.at}>
          {time(line.at, zone)}
        </time>
      </span>
      <div className="min-w-0 flex-1">
        <b className="font-semibold">{line.by}</b>{' '}
        {line.ended === 'refused' ? <Sentence m="was not let: “{words}”" v={{ words }} /> : words}
        <div className="text-small text-soft">
          {line.more && <p className="break-words">{line.more}</p>}
          {line.ended === 'begun' && <p className="text-straw">{phrase('It broke off; nobody can say whether it was done.')}</p>}
          <details>
            <summary className="min-h-6 w-fit cursor-pointer">
              {phrase('from {fromAddress}', { fromAddress: line.fromAddress || phrase('an unknown address') })}
            </summary>
            <p className="break-words">{line.fromProgram || phrase('It did not say with what.')}</p>
          </details>
        </div>
      </div>
    </div>
  );
}

/** What it was done to, by its name of then. */
function Subject({ line }: { line: Line }) {
  const name = line.about || phrase('something');
  const to = line.person
    ? `/people/${line.person}`
    : line.program
      ? `/programs/${line.program}`
      : line.subject && line.kind && places[line.kind]
        ? `${places[line.kind]}/${line.subject}`
        : null;
  return to ? <Link to={to}>{name}</Link> : <b className="font-semibold">{name}</b>;
}

/** Words that stand in a line; asked for once one stops writing. */
function Words({ value, set }: { value: string; set: (words: string) => void }) {
  const [words, setWords] = useState(value);
  const latest = useRef(set);
  latest.current = set;
  useEffect(() => {
    if (words.trim() === value) return;
    const soon = setTimeout(() => latest.current(words.trim()), 300);
    return () => clearTimeout(soon);
  }, [words, value]);
  return (
    <label>
      {phrase('with the words')}{' '}
      <input type="search" className="w-44" maxLength={100} value={words} onChange={(e) => setWords(e.target.value)} />
    </label>
  );
}

function About({ months }: { months: number | undefined }) {
  return (
    <div className="text-small">
      <p>
        {phrase('Whatever a member does stands here, with what it was done to, when and from where; also what somebody tried and may not.')}
      </p>
      <p className="mt-2">
        {phrase(
          'It is written before a thing is done and completed afterwards, so what breaks off is seen too. Looking at something leaves no line; taking people out as a file does.',
        )}
      </p>
      <p className="mt-2">
        {phrase('What programs and readers do is told on each person’s own page. Whoever is erased is named here no more.')}
      </p>
      {months !== undefined && (
        <p className="mt-2">
          <Sentence
            m="{months} <link>The practice</link> says how long."
            v={{
              months: months === 0 ? phrase('Lines are kept for good.') : phrase('Lines are kept for {months, number} months.', { months }),
              link: (c) => <Link to="/practice">{c}</Link>,
            }}
          />
        </p>
      )}
    </div>
  );
}
