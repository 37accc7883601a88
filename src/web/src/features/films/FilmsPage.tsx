import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useRef, useState } from 'react';
import { Link } from 'react-router';
import { toast } from 'sonner';
import { api, type Schemas, take, upload } from '../../api/client';
import { useMay, useNow } from '../../app/session';
import { Button, Empty, Field, fieldError, Loading, Trouble } from '../../ui/bits';
import { DayPage, PageHead, Stretch } from '../../ui/DayPage';
import { useKeys } from '../../ui/keys';
import { PictureChooser } from '../../ui/PictureChooser';
import { size } from '../../ui/size';
import { said } from '../../ui/undo';
import { nearDay } from '../../ui/when';
import { phrase } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';
import { KeptLinks } from '../letters/KeptLinks';
import { stillOf } from './stillOf';

type Film = Schemas['FilmDto'];
type Body = Schemas['FilmBody'];

/** Films: a word by film on a page with its reader’s name; who saw what of it. */
export default function FilmsPage() {
  const queries = useQueryClient();
  const may = useMay('write-programs');
  const { now, zone } = useNow();
  const chooser = useRef<HTMLInputElement>(null);
  const [picked, setPicked] = useState<string>();
  const films = useQuery({ queryKey: ['films'], queryFn: () => take(api.GET('/api/films')) });
  const put = (all: Film[]) => queries.setQueryData(['films'], all);
  const bring = useMutation({
    mutationFn: async (chosen: File) => {
      const film = await upload<Film>('/api/films', chosen);
      // A still that cannot be drawn is chosen by hand.
      const still = await stillOf(chosen).catch(() => null);
      if (!still) return film;
      const { url } = await upload<Schemas['ImageDto']>('/api/images', still);
      const all = await take(api.PUT('/api/films/{id}', { params: { path: { id: film.id } }, body: { ...bodyOf(film), still: url } }));
      return all.find((f) => f.id === film.id) ?? film;
    },
    onSuccess: (film) => {
      setPicked(film.id);
      return queries.invalidateQueries({ queryKey: ['films'] });
    },
  });
  const all = films.data ?? [];
  const at = Math.max(
    0,
    all.findIndex((f) => f.id === picked),
  );
  const film = all[at];
  const step = (by: number) => setPicked(all[Math.min(Math.max(at + by, 0), all.length - 1)]?.id);
  useKeys({ j: () => step(1), k: () => step(-1), ArrowDown: () => step(1), ArrowUp: () => step(-1) });
  return (
    <DayPage
      marginTitle={phrase('The film')}
      margin={
        film ? (
          <FilmMargin key={film.id} film={film} put={put} may={may} />
        ) : (
          <p className="text-small text-soft">
            {phrase(
              'A word by film goes further than a letter. It stands on a page with the name of whoever the letter went to, and yours below.',
            )}
          </p>
        )
      }
    >
      <PageHead title={phrase('Films')} aside={<KeptLinks />} />
      {may && (
        // biome-ignore lint/a11y/noStaticElementInteractions: a film may be dropped on it; the button does the same
        <div
          className="mx-7 mb-3 border border-dashed border-rule px-4 py-3"
          onDragOver={(e) => e.preventDefault()}
          onDrop={(e) => {
            e.preventDefault();
            const dropped = e.dataTransfer.files[0];
            if (dropped) bring.mutate(dropped);
          }}
        >
          <Button disabled={bring.isPending} onClick={() => chooser.current?.click()}>
            {bring.isPending ? phrase('Bringing it in …') : phrase('Bring a film in')}
          </Button>{' '}
          <span className="text-small text-soft">{phrase('or drop it here: MP4 (H.264) or WebM, up to 100 MB')}</span>
          <input
            ref={chooser}
            type="file"
            accept="video/mp4,video/webm"
            className="sr-only"
            aria-label={phrase('A film to bring in')}
            tabIndex={-1}
            onChange={(e) => {
              const chosen = e.target.files?.[0];
              e.target.value = '';
              if (chosen) bring.mutate(chosen);
            }}
          />
          <Trouble error={bring.error} />
        </div>
      )}
      <div className="px-7">
        <Trouble error={films.error} />
      </div>
      <Stretch title={phrase('Here')} />
      {films.isPending && <Loading what={phrase('Opening the films')} />}
      {films.data && all.length === 0 && <Empty>{phrase('None is here yet. Half a minute from your telephone is enough.')}</Empty>}
      {all.map((f) => (
        <div key={f.id} className={`row flex items-center gap-4 ${f.id === film?.id ? 'on' : ''}`} aria-current={f.id === film?.id}>
          <span className="gutter">{f.length}</span>
          {f.still ? <img src={f.still} alt="" className="h-12 w-20 object-cover" /> : <span className="h-12 w-20 bg-rule" />}
          <button type="button" data-pick className="min-w-0 flex-1 text-left" onClick={() => setPicked(f.id)}>
            <span className="font-serif">{f.name}</span>
            <span className="block text-small text-soft">
              {f.seen > 0
                ? phrase('seen by {seen, plural, one {# person} other {# people}}', { seen: f.seen })
                : phrase('nobody has seen it yet')}
              {f.seenByOthers > 0 &&
                phrase(', and {seenByOthers, plural, one {# time} other {# times}} by others', { seenByOthers: f.seenByOthers })}{' '}
              · {size(f.bytes)} · {f.by}, {nearDay(f.at, zone, now)}
            </span>
          </button>
        </div>
      ))}
    </DayPage>
  );
}

