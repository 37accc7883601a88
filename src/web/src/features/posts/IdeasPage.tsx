import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Link, useNavigate } from 'react-router';
import { toast } from 'sonner';
import { api, type Schemas, take } from '../../api/client';
import { useNow } from '../../app/session';
import { Button, Empty, Field, fieldError, Loading, Trouble } from '../../ui/bits';
import { DayPage, PageHead, Stretch } from '../../ui/DayPage';
import { keep } from '../../ui/kept';
import { useKeys } from '../../ui/keys';
import { date, nearDay } from '../../ui/when';
import { phrase } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';

type Ideas = Schemas['IdeasDto'];

/** What others write, read for ideas: feeds of theirs, one line after another, and from a line to a post of one’s own. */
export default function IdeasPage() {
  const queries = useQueryClient();
  const go = useNavigate();
  const { now, zone } = useNow();
  const ideas = useQuery({ queryKey: ['ideas'], queryFn: () => take(api.GET('/api/ideas')) });
  const [picked, setPicked] = useState<string>();
  const put = (all: Ideas) => queries.setQueryData(['ideas'], all);
  const all = ideas.data?.ideas ?? [];
  const at = Math.max(
    0,
    all.findIndex((i) => i.id === picked),
  );
  const idea = all[at];
  const step = (by: number) => {
    const to = all[Math.min(Math.max(at + by, 0), all.length - 1)];
    setPicked(to?.id);
    document.getElementById(`idea-${to?.id}`)?.querySelector<HTMLElement>('[data-pick]')?.focus();
  };
  const write = () => {
    if (!idea) return;
    keep('posts.new', { words: idea.address ? `${idea.title}\n\n${idea.address}` : idea.title });
    go('/posts');
  };
  useKeys({ j: () => step(1), k: () => step(-1), ArrowDown: () => step(1), ArrowUp: () => step(-1), w: write });
  if (ideas.isPending) return <Loading what={phrase('Reading what others write')} />;
  return (
    <DayPage
      marginTitle={phrase('The idea')}
      margin={
        idea ? (
          <section aria-label={phrase('The idea')}>
            <h3>{idea.title}</h3>
            <p className="text-small text-soft">
              {idea.feed}, {nearDay(idea.at, zone, now)}
            </p>
            <p className="mt-2 font-serif whitespace-pre-line">{idea.words}</p>
            <p className="mt-3 flex flex-wrap gap-4 text-small">
              <Button look="main" onClick={write}>
                <kbd>w</kbd> {phrase('Write a post of it')}
              </Button>
              {idea.address && (
                <a href={idea.address} target="_blank" rel="noreferrer noopener" className="inline-flex min-h-6 items-center">
                  {phrase('read it there')}
                </a>
              )}
            </p>
          </section>
        ) : (
          <p className="text-small text-soft">
            {phrase('Feeds of others bring ideas here. Only their words are kept, without anything that could run.')}
          </p>
        )
      }
    >
      <PageHead title={phrase('Ideas')} aside={<Link to="/posts">{phrase('Posts')}</Link>} />
      <div className="px-7 max-[699px]:px-4">
        <Trouble error={ideas.error} />
      </div>
      <FeedList feeds={ideas.data?.feeds ?? []} put={put} />
      <Stretch title={phrase('What they write')} />
      {all.length === 0 && <Empty>{phrase('Nothing yet. Give the address of a feed above.')}</Empty>}
      {all.map((i) => (
        <div
          key={i.id}
          id={`idea-${i.id}`}
          className={`row flex items-baseline gap-4 ${i.id === idea?.id ? 'on' : ''}`}
          aria-current={i.id === idea?.id}
        >
          <span className="gutter">{date(i.at, zone) === date(now, zone) ? phrase('today') : nearDay(i.at, zone, now)}</span>
          <button type="button" data-pick className="min-w-0 flex-1 text-left" onClick={() => setPicked(i.id)}>
            <span className="font-serif">{i.title}</span> <span className="text-small text-soft">{i.feed}</span>
          </button>
        </div>
      ))}
      <p className="border-t border-rule px-7 py-3 text-small text-soft">
        <Sentence
          m="{kbd} {kbd2} go through · {kbd3} writes a post of it"
          v={{ kbd: <kbd>j</kbd>, kbd2: <kbd>k</kbd>, kbd3: <kbd>w</kbd> }}
        />
      </p>
    </DayPage>
  );
}

function FeedList({ feeds, put }: { feeds: Schemas['IdeaFeedDto'][]; put: (all: Ideas) => void }) {
  const [address, setAddress] = useState('');
  const add = useMutation({
    meta: { says: () => phrase('a feed') },
    mutationFn: () => take(api.POST('/api/ideas', { body: { address } })),
    onSuccess: (all) => {
      setAddress('');
      put(all);
    },
  });
  const remove = useMutation({
    meta: { says: () => phrase('a feed taken out') },
    mutationFn: (id: string) => take(api.DELETE('/api/ideas/{id}', { params: { path: { id } } })),
    onSuccess: put,
    onError: (e) => toast.error(e.message),
  });
  return (
    <>
      {feeds.map((f) => (
        <div key={f.id} className="row flex flex-wrap items-baseline gap-x-4 text-small">
          <span className="min-w-0 flex-1">
            {f.title} <span className="text-soft">{f.address}</span>
            {f.problem && (
              <span className="block text-ember">{phrase('It could not be read last: {problem}', { problem: f.problem })}</span>
            )}
          </span>
          <Button
            look="plain"
            disabled={remove.isPending}
            aria-label={phrase('Take “{title}” out', { title: f.title })}
            onClick={() => remove.mutate(f.id)}
          >
            {phrase('take out')}
          </Button>
        </div>
      ))}
      <form
        className="row flex flex-wrap items-end gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          if (address.trim()) add.mutate();
        }}
      >
        <Field label={phrase('Address of a feed (RSS 2.0, Atom)')} error={fieldError(add.error, 'address')}>
          {(id, by) => (
            <input
              id={id}
              aria-describedby={by}
              className="w-80 max-w-full"
              placeholder="https://news.example.com/feed.xml"
              value={address}
              onChange={(e) => setAddress(e.target.value)}
            />
          )}
        </Field>
        <Button type="submit" look="main" disabled={!address.trim() || add.isPending}>
          {add.isPending ? phrase('Reading it …') : phrase('Read it')}
        </Button>
        {!fieldError(add.error, 'address') && <Trouble error={add.error} />}
      </form>
    </>
  );
}
