import { useQuery } from '@tanstack/react-query';
import { Link, useSearchParams } from 'react-router';
import { api, take } from '../../api/client';
import { Empty, Loading, Trouble } from '../../ui/bits';
import { DayPage, PageHead } from '../../ui/DayPage';
import { scaleOf, TouchLine } from '../../ui/TouchLine';
import { phrase } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';
import { startsOf, stepsOf } from './ProgramList';

/** Programs that are ready to be taken: those that ship, and those other practices of the installation put on the shelf. */
export default function ReadyList() {
  const [address, setAddress] = useSearchParams();
  const find = address.get('find') ?? '';
  const ready = useQuery({ queryKey: ['ready'], queryFn: () => take(api.GET('/api/ready-programs')) });
  const words = find.toLowerCase().split(/\s+/);
  const fitting = (ready.data ?? []).filter((r) => {
    const said = [r.name, r.group, r.about, r.words, r.note, r.from, startsOf(r)].join(' ').toLowerCase();
    return words.every((w) => said.includes(w));
  });
  const groups = [...new Set(fitting.map((r) => r.group ?? ''))].sort((a, b) => a.localeCompare(b));
  const scale = scaleOf(ready.data?.map((r) => r.line) ?? []);
  return (
    <DayPage
      marginTitle={phrase('What these are for')}
      margin={
        <>
          <h3>{phrase('What these are for')}</h3>
          <p>
            {phrase(
              'Nobody has to begin with an empty page. Read a program as one of your own people would get it, answer its few questions, and it is yours to change. Nothing goes out before you switch it on.',
            )}
          </p>
        </>
      }
    >
      <PageHead title={phrase('Ready programs')} aside={<Link to="/programs">{phrase('Your programs')}</Link>}>
        <div className="mt-3 text-small">
          <input
            type="search"
            aria-label={phrase('Search the ready programs')}
            placeholder={phrase('buyer, birthday, review …')}
            className="w-64"
            value={find}
            onChange={(e) => setAddress(e.target.value ? { find: e.target.value } : {}, { replace: true })}
          />
        </div>
      </PageHead>
      <Trouble error={ready.error} />
      {ready.isPending && <Loading />}
      {ready.data && fitting.length === 0 && <Empty>{phrase('No ready program has these words. Try fewer letters.')}</Empty>}
      {groups.map((group) => (
        <section key={group} aria-label={group || phrase('Without a group')}>
          {group && <h2 className="border-t border-ink px-7 pt-5 pb-1.5 max-[699px]:px-4">{group}</h2>}
          {fitting
            .filter((r) => (r.group ?? '') === group)
            .map((r) => (
              <Link
                key={r.key}
                to={`/programs/ready/${r.key}`}
                aria-labelledby={`ready-${r.key}`}
                className="row text-ink no-underline hover:bg-picked"
              >
                <span className="gutter">{r.from ? phrase('on the shelf') : ''}</span>
                <span className="flex items-baseline justify-between gap-4">
                  <span id={`ready-${r.key}`} className="font-serif text-lead font-semibold">
                    {r.name}
                  </span>
                  <span className="text-small text-soft">{stepsOf(r)}</span>
                </span>
                {r.about && <span className="block max-w-[75ch] font-serif">{r.about}</span>}
                {r.from && (
                  <span className="block max-w-[75ch] text-small text-soft">
                    <Sentence
                      m="from {mine}{note}"
                      v={{ mine: r.mine ? phrase('your own practice') : r.from, note: r.note && `: ${r.note}` }}
                    />
                  </span>
                )}
                <span className="mt-2 block">
                  <TouchLine marks={r.line} scale={scale} width={750} height={40} />
                </span>
              </Link>
            ))}
        </section>
      ))}
    </DayPage>
  );
}
