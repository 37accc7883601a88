import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'react-router';
import { toast } from 'sonner';
import { api, type Schemas, take } from '../../api/client';
import { useMay, useMemberName, useNow } from '../../app/session';
import { Button, Empty, Field, fieldError, Loading, Trouble } from '../../ui/bits';
import { DayPage, PageHead, Stretch } from '../../ui/DayPage';
import { useKeptEdit } from '../../ui/kept';
import { useKeys } from '../../ui/keys';
import { said } from '../../ui/undo';
import { dayName, nearDay } from '../../ui/when';
import { phrase } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';
import { copyWords, PostActs, PostPicture } from './PostActs';
import { type PostBody, PostForm } from './PostForm';

type Post = Schemas['PostDto'];
type Posts = Schemas['PostsDto'];

/** Posts: words and a picture for a public place, on their day; those that stand, and the practice’s feed of them. */
export default function PostsPage() {
  const queries = useQueryClient();
  const { now, zone } = useNow();
  const posts = useQuery({ queryKey: ['posts'], queryFn: () => take(api.GET('/api/posts')) });
  const [picked, setPicked] = useState<string>();
  const put = (all: Posts) => {
    queries.setQueryData(['posts'], all);
    for (const key of ['today', 'almanac']) queries.invalidateQueries({ queryKey: [key] });
  };
  const all = posts.data ? [...posts.data.coming, ...posts.data.standing] : [];
  const at = Math.max(
    0,
    all.findIndex((p) => p.id === picked),
  );
  const post = all[at];
  const step = (by: number) => {
    const to = all[Math.min(Math.max(at + by, 0), all.length - 1)];
    setPicked(to?.id);
    document.getElementById(`post-${to?.id}`)?.querySelector<HTMLElement>('[data-pick]')?.focus();
  };
  useKeys({
    j: () => step(1),
    k: () => step(-1),
    ArrowDown: () => step(1),
    ArrowUp: () => step(-1),
    c: () => post && copyWords(post.words),
  });
  if (posts.isPending) return <Loading what={phrase('Opening the posts')} />;
  const data = posts.data;
  if (!data) return <Trouble error={posts.error} />;
  const line = (p: Post) => (
    <div
      key={p.id}
      id={`post-${p.id}`}
      className={`row flex items-baseline gap-4 ${p.id === post?.id ? 'on' : ''}`}
      aria-current={p.id === post?.id}
    >
      <span className={`gutter ${!p.doneAt && p.on < data.today ? '!text-ember' : ''}`}>
        {p.doneAt ? nearDay(p.doneAt, zone, now) : dayName(p.on, data.today)}
      </span>
      <button type="button" data-pick className="min-w-0 flex-1 text-left" onClick={() => setPicked(p.id)}>
        <span className="line-clamp-2 font-serif">{p.words}</span>
        <span className="block text-small text-soft">
          {[
            p.place,
            p.picture && phrase('with a picture'),
            p.byItself && !p.doneAt && phrase('goes by itself'),
            p.program && phrase('by {program}', { program: p.program }),
            p.person?.name,
          ]
            .filter(Boolean)
            .join(' · ')}
        </span>
        {p.problem && <span className="block text-small text-ember">{p.problem}</span>}
      </button>
    </div>
  );
  return (
    <DayPage
      marginTitle={phrase('The post')}
      margin={post ? <PostMargin key={post.id} post={post} posts={data} put={put} /> : <p>{phrase('Nothing is picked.')}</p>}
    >
      <PageHead
        title={phrase('Posts')}
        aside={
          <>
            <Link to="/posts/ideas">{phrase('Ideas')}</Link> · <Link to="/">{phrase('Today')}</Link>
          </>
        }
      />
      <NewPost posts={data} put={put} />
      <Stretch
        title={phrase('To come')}
        note={data.coming.length > 0 ? phrase('{coming, plural, one {# post} other {# posts}}', { coming: data.coming.length }) : undefined}
      />
      {data.coming.length === 0 && <Empty>{phrase('None is to come. Written above, it stands on the day sheet on its day.')}</Empty>}
      {data.coming.map(line)}
      {data.standing.length > 0 && <Stretch title={phrase('Standing')} />}
      {data.standing.map(line)}
      <Where posts={data} put={put} />
      <p className="border-t border-rule px-7 py-3 text-small text-soft">
        <Sentence m="{kbd} {kbd2} go through · {kbd3} copies the words" v={{ kbd: <kbd>j</kbd>, kbd2: <kbd>k</kbd>, kbd3: <kbd>c</kbd> }} />
      </p>
    </DayPage>
  );
}

