import { useId, useState } from 'react';
import type { Schemas } from '../../api/client';
import { useSession } from '../../app/session';
import { Button, Field, fieldError, Trouble } from '../../ui/bits';
import { PictureChooser } from '../../ui/PictureChooser';
import { phrase } from '../../words/phrase';

export type PostBody = Schemas['PostBody'];

/** A post as it is written: words, a picture, where, on which day, by whom. */
export function PostForm({
  post,
  set,
  places,
  gateway,
  error,
  press,
  busy,
  take: done,
  leave,
}: {
  post: PostBody;
  set: (part: Partial<PostBody>) => void;
  places: readonly string[];
  gateway: string | null;
  error: unknown;
  press: string;
  busy: boolean;
  take: () => void;
  leave?: () => void;
}) {
  const members = useSession().data?.members ?? [];
  const own = useSession().data?.member?.id;
  const known = useId();
  const [trouble, setTrouble] = useState<unknown>();
  const named = ['words', 'on', 'picture', 'member', 'byItself'].some((f) => fieldError(error, f));
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault();
        done();
      }}
    >
      <Field label={phrase('Words')} error={fieldError(error, 'words')}>
        {(id, by) => (
          <textarea
            id={id}
            aria-describedby={by}
            rows={4}
            className="w-full font-serif"
            value={post.words}
            onChange={(e) => set({ words: e.target.value })}
          />
        )}
      </Field>
      <div className="mb-3 flex flex-wrap items-end gap-x-4 gap-y-2">
        <Field label={phrase('On')} error={fieldError(error, 'on')}>
          {(id, by) => <input id={id} aria-describedby={by} type="date" value={post.on} onChange={(e) => set({ on: e.target.value })} />}
        </Field>
        <Field label={phrase('Where it is to stand')}>
          {(id) => (
            <input
              id={id}
              list={known}
              maxLength={200}
              placeholder={phrase('our window, the paper')}
              value={post.place}
              onChange={(e) => set({ place: e.target.value })}
            />
          )}
        </Field>
        <datalist id={known}>
          {places.map((p) => (
            <option key={p} value={p} />
          ))}
        </datalist>
        <Field label={phrase('Who puts it there')} error={fieldError(error, 'byItself') ?? fieldError(error, 'member')}>
          {(id, by) => (
            <select
              id={id}
              aria-describedby={by}
              value={post.byItself ? 'gateway' : (post.member ?? own ?? '')}
              onChange={(e) =>
                set(e.target.value === 'gateway' ? { byItself: true, member: own ?? null } : { byItself: false, member: e.target.value })
              }
            >
              {members.map((m) => (
                <option key={m.id} value={m.id}>
                  {m.name}
                </option>
              ))}
              {(gateway || post.byItself) && <option value="gateway">{phrase('it goes by itself')}</option>}
            </select>
          )}
        </Field>
      </div>
      <div className="mb-3 flex flex-wrap items-center gap-x-4 gap-y-2 text-small">
        {post.picture && <img src={post.picture} alt={post.pictureWords || phrase('Its picture')} className="max-h-24 max-w-full" />}
        <PictureChooser
          picture={post.picture}
          label={phrase('The picture of the post')}
          words={[phrase('a picture'), phrase('another picture')]}
          without={phrase('without')}
          set={(picture) => set({ picture })}
          trouble={setTrouble}
        />
        {post.picture && (
          <input
            aria-label={phrase('What the picture shows')}
            placeholder={phrase('what it shows, for those who do not see it')}
            maxLength={400}
            className="min-w-0 flex-1"
            value={post.pictureWords}
            onChange={(e) => set({ pictureWords: e.target.value })}
          />
        )}
        <label className="inline-flex items-center gap-2">
          <input type="checkbox" checked={post.inFeed} onChange={(e) => set({ inFeed: e.target.checked })} />
          {phrase('in our feed once it stands')}
        </label>
      </div>
      <Trouble error={trouble} />
      {!named && <Trouble error={error} />}
      {fieldError(error, 'picture') && <p className="text-small text-ember">{fieldError(error, 'picture')}</p>}
      <p className="flex flex-wrap gap-4">
        <Button type="submit" look="main" disabled={busy || !post.words.trim()}>
          {press}
        </Button>
        {leave && <Button onClick={leave}>{phrase('leave it')}</Button>}
      </p>
    </form>
  );
}
