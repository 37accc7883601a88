import { useQuery } from '@tanstack/react-query';
import { Link } from 'react-router';
import { api, type Schemas, take } from '../../api/client';
import { useNow } from '../../app/session';
import { Empty, Loading, Trouble } from '../../ui/bits';
import { Choices } from '../../ui/Choices';
import { DayPage, PageHead, Stretch } from '../../ui/DayPage';
import { useKept } from '../../ui/kept';
import { money } from '../../ui/money';
import { day } from '../../ui/when';
import { phrase } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';
import { usePicks } from '../people/usePicks';

type Line = Schemas['LostLine'];

type Filter = { stage: string; reason: string; place: string; before: string; archived: boolean };

const all: Filter = { stage: '', reason: '', place: '', before: '', archived: false };

/** What is said for opportunities that were lost for no reason anybody gave. */
const noReason = phrase('no reason given');

const nameOf = (stage: string) => stage.slice(stage.indexOf('/') + 1);

/** Lost ones, taken up again in one sitting: who they are, a program for them, and what came of it. */
export default function LostPage() {
  const { now, zone } = useNow();
  const [filter, setFilter] = useKept<Filter>('lost.filter', all);
  const lost = useQuery({
    queryKey: ['pipeline', 'lost', filter],
    queryFn: () =>
      take(
        api.GET('/api/pipeline/lost', {
          params: {
            query: {
              stage: filter.stage || undefined,
              reason: filter.reason === noReason ? '' : filter.reason || undefined,
              place: filter.place || undefined,
              before: filter.before || undefined,
              archived: filter.archived,
            },
          },
        }),
      ),
    placeholderData: (before) => before,
  });
  const rows = lost.data?.rows ?? [];
  const picks = usePicks(
    rows.map((r) => r.person),
    'lost',
  );

  if (lost.isPending) return <Loading what={phrase('Looking who was lost')} />;
  const l = lost.data;
  return (
    <DayPage marginTitle={phrase('With those picked')} margin={picks.margin}>
      <PageHead title={phrase('Lost ones')} aside={<Link to="/pipeline">{phrase('Pipeline')}</Link>}>
        {l && <Filters filter={filter} set={setFilter} lost={l} />}
      </PageHead>
      <div className="px-7">
        <Trouble error={lost.error} />
      </div>
      <Stretch
        title={phrase('Nothing since')}
        note={
          rows.length > 0 && (
            <>
              {l?.count} <span className="ml-3">{picks.all}</span>
            </>
          )
        }
      />
      {rows.length === 0 && <Empty>{phrase('Nobody. Whoever was lost has been taken up again, or nobody was lost as this asks.')}</Empty>}
      {rows.map((r, i) => (
        <div key={r.opportunityId} {...picks.line(i)}>
          <span className="gutter">{day(r.closedAt, zone, now)}</span>
          {picks.box(i)}
          <Words line={r} />
          <span className="whitespace-nowrap tabular-nums">{r.worth === null || !l ? '' : money(r.worth, l.currency)}</span>
        </div>
      ))}
      {l && l.count > rows.length && (
        <p className="row text-small text-soft">{phrase('and {count, number} more', { count: l.count - rows.length })}</p>
      )}
      {l && <CameOfIt lost={l} />}
    </DayPage>
  );
}

function Words({ line: r }: { line: Line }) {
  const { now, zone } = useNow();
  return (
    <span className="min-w-0 flex-1">
      <Link to={`/people/${r.person.id}`} className="font-semibold text-ink no-underline hover:underline">
        {r.person.name}
      </Link>{' '}
      <span className="font-serif">{r.title}</span>
      <span className="block text-small text-soft">
        <Sentence
          m="from {stage}, {reason}{place}{archived}{startedAt}"
          v={{
            stage: nameOf(r.stage),
            reason: r.reason || noReason,
            place: r.place && ` · ${r.place}`,
            archived: r.archived && phrase(' · archived'),
            startedAt: r.startedAt && phrase(' · a program began {startedAt}', { startedAt: day(r.startedAt, zone, now) }),
          }}
        />
      </span>
    </span>
  );
}

function Filters({ filter, set, lost }: { filter: Filter; set: (f: Filter) => void; lost: Schemas['LostOnesDto'] }) {
  const choices = [
    {
      key: 'stage',
      label: phrase('Stage'),
      none: phrase('from any stage'),
      of: lost.stages.map((s) => [s, phrase('from {stage}', { stage: nameOf(s) })] as const),
    },
    {
      key: 'reason',
      label: phrase('Reason'),
      none: phrase('for any reason'),
      of: lost.reasons.map((r) => [r || noReason, phrase('for {reason}', { reason: r || noReason })] as const),
    },
    {
      key: 'place',
      label: phrase('Place'),
      none: phrase('anywhere'),
      of: lost.places.map((p) => [p, phrase('in {place}', { place: p })] as const),
    },
  ] as const;
  return (
    <Choices choices={choices} values={filter} set={(key, value) => set({ ...filter, [key]: value })}>
      <label>
        {phrase('lost before')} <input type="date" value={filter.before} onChange={(e) => set({ ...filter, before: e.target.value })} />
      </label>
      <label>
        <input type="checkbox" checked={filter.archived} onChange={(e) => set({ ...filter, archived: e.target.checked })} />{' '}
        {phrase('archived ones too')}
      </label>
    </Choices>
  );
}

/** What came of those who were taken up again. */
function CameOfIt({ lost: l }: { lost: Schemas['LostOnesDto'] }) {
  const { now, zone } = useNow();
  return (
    <>
      <Stretch title={phrase('What came of it')} />
      <p className="row">
        {phrase(
          'For {started, plural, one {# person} other {# people}} of those lost a program has begun since; {openedAgain, plural, one {# has} other {# have}} another opportunity, {wonAgain}.',
          {
            started: l.started,
            openedAgain: l.openedAgain,
            wonAgain:
              l.wonAgain === 0
                ? phrase('none of them won yet')
                : phrase('{wonAgain, number} won again, for {brought}', { wonAgain: l.wonAgain, brought: money(l.brought, l.currency) }),
          },
        )}
      </p>
      {l.came.map((r) => (
        <div key={r.opportunityId} className="row flex items-baseline gap-4">
          <span className="gutter">{day(r.closedAt, zone, now)}</span>
          <Words line={r} />
          <span className="whitespace-nowrap text-small">
            {r.again === 'won'
              ? phrase('won again{brought}', { brought: r.brought === null ? '' : `, ${money(r.brought, l.currency)}` })
              : r.again === 'open'
                ? phrase('open again')
                : phrase('lost again')}
          </span>
        </div>
      ))}
    </>
  );
}
