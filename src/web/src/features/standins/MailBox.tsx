import { useInfiniteQuery, useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { toast } from 'sonner';
import { api, take } from '../../api/client';
import { useNow } from '../../app/session';
import { Button, Empty, Field, fieldError, Loading, Trouble } from '../../ui/bits';
import { DayPage, PageHead } from '../../ui/DayPage';
import { day, time } from '../../ui/when';

/** What the mail stand-in took: readable as mail, raw source included. */
export default function MailBox() {
  const { zone, now } = useNow();
  const [search, setSearch] = useState('');
  const [picked, setPicked] = useState<number>();
  const box = useInfiniteQuery({
    queryKey: ['mail', search],
    initialPageParam: undefined as number | undefined,
    queryFn: ({ pageParam }) =>
      take(api.GET('/api/stand-ins/mail', { params: { query: { before: pageParam, search: search || undefined } } })),
    getNextPageParam: (page) => (page && page.messages.length === 50 ? page.messages.at(-1)?.number : undefined),
    placeholderData: (before) => before,
  });
  const rows = box.data?.pages.flatMap((p) => p?.messages ?? []) ?? [];
  return (
    <DayPage marginTitle="The message" margin={picked ? <Message number={picked} /> : <Nothing />}>
      <PageHead
        title="Mail that went out"
        aside={box.data && `${box.data.pages[0]?.total.toLocaleString('en-US')} messages at the stand-in; none of them left this machine`}
      >
        <input
          aria-label="Search recipients and subjects"
          placeholder="recipient or subject"
          className="mt-3 w-64 text-small"
          value={search}
          onChange={(e) => setSearch(e.target.value)}
        />
      </PageHead>
      {box.error && (
        <div className="px-7">
          <Trouble error={box.error} />
        </div>
      )}
      {box.isPending ? (
        <Loading />
      ) : (
        rows.length === 0 && <Empty>{search ? 'No message fits.' : 'No mail yet. Switch a program on and let time pass.'}</Empty>
      )}
      {rows.map((m, i) => (
        <button
          key={m.number}
          type="button"
          className={`row !flex items-baseline gap-4 ${picked === m.number ? 'on' : ''}`}
          onClick={() => setPicked(m.number)}
          aria-pressed={picked === m.number}
        >
          <span className="gutter">{i > 0 && day(rows[i - 1]?.date ?? '', zone) === day(m.date, zone) ? '' : day(m.date, zone, now)}</span>
          <span className="flex-1 font-serif">{m.subject}</span>
          <span className="max-w-64 truncate text-small text-soft">to {m.to.replace(/^"([^"]*)" <.*$/, '$1')}</span>
          <span className="w-11 text-right text-small text-soft">{time(m.date, zone)}</span>
        </button>
      ))}
      {box.hasNextPage && (
        <div className="row">
          <Button onClick={() => box.fetchNextPage()}>earlier</Button>
        </div>
      )}
    </DayPage>
  );
}

function Nothing() {
  return (
    <>
      <h3>The message</h3>
      <p className="mt-1">Pick one to read it as its recipient would, or as it went over the wire.</p>
    </>
  );
}

function Message({ number }: { number: number }) {
  const [view, setView] = useState<'letter' | 'text' | 'source'>('letter');
  const opened = useQuery({
    queryKey: ['mail', 'opened', number],
    queryFn: () => take(api.GET('/api/stand-ins/mail/{number}', { params: { path: { number } } })),
  });
  const source = useQuery({
    queryKey: ['mail', 'source', number],
    enabled: view === 'source',
    queryFn: async () => (await fetch(`/api/stand-ins/mail/${number}/source`)).text(),
  });
  if (opened.error) return <Trouble error={opened.error} />;
  if (!opened.data) return <p role="status">Opening …</p>;
  const m = opened.data;
  const shown = ['from', 'to', 'date', 'message-id', 'list-unsubscribe', 'list-unsubscribe-post'];
  return (
    <>
      <h2>{m.message.subject}</h2>
      <dl className="kv !grid-cols-[84px_minmax(0,1fr)]">
        {m.headers
          .filter(([name]) => shown.includes((name ?? '').toLowerCase()))
          .map(([name, value]) => (
            <div key={name} className="contents">
              <dt className="truncate" title={name}>
                {name}
              </dt>
              <dd>{value}</dd>
            </div>
          ))}
      </dl>
      <div className="mb-2 flex gap-4" role="tablist" aria-label="How to read it">
        {(['letter', 'text', 'source'] as const).map((v) => (
          <button
            key={v}
            type="button"
            role="tab"
            aria-selected={view === v}
            className={view === v ? 'font-semibold text-ink' : 'text-leaf'}
            onClick={() => setView(v)}
          >
            {v === 'letter' ? 'as a letter' : v === 'text' ? 'plain text' : 'raw source'}
          </button>
        ))}
      </div>
      {view === 'letter' && (
        <iframe
          title={`Message: ${m.message.subject}`}
          sandbox="allow-popups allow-popups-to-escape-sandbox"
          srcDoc={withTargets(m.html)}
          className="h-[420px] w-full border border-rule bg-white"
        />
      )}
      {view === 'text' && (
        // biome-ignore lint/a11y/noNoninteractiveTabindex: a scrolling region must be reachable by keyboard
        <pre className="border border-rule bg-sheet p-3 font-sans whitespace-pre-wrap text-ink" tabIndex={0}>
          {m.text}
        </pre>
      )}
      {view === 'source' && (
        // biome-ignore lint/a11y/noNoninteractiveTabindex: a scrolling region must be reachable by keyboard
        <pre className="max-h-[480px] overflow-auto border border-rule bg-sheet p-3 text-[11px] text-ink" tabIndex={0}>
          {source.data ?? '…'}
        </pre>
      )}
      <Answer key={number} number={number} />
    </>
  );
}

/** Answering as whoever got the message would; it comes in by SMTP like any other answer. */
function Answer({ number }: { number: number }) {
  const [text, setText] = useState('');
  const answer = useMutation({
    mutationFn: () => take(api.POST('/api/stand-ins/mail/{number}/answer', { params: { path: { number } }, body: { text } })),
    onSuccess: () => {
      setText('');
      toast('Answered. It stands under Today in a moment.');
    },
  });
  return (
    <form
      className="mt-3"
      onSubmit={(e) => {
        e.preventDefault();
        answer.mutate();
      }}
    >
      <Field label="Answer as they would" error={fieldError(answer.error, 'text')}>
        {(id, by) => (
          <textarea
            id={id}
            aria-describedby={by}
            rows={3}
            className="w-full font-serif text-ink"
            value={text}
            onChange={(e) => setText(e.target.value)}
          />
        )}
      </Field>
      <Trouble error={fieldError(answer.error, 'text') ? null : answer.error} />
      <Button type="submit" disabled={!text.trim() || answer.isPending}>
        Answer
      </Button>
    </form>
  );
}

/** Links in the shown letter open beside the page, as in a mail program. */
function withTargets(html: string) {
  return html.replace('<head>', '<head><base target="_blank">');
}