const blank = (today: string): PostBody => ({
  words: '',
  picture: null,
  pictureWords: '',
  place: '',
  on: today,
  member: null,
  byItself: false,
  inFeed: true,
});

function NewPost({ posts, put }: { posts: Posts; put: (all: Posts) => void }) {
  const draft = useKeptEdit<PostBody>('posts.new', blank(posts.today));
  const [open, setOpen] = useState(draft.found);
  const add = useMutation({
    meta: { says: (body: PostBody) => phrase('a post: {words}', { words: body.words }) },
    mutationFn: (body: PostBody) => take(api.POST('/api/posts', { body })),
    onSuccess: (all) => {
      put(all);
      draft.done();
      setOpen(false);
    },
  });
  if (!open)
    return (
      <p className="row">
        <Button look="main" onClick={() => setOpen(true)}>
          {phrase('Write a post')}
        </Button>
      </p>
    );
  return (
    <div className="border-t border-rule px-7 py-3 max-[699px]:px-4">
      <PostForm
        post={draft.value}
        set={draft.set}
        places={posts.places}
        gateway={posts.gateway}
        error={add.error}
        press={phrase('Keep it for its day')}
        busy={add.isPending}
        take={() => add.mutate(draft.value)}
        leave={() => {
          draft.done();
          setOpen(false);
        }}
      />
    </div>
  );
}

const bodyOf = (p: Post): PostBody => ({
  words: p.words,
  picture: p.picture,
  pictureWords: p.pictureWords,
  place: p.place,
  on: p.on,
  member: p.memberId,
  byItself: p.byItself,
  inFeed: p.inFeed,
});

function PostMargin({ post: p, posts, put }: { post: Post; posts: Posts; put: (all: Posts) => void }) {
  const name = useMemberName();
  const { now, zone } = useNow();
  const [edit, setEdit] = useState<PostBody>();
  const path = { params: { path: { id: p.id } } };
  const save = useMutation({
    meta: { says: () => phrase('a post in other words') },
    mutationFn: (body: PostBody) => take(api.PUT('/api/posts/{id}', { ...path, body })),
    onSuccess: (all) => {
      const before = bodyOf(p);
      put(all);
      setEdit(undefined);
      said(phrase('It is kept.'), () => take(api.PUT('/api/posts/{id}', { ...path, body: before })).then(put));
    },
  });
  const remove = useMutation({
    meta: { says: () => phrase('a post taken out') },
    mutationFn: () => take(api.DELETE('/api/posts/{id}', path)),
    onSuccess: (all) => {
      const before = bodyOf(p);
      put(all);
      said(phrase('The post is taken out.'), () => take(api.POST('/api/posts', { body: before })).then(put));
    },
    onError: (e) => toast.error(e.message),
  });
  const again = useMutation({
    meta: { says: () => phrase('a post tried again') },
    mutationFn: () => take(api.POST('/api/posts/{id}/again', path)),
    onSuccess: (all) => {
      put(all);
      toast(phrase('The gateway is asked again within a minute.'));
    },
    onError: (e) => toast.error(e.message),
  });
  if (edit)
    return (
      <PostForm
        post={edit}
        set={(part) => setEdit({ ...edit, ...part })}
        places={posts.places}
        gateway={posts.gateway}
        error={save.error}
        press={phrase('Keep it so')}
        busy={save.isPending}
        take={() => save.mutate(edit)}
        leave={() => setEdit(undefined)}
      />
    );
  return (
    <section aria-label={phrase('The post')}>
      <p className="m-0 font-serif whitespace-pre-line">{p.words}</p>
      <PostPicture post={p} />
      <p className="mt-3 flex flex-wrap items-baseline gap-x-4 text-small">
        <PostActs post={p} />
        {!p.person && !p.doneAt && <Button onClick={() => setEdit(bodyOf(p))}>{phrase('in other words')}</Button>}
        {!p.person && (
          <Button look="danger" disabled={remove.isPending} onClick={() => remove.mutate()}>
            {phrase('take it out')}
          </Button>
        )}
        {p.byItself && p.problem && (
          <Button disabled={again.isPending} onClick={() => again.mutate()}>
            {phrase('try again')}
          </Button>
        )}
      </p>
      <p className="mt-3 text-small text-soft">
        {p.doneAt
          ? phrase('It stands since {doneAt}', { doneAt: nearDay(p.doneAt, zone, now) })
          : p.byItself
            ? phrase('It goes by itself')
            : p.memberId
              ? phrase('{memberId} puts it there', { memberId: name(p.memberId) })
              : phrase('It stands on the sheet')}
        {p.place && `, ${p.place}`}
        {!p.doneAt && phrase(' on {on}', { on: dayName(p.on, posts.today) })}
        {p.inFeed ? phrase('. Our feed shows it.') : phrase('. It is not in our feed.')}
      </p>
      {p.address && (
        <p className="text-small">
          <a href={p.address} target="_blank" rel="noreferrer">
            {phrase('Where it stands')}
          </a>
        </p>
      )}
      {p.problem && <p className="text-small text-ember">{p.problem}</p>}
      {p.person && (
        <p className="text-small text-soft">
          <Sentence m="A program wrote it about {link}." v={{ link: <Link to={`/people/${p.person.id}`}>{p.person.name}</Link> }} />
        </p>
      )}
    </section>
  );
}

