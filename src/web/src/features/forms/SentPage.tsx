import { useInfiniteQuery, useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { Link, useParams, useSearchParams } from 'react-router';
import { api, type Schemas, take } from '../../api/client';
import { useMay, useNow } from '../../app/session';
import { Button, Empty, Loading, Trouble } from '../../ui/bits';
import { DayPage, PageHead } from '../../ui/DayPage';
import { said } from '../../ui/undo';
import { moment } from '../../ui/when';
import { phrase } from '../../words/phrase';

const states: [string, string][] = [
  ['', phrase('everything')],
  ['taken', phrase('taken in')],
  ['unconfirmed', phrase('not confirmed yet')],
  ['apart', phrase('waiting apart')],
  ['nothing', phrase('nothing')],
];

const stateWords: Record<string, string> = {
  taken: '',
  unconfirmed: phrase('not confirmed yet'),
  doubtful: phrase('may be of no person'),
  waiting: phrase('on the waiting list'),
  nothing: phrase('marked as nothing'),
};

/** What was sent by a form: a table, counts beside it, and what waits apart. */
export default function SentPage() {
  const { id = '' } = useParams();
  const [search, setSearch] = useSearchParams();
  const state = search.get('state') ?? '';
  const mayExport = useMay('export-people');
  const form = useQuery({
    queryKey: ['form', id],
    queryFn: () => take(api.GET('/api/forms/{id}', { params: { path: { id } } })),
    staleTime: Number.POSITIVE_INFINITY,
  });
  const sent = useInfiniteQuery({
    queryKey: ['submissions', id, state],
    initialPageParam: undefined as string | undefined,
    queryFn: ({ pageParam }) =>
      take(api.GET('/api/forms/{id}/submissions', { params: { path: { id }, query: { state: state || undefined, after: pageParam } } })),
    getNextPageParam: (last) => last.next ?? undefined,
  });
  if (sent.isPending || form.isPending) return <Loading what={phrase('Opening what was sent')} />;
  const rows = sent.data?.pages.flatMap((p) => p.rows) ?? [];
  const asked = [...new Map(rows.flatMap((r) => r.answers.map((a) => [a.question, a.ask] as const)))];
  const asks = (form.data?.shown as { known?: string } | null | undefined)?.known === 'ask';
  const name = (form.data?.draft as { name?: string } | undefined)?.name ?? phrase('The form');
  return (
    <DayPage marginTitle={phrase('What was chosen')} margin={<Counts id={id} />}>
      <PageHead
        title={phrase('Sent by “{name}”', { name })}
        aside={
          <>
            {mayExport && (
              <>
                <a href={`/api/forms/${id}/submissions.csv`} download={`${name}.csv`}>
                  {phrase('as a file')}
                </a>{' '}
                ·{' '}
              </>
            )}
            <Link to={`/forms/${id}`}>{phrase('the form')}</Link>
          </>
        }
      >
        <label className="mt-2 block text-small">
          {phrase('show')}{' '}
          <select value={state} onChange={(e) => setSearch(e.target.value ? { state: e.target.value } : {}, { replace: true })}>
            {states.map(([word, words]) => (
              <option key={word} value={word}>
                {words}
              </option>
            ))}
          </select>
        </label>
      </PageHead>
      <Trouble error={sent.error ?? form.error} />
      {rows.length === 0 ? (
        <Empty>{state === '' ? phrase('Nobody has sent it yet.') : phrase('There is none of these.')}</Empty>
      ) : (
        <section className="overflow-x-auto px-7 max-[699px]:px-4" aria-label={phrase('What was sent')}>
          <table className="w-full text-small">
            <thead>
              <tr>
                <th scope="col" className="pr-4 pb-1 text-left align-bottom">
                  {phrase('when')}
                </th>
                <th scope="col" className="pr-4 pb-1 text-left align-bottom">
                  {phrase('who')}
                </th>
                {asked.map(([question, ask]) => (
                  <th key={question} scope="col" className="min-w-36 max-w-64 pr-4 pb-1 text-left align-bottom">
                    {ask}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {rows.map((r) => (
                <Row key={r.id} row={r} asked={asked.map(([question]) => question)} asks={asks} />
              ))}
            </tbody>
          </table>
        </section>
      )}
      {sent.hasNextPage && (
        <p className="row">
          <Button onClick={() => sent.fetchNextPage()} disabled={sent.isFetchingNextPage}>
            {phrase('earlier ones')}
          </Button>
        </p>
      )}
    </DayPage>
  );
}

function Row({ row: r, asked, asks }: { row: Schemas['SubmissionLine']; asked: string[]; asks: boolean }) {
  const queries = useQueryClient();
  const { now, zone } = useNow();
  const act = useMutation({
    mutationFn: (how: 'allow' | 'nothing' | 'take-over') =>
      take(api.POST(`/api/submissions/{id}/${how}`, { params: { path: { id: r.id } } })),
    onSuccess: (_, how) => {
      for (const key of ['submissions', 'forms', 'inquiries', 'people', 'form']) queries.invalidateQueries({ queryKey: [key] });
      said(
        {
          allow: phrase('It is taken in.'),
          nothing: phrase('It is marked as nothing.'),
          'take-over': phrase('It stands at the person now; what stood there is in their thread.'),
        }[how],
      );
    },
  });
  const apart = r.state === 'doubtful' || r.state === 'waiting';
  return (
    <tr className="border-t border-dotted border-rule align-top">
      <td className="py-1 pr-4 whitespace-nowrap">{moment(r.at, zone, now)}</td>
      <td className="py-1 pr-4">
        {r.person ? <Link to={`/people/${r.person}`}>{r.name}</Link> : <span className="text-soft">{stateWords[r.state]}</span>}
        {r.doubt && r.state === 'doubtful' && <span className="block text-straw">{r.doubt}</span>}
        {apart && (
          <span className="flex gap-3">
            <Button disabled={act.isPending} onClick={() => act.mutate('allow')}>
              {r.state === 'doubtful' ? phrase('it is real') : phrase('give a place')}
            </Button>
            <Button look="plain" disabled={act.isPending} onClick={() => act.mutate('nothing')}>
              {phrase('it is nothing')}
            </Button>
          </span>
        )}
        {asks && r.state === 'taken' && (
          <Button
            look="plain"
            disabled={act.isPending}
            onClick={() => act.mutate('take-over')}
            title={phrase('Put what was sent in the place of what stands at the person')}
          >
            {phrase('take over')}
          </Button>
        )}
        <Trouble error={act.error} />
      </td>
      {asked.map((question) => (
        <td key={question} className="max-w-64 py-1 pr-4 break-words whitespace-pre-line">
          {r.answers.find((a) => a.question === question)?.value.replaceAll(';', ', ') ?? ''}
        </td>
      ))}
    </tr>
  );
}

/** How often each answer of a choice was chosen. */
function Counts({ id }: { id: string }) {
  const counts = useQuery({
    queryKey: ['submissions', id, 'counts'],
    queryFn: () => take(api.GET('/api/forms/{id}/counts', { params: { path: { id } } })),
  });
  return (
    <>
      <Trouble error={counts.error} />
      {counts.data?.length === 0 && (
        <p className="text-small text-soft">{phrase('It asks for nothing that is chosen from, so there is nothing to count.')}</p>
      )}
      {counts.data?.map((q) => (
        <section key={q.question} className="mb-4">
          <h3>{q.ask}</h3>
          <dl className="m-0 text-small">
            {q.counts.map((c) => (
              <div key={c.answer} className="grid grid-cols-[1fr_auto] gap-2 border-t border-dotted border-rule py-1">
                <dt>{c.answer}</dt>
                <dd className="m-0">{phrase('{count, number} of {answered, number}', { count: c.count, answered: q.answered })}</dd>
                <span
                  aria-hidden
                  className="col-span-2 block h-1 bg-leaf"
                  style={{ width: `${q.answered > 0 ? (100 * c.count) / q.answered : 0}%` }}
                />
              </div>
            ))}
          </dl>
        </section>
      ))}
    </>
  );
}
