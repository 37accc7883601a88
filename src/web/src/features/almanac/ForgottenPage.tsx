import { useQuery } from '@tanstack/react-query';
import { Link } from 'react-router';
import { api, take } from '../../api/client';
import { useNow } from '../../app/session';
import { Empty, Loading, Trouble } from '../../ui/bits';
import { DayPage, PageHead, Stretch } from '../../ui/DayPage';
import { useKept } from '../../ui/kept';
import { nearDay } from '../../ui/when';
import { phrase } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';
import { usePicks } from '../people/usePicks';

type Kind = 'nothing' | 'far' | 'cannot';

const words: Record<Kind, string> = {
  nothing: phrase('nothing is planned for them'),
  far: phrase('only something far away is planned for them'),
  cannot: phrase('what is planned cannot reach them'),
};

/** Who has nothing coming from the practice at all: found, picked, and given a program from here. */
export default function ForgottenPage() {
  const { now, zone } = useNow();
  const [kind, setKind] = useKept<Kind>('forgotten.kind', 'nothing');
  const [owner, setOwner] = useKept('forgotten.owner', '');
  const found = useQuery({
    queryKey: ['almanac', 'forgotten', kind, owner],
    queryFn: () => take(api.GET('/api/almanac/forgotten', { params: { query: { kind, owner: owner || undefined } } })),
    placeholderData: (before) => before,
  });
  const rows = found.data?.rows ?? [];
  const picks = usePicks(
    rows.map((r) => r.person),
    'forgotten',
  );

  if (found.isPending) return <Loading what={phrase('Looking who has nothing to come')} />;
  const f = found.data;
  return (
    <DayPage marginTitle={phrase('With those picked')} margin={picks.margin}>
      <PageHead title={phrase('Nobody forgotten')} aside={<Link to="/almanac">{phrase('Almanac')}</Link>}>
        {f && (
          <p className="mt-2 flex flex-wrap items-center gap-x-3 gap-y-1 text-small">
            <select aria-label={phrase('What is the matter')} value={kind} onChange={(e) => setKind(e.target.value as Kind)}>
              {(['nothing', 'far', 'cannot'] as const).map((k) => (
                <option key={k} value={k}>
                  {phrase('{f, plural, one {# person} other {# people}}', { f: f[k] })}: {words[k]}
                </option>
              ))}
            </select>
            <select aria-label={phrase('Whose')} value={owner} onChange={(e) => setOwner(e.target.value)}>
              <option value="">{phrase('of everybody')}</option>
              {f.owners
                .filter((o) => o.ownerId !== null)
                .map((o) => (
                  <option key={o.ownerId} value={o.ownerId ?? ''}>
                    {phrase('of {owner}: {count, number}', { owner: o.owner, count: o.count })}
                  </option>
                ))}
            </select>
          </p>
        )}
      </PageHead>
      <div className="px-7">
        <Trouble error={found.error} />
      </div>
      <Stretch title={`${words[kind][0]?.toUpperCase()}${words[kind].slice(1)}`} note={picks.all} />
      {rows.length === 0 && <Empty>{phrase('Nobody. Whoever is here has something to come from you.')}</Empty>}
      {rows.map((r, i) => (
        <div key={r.person.id} {...picks.line(i)}>
          <span className="gutter">{r.personal ? nearDay(r.personal, zone, now) : phrase('never')}</span>
          {picks.box(i)}
          <span className="min-w-0 flex-1">
            <Link to={`/people/${r.person.id}`} className="font-semibold text-ink no-underline hover:underline">
              {r.person.name}
            </Link>
            <span className="text-small text-soft">
              {' '}
              {r.owner ?? phrase('nobody looks after them')}
              {r.next && phrase(' · next {next}', { next: nearDay(r.next, zone, now) })}
              {r.why && ` · ${r.why}`}
            </span>
          </span>
        </div>
      ))}
      {f && f[kind] > rows.length && !owner && (
        <p className="row text-small text-soft">{phrase('and {f, number} more', { f: f[kind] - rows.length })}</p>
      )}
      <p className="border-t border-rule px-7 py-3 text-small text-soft">
        <Sentence
          m="In the gutter: when there was last anything personal, a call, a note, an answer or a meeting. {kbd} {kbd2} go through · {kbd3} picks"
          v={{ kbd: <kbd>j</kbd>, kbd2: <kbd>k</kbd>, kbd3: <kbd>x</kbd> }}
        />
      </p>
    </DayPage>
  );
}
