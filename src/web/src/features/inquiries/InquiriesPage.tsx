import { useInfiniteQuery, useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import { Link, useNavigate } from 'react-router';
import { api, type Schemas, take } from '../../api/client';
import { useNow } from '../../app/session';
import { Button, Empty, Loading, Trouble } from '../../ui/bits';
import { DayPage, PageHead, Stretch } from '../../ui/DayPage';
import { useKept } from '../../ui/kept';
import { useKeys } from '../../ui/keys';
import { said } from '../../ui/undo';
import { nearDay } from '../../ui/when';
import { phrase, quoted } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';
import { AnswerCurve } from './AnswerCurve';
import { InquiryMargin, type Part } from './InquiryMargin';
import { ends, lateLook, lateWords, waited, ways } from './waits';

type Line = Schemas['InquiryLine'];

/** Those who asked and wait, the longest first; one after the other by key. Below, those who were answered and how long it took. */
export default function InquiriesPage() {
  const queries = useQueryClient();
  const go = useNavigate();
  const [mine, setMine] = useKept('inquiries.mine', false);
  const [picked, setPicked] = useState<string>();
  const [part, setPart] = useState<Part>();
  const waiting = useQuery({
    queryKey: ['inquiries', mine],
    queryFn: () => take(api.GET('/api/inquiries', { params: { query: { mine } } })),
    placeholderData: (before) => before,
  });
  const rows = waiting.data?.rows ?? [];
  const at = rows.findIndex((r) => r.id === picked);
  const line = rows[Math.max(0, at)];

  // Whoever was answered is gone; the one who stands in their place is next.
  const [place, setPlace] = useState(0);
  useEffect(() => {
    if (at >= 0) setPlace(at);
    else if (rows.length > 0) setPicked(rows[Math.min(place, rows.length - 1)]?.id);
  }, [at, rows, place]);
  const pick = (id: string | undefined) => {
    if (!id) return;
    setPicked(id);
    setPart(undefined);
    document.getElementById(`inquiry-${id}`)?.scrollIntoView({ block: 'nearest' });
  };

  const end = useMutation({
    meta: { says: (v: { line: Line }) => phrase('{person} is marked', { person: v.line.person.name }) },
    mutationFn: ({ line: l, how }: { line: Line; how: 'answered' | 'nothing' }) =>
      take(api.POST(`/api/inquiries/{id}/${how}`, { params: { path: { id: l.id } } })),
    onSuccess: (_, { line: l, how }) => {
      queries.invalidateQueries({ queryKey: ['inquiries'] });
      said(
        how === 'answered'
          ? phrase('{person} is marked as answered.', { person: l.person.name })
          : phrase('What {person} sent is marked as nothing.', { person: l.person.name }),
        () =>
          take(api.POST('/api/today/waiting/{id}/unseen', { params: { path: { id: `i${l.id}` } } })).then(() =>
            queries.invalidateQueries({ queryKey: ['inquiries'] }),
          ),
      );
    },
  });

  const open = (next: Part) => () => line && setPart(next);
  useKeys({
    j: () => pick(rows[Math.min(rows.length - 1, Math.max(0, at) + 1)]?.id),
    k: () => pick(rows[Math.max(0, at - 1)]?.id),
    w: open('write'),
    c: open('call'),
    v: open('give'),
    o: open('opportunity'),
    p: open('program'),
    a: () => line && end.mutate({ line, how: 'answered' }),
    x: () => line && end.mutate({ line, how: 'nothing' }),
    Enter: () => line && go(`/people/${line.person.id}`),
  });

  if (waiting.isPending) return <Loading what={phrase('Looking who waits')} />;
  return (
    <DayPage
      marginTitle={phrase('Everything known')}
      margin={
        line ? <InquiryMargin key={line.id} line={line} part={part} setPart={setPart} end={(how) => end.mutate({ line, how })} /> : null
      }
    >
      <PageHead
        title={phrase('Inquiries')}
        aside={
          <>
            <Link to="/forms">{phrase('Forms')}</Link> · <Link to="/meetings">{phrase('Times to choose')}</Link> ·{' '}
            <Link to="/inquiries/giving">{phrase('Who gets them')}</Link>
          </>
        }
      />
      <Trouble error={waiting.error ?? end.error} />
      <Stretch
        title={phrase('They wait')}
        note={
          waiting.data && (
            <Sentence
              m="{inAll, number} in all, {mine, number} for you <label>{input} only those for me</label>"
              v={{
                inAll: waiting.data.inAll,
                mine: waiting.data.mine,
                input: <input type="checkbox" checked={mine} onChange={(e) => setMine(e.target.checked)} />,
                // biome-ignore lint/a11y/noLabelWithoutControl: the input is among its words.
                label: (c) => <label className="ml-3">{c}</label>,
              }}
            />
          )
        }
      />
      {rows.length === 0 && (
        <Empty>
          {phrase(
            'Nobody waits. What comes by a form, by mail or by text stands here at once; what comes by phone is taken in with the key i.',
          )}
        </Empty>
      )}
      {rows.map((r) => (
        <WaitingRow key={r.id} line={r} on={r.id === line?.id} dayMinutes={waiting.data?.dayMinutes ?? 510} pick={() => pick(r.id)} />
      ))}
      {(waiting.data?.inAll ?? 0) > rows.length && rows.length >= 200 && (
        <p className="row text-small text-soft">
          {phrase('and {inAll, number} who came later', { inAll: (waiting.data?.inAll ?? 0) - rows.length })}
        </p>
      )}
      <Answered />
    </DayPage>
  );
}

function WaitingRow({ line: r, on, dayMinutes, pick }: { line: Line; on: boolean; dayMinutes: number; pick: () => void }) {
  const words = waited(r.waitedMinutes, dayMinutes);
  return (
    <div id={`inquiry-${r.id}`} className={`row flex items-baseline gap-4 ${on ? 'on' : ''}`}>
      <span className={`gutter ${lateLook[r.late]} ${r.late > 0 ? 'font-semibold' : ''}`}>
        {words}
        {r.late > 0 && <span className="sr-only">, {lateWords[r.late]}</span>}
      </span>
      <button type="button" data-pick className="min-w-0 flex-1 text-left" aria-pressed={on} onClick={pick}>
        <b className="font-semibold">{r.person.name}</b> <span className="text-small text-soft">{r.whatTheyAre}</span>
        <span className="block font-serif whitespace-pre-line">{r.text}</span>
        <span className="block text-small text-soft">
          {ways[r.how] ?? r.how}
          {r.form ? ` ${quoted(r.form)}` : ''}
          {r.topic ? phrase(', about {topic}', { topic: r.topic }) : ''} ·{' '}
          {r.ownerName ? phrase('with {ownerName}', { ownerName: r.ownerName }) : phrase('nobody has it')}
          {r.touched ? phrase(', under way') : ''}
        </span>
      </button>
    </div>
  );
}

/** Those who were answered, with how long answers take. */
function Answered() {
  const [open, setOpen] = useKept('inquiries.answered', false);
  const { now, zone } = useNow();
  const answered = useInfiniteQuery({
    queryKey: ['inquiries', 'answered'],
    enabled: open,
    initialPageParam: undefined as string | undefined,
    queryFn: ({ pageParam }) => take(api.GET('/api/inquiries/answered', { params: { query: { after: pageParam } } })),
    getNextPageParam: (last) => last.next ?? undefined,
  });
  const first = answered.data?.pages[0];
  return (
    <section aria-label={phrase('Answered')} className="mt-6">
      <div className="stretch">
        <h2>{phrase('Answered')}</h2>
        <Button onClick={() => setOpen(!open)} aria-expanded={open}>
          {open ? phrase('fold') : phrase('who, and how soon')}
        </Button>
      </div>
      {open && (
        <>
          <Trouble error={answered.error} />
          {first && <AnswerCurve times={first.times} dayMinutes={first.dayMinutes} />}
          {answered.data?.pages
            .flatMap((p) => p.rows)
            .map((r) => (
              <div key={r.id} className="row flex items-baseline gap-4">
                <span className="gutter">{nearDay(r.answeredAt ?? now, zone, now)}</span>
                <span className="min-w-0 flex-1">
                  <Link to={`/people/${r.person.id}`}>{r.person.name}</Link>
                  <span className="block text-small text-soft">
                    <Sentence
                      m="{ends}{answeredBy}, after {span}{late}"
                      v={{
                        ends: ends[r.outcome ?? ''] ?? phrase('answered'),
                        answeredBy: r.answeredBy ? phrase(' by {answeredBy}', { answeredBy: r.answeredBy }) : '',
                        span: <span className={lateLook[r.late]}>{waited(r.waitedMinutes, first?.dayMinutes ?? 510)}</span>,
                        late: r.late > 0 && <span className="sr-only"> ({lateWords[r.late]})</span>,
                      }}
                    />
                  </span>
                </span>
              </div>
            ))}
          {answered.hasNextPage && (
            <p className="row">
              <Button onClick={() => answered.fetchNextPage()} disabled={answered.isFetchingNextPage}>
                {phrase('earlier ones')}
              </Button>
            </p>
          )}
          {first && first.rows.length === 0 && <Empty>{phrase('Nobody has been answered yet.')}</Empty>}
        </>
      )}
    </section>
  );
}