const bodyOf = (f: Film): Body => ({ edition: f.edition, name: f.name, words: f.words, still: f.still });

function FilmMargin({ film: f, put, may }: { film: Film; put: (all: Film[]) => void; may: boolean }) {
  const { now, zone } = useNow();
  const [trouble, setTrouble] = useState<unknown>();
  const [asking, setAsking] = useState(false);
  const path = { params: { path: { id: f.id } } };
  const seen = useQuery({ queryKey: ['films', f.id, 'seen'], queryFn: () => take(api.GET('/api/films/{id}/seen', path)) });
  const save = useMutation({
    meta: { says: () => phrase('the film “{name}”', { name: f.name }) },
    mutationFn: (body: Body) => take(api.PUT('/api/films/{id}', { ...path, body })),
    onSuccess: put,
  });
  const remove = useMutation({
    meta: { says: () => phrase('the film “{name}” taken out', { name: f.name }) },
    mutationFn: () => take(api.DELETE('/api/films/{id}', path)),
    onSuccess: put,
    onError: (e) => toast.error(e.message),
  });
  const change = (part: Partial<Body>) => {
    const before = bodyOf(f);
    save.mutate(
      { ...before, ...part },
      {
        onSuccess: (all) => {
          const edition = all.find((x) => x.id === f.id)?.edition ?? before.edition;
          said(phrase('It is kept.'), () => save.mutateAsync({ ...before, edition }));
        },
      },
    );
  };
  const copy = () =>
    navigator.clipboard
      ? navigator.clipboard.writeText(f.address).then(() => toast(phrase('Its address is copied.')))
      : toast(phrase('Its address: {address}', { address: f.address }));
  return (
    <section aria-label={phrase('The film')}>
      <video controls preload="none" poster={f.still ?? undefined} src={`${f.path}/film`} className="w-full bg-black" aria-label={f.name}>
        <track kind="captions" />
      </video>
      <p className="mt-3 flex flex-wrap gap-x-4 text-small">
        <Button look="main" onClick={copy}>
          {phrase('Copy its address')}
        </Button>
        <a href={f.path} target="_blank" rel="noreferrer" className="inline-flex min-h-6 items-center">
          {phrase('its page')}
        </a>
      </p>
      <p className="mt-1 mb-4 text-small text-soft">
        <Sentence
          m="In a letter, <b>Put in</b>, <b>a film</b> sets its still with a button below; in a text stands its address. Whoever follows either sees it with their first name."
          v={{ b: (c) => <b>{c}</b> }}
        />
      </p>
      {may && (
        <>
          <Field label={phrase('Name')} error={fieldError(save.error, 'name')}>
            {(id, by) => (
              <input
                id={id}
                aria-describedby={by}
                className="w-full"
                maxLength={200}
                key={f.name}
                defaultValue={f.name}
                onBlur={(e) => e.target.value.trim() !== f.name && change({ name: e.target.value })}
              />
            )}
          </Field>
          <Field label={phrase('Words below it')}>
            {(id) => (
              <textarea
                id={id}
                rows={3}
                className="w-full font-serif"
                key={f.words}
                defaultValue={f.words}
                onBlur={(e) => e.target.value.trim() !== f.words && change({ words: e.target.value })}
              />
            )}
          </Field>
          <p className="flex flex-wrap gap-x-4 text-small">
            <PictureChooser
              picture={f.still}
              label={phrase('The still of the film')}
              words={[phrase('a still'), phrase('another still')]}
              without={phrase('without a still')}
              set={(still) => change({ still })}
              trouble={setTrouble}
            />
            {asking ? (
              <>
                <Button look="danger" disabled={remove.isPending} onClick={() => remove.mutate()}>
                  {phrase('take it out for good: links to it lead nowhere then')}
                </Button>
                <Button onClick={() => setAsking(false)}>{phrase('leave it')}</Button>
              </>
            ) : (
              <Button look="danger" onClick={() => setAsking(true)}>
                {phrase('take it out')}
              </Button>
            )}
          </p>
          <Trouble error={trouble} />
          {!fieldError(save.error, 'name') && <Trouble error={save.error} />}
        </>
      )}
      <h3 className="mt-5">{phrase('Who saw it')}</h3>
      <Trouble error={seen.error} />
      {seen.data?.length === 0 && <p className="text-small text-soft">{phrase('Nobody that we know of yet.')}</p>}
      <ul className="m-0 list-none space-y-1 p-0">
        {seen.data?.map((s) => (
          <li key={s.person.id}>
            <Link to={`/people/${s.person.id}`} className="text-ink no-underline hover:underline">
              {s.person.name}
            </Link>{' '}
            <span className="block text-small leading-normal text-soft">
              {s.percent === 100 ? phrase('all of it') : s.words} · {nearDay(s.at, zone, now)}
            </span>
          </li>
        ))}
      </ul>
    </section>
  );
}