/** Where posts go by themselves, and where others read them. */
function Where({ posts, put }: { posts: Posts; put: (all: Posts) => void }) {
  const may = useMay('change-settings');
  const [address, setAddress] = useState(posts.gateway ?? '');
  const [token, setToken] = useState('');
  const save = useMutation({
    meta: { says: () => phrase('the gateway') },
    mutationFn: (to: string) => take(api.PUT('/api/posts/gateway', { body: { address: to, token: token || null } })),
    onSuccess: (all) => {
      put(all);
      setToken('');
      setAddress(all.gateway ?? '');
      toast(all.gateway ? phrase('Posts that go by themselves go there.') : phrase('No post goes by itself any more.'));
    },
  });
  return (
    <section aria-label={phrase('Where posts go')}>
      <Stretch title={phrase('Where posts go')} />
      <p className="row text-small">
        <Sentence
          m="Others read what stands at {a} <span>(an Atom feed, for everybody)</span>"
          v={{
            a: (
              <a href={posts.feed} target="_blank" rel="noreferrer">
                {posts.feed}
              </a>
            ),
            span: (c) => <span className="text-soft">{c}</span>,
          }}
        />
      </p>
      {!may && (
        <p className="row text-small text-soft">
          {posts.gateway
            ? phrase('Posts go by themselves to {gateway}', { gateway: posts.gateway })
            : phrase('No post goes by itself: there is no gateway.')}
        </p>
      )}
      {may && (
        <form
          className="row flex flex-wrap items-end gap-3"
          onSubmit={(e) => {
            e.preventDefault();
            save.mutate(address);
          }}
        >
          <Field label={phrase('A gateway for those that go by themselves')} error={fieldError(save.error, 'address')}>
            {(id, by) => (
              <input
                id={id}
                aria-describedby={by}
                className="w-80 max-w-full"
                placeholder="https://posts.example.com/"
                value={address}
                onChange={(e) => setAddress(e.target.value)}
              />
            )}
          </Field>
          <Field label={phrase('Its token, if it has one')}>
            {(id) => (
              <input
                id={id}
                type="password"
                autoComplete="off"
                placeholder={posts.gateway ? phrase('as it is') : ''}
                value={token}
                onChange={(e) => setToken(e.target.value)}
              />
            )}
          </Field>
          <Button type="submit" disabled={save.isPending || (address === (posts.gateway ?? '') && !token)}>
            {phrase('Keep it so')}
          </Button>
          {!fieldError(save.error, 'address') && <Trouble error={save.error} />}
        </form>
      )}
    </section>
  );
}
