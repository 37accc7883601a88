import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Link, useNavigate, useParams } from 'react-router';
import { api, type Schemas, take } from '../../api/client';
import { useMay, useNow } from '../../app/session';
import { Button, Field, fieldError, Loading, Trouble } from '../../ui/bits';
import { DayPage, PageHead } from '../../ui/DayPage';
import { NotShown } from '../../ui/NotShown';
import { PictureChooser } from '../../ui/PictureChooser';
import { said } from '../../ui/undo';
import { moment } from '../../ui/when';
import { phrase } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';

type Landing = Schemas['LandingDto'];

/** A letter as a page for everybody: how it is found and passed on, how it is seen, its versions, and who came. */
export default function LandingPage() {
  const { id = '' } = useParams();
  const page = useQuery({ queryKey: ['landing', id], queryFn: () => take(api.GET('/api/pages/{id}', { params: { path: { id } } })) });
  const [version, setVersion] = useState<number>();
  const seen = useQuery({
    queryKey: ['landing', id, 'seen', version ?? null, page.data?.edition, page.data?.changed],
    queryFn: () => take(api.GET('/api/pages/{id}/seen', { params: { path: { id }, query: { version } } })),
    enabled: page.data !== undefined,
    placeholderData: (before) => before,
  });
  if (page.isPending) return <Loading what={phrase('Opening the page')} />;
  if (!page.data) {
    return <NotShown title={phrase('Pages')} error={page.error} to="/letters/pages" all={phrase('All pages')} />;
  }
  return (
    <DayPage marginTitle={phrase('Showing it')} margin={<Margin page={page.data} version={version} look={setVersion} />}>
      <PageHead
        title={page.data.title || phrase('A page')}
        aside={
          <>
            <Link to={`/letters/${page.data.letter}`}>{phrase('the letter “{letterName}”', { letterName: page.data.letterName })}</Link> ·{' '}
            <Link to="/letters/pages">{phrase('all pages')}</Link>
          </>
        }
      />
      <About key={page.data.edition} page={page.data} />
      <div className="px-7 pb-8 max-[699px]:px-4">
        <h2 className="text-small text-soft">
          {version ? phrase('As it was, version {version, number}', { version }) : phrase('As it would be seen')}
        </h2>
        <Trouble error={seen.error} />
        {seen.data && (
          <iframe
            title={version ? phrase('Version {version, number} of the page', { version }) : phrase('The page as it would be seen')}
            sandbox=""
            srcDoc={seen.data.page}
            className="h-[70vh] w-full border border-rule bg-paper"
          />
        )}
      </div>
    </DayPage>
  );
}

/** What search and sharing are told. */
function About({ page }: { page: Landing }) {
  const queries = useQueryClient();
  const [trouble, setTrouble] = useState<unknown>();
  const body: Schemas['LandingBody'] = { edition: page.edition, title: page.title, description: page.description, picture: page.picture };
  const save = useMutation({
    meta: { says: () => phrase('what a page is called') },
    mutationFn: ({ next }: { next: Schemas['LandingBody']; back?: Schemas['LandingBody'] }) =>
      take(api.PUT('/api/pages/{id}', { params: { path: { id: page.id } }, body: next })),
    // Here and not where it is asked for: the page may be shown anew, by what the server told meanwhile, before the answer comes.
    onSuccess: (answer, { back }) => {
      queries.setQueryData(['landing', page.id], answer);
      queries.invalidateQueries({ queryKey: ['landings'] });
      said(phrase('It is kept.'), back && (() => save.mutateAsync({ next: { ...back, edition: answer.edition } })));
    },
  });
  const set = (part: Partial<Schemas['LandingBody']>) => save.mutate({ next: { ...body, ...part }, back: body });
  const fields = [
    ['title', phrase('What search and sharing call it'), 1],
    ['description', phrase('What they say of it'), 2],
  ] as const;
  return (
    <div className="px-7 pb-4 max-[699px]:px-4">
      {fields.map(([key, label, rows]) => (
        <Field key={key} label={label} error={fieldError(save.error, key)}>
          {(id, by) => (
            <textarea
              id={id}
              aria-describedby={by}
              rows={rows}
              maxLength={key === 'title' ? 200 : 400}
              className="w-full font-serif"
              defaultValue={page[key]}
              onBlur={(e) => e.target.value.trim() !== page[key] && set({ [key]: e.target.value.trim() })}
            />
          )}
        </Field>
      ))}
      <div className="flex flex-wrap items-center gap-4">
        {page.picture && <img src={page.picture} alt={phrase('What sharing shows')} className="max-h-16" />}
        <PictureChooser
          picture={page.picture}
          label={phrase('A picture for sharing')}
          words={[phrase('a picture for sharing'), phrase('another picture')]}
          without={phrase('no picture')}
          set={(picture) => set({ picture })}
          trouble={setTrouble}
        />
      </div>
      <Trouble error={trouble} />
      {!fieldError(save.error, 'title') && !fieldError(save.error, 'description') && <Trouble error={save.error} />}
    </div>
  );
}

function Margin({ page, version, look }: { page: Landing; version: number | undefined; look: (version: number | undefined) => void }) {
  const queries = useQueryClient();
  const go = useNavigate();
  const may = useMay('show-forms');
  const { now, zone } = useNow();
  const path = { params: { path: { id: page.id } } };
  const refresh = (answer: Landing) => {
    queries.setQueryData(['landing', page.id], answer);
    queries.invalidateQueries({ queryKey: ['landings'] });
  };
  const show = useMutation({
    mutationFn: (from: number | null) => take(api.POST('/api/pages/{id}/show', { ...path, body: { version: from } })),
    onSuccess: (answer, from) => {
      const before = page.shownVersion;
      refresh(answer);
      look(undefined);
      said(from === null ? phrase('Everybody sees it now.') : phrase('Everybody sees version {from, number} again.', { from }), () =>
        before === null ? hide.mutateAsync() : show.mutateAsync(before),
      );
    },
  });
  const hide = useMutation({
    mutationFn: () => take(api.POST('/api/pages/{id}/hide', path)),
    onSuccess: (answer) => {
      const before = page.shownVersion;
      refresh(answer);
      said(phrase('It is taken back. Nobody can open it any more.'), before === null ? undefined : () => show.mutateAsync(before));
    },
  });
  const remove = useMutation({
    mutationFn: () => take(api.DELETE('/api/pages/{id}', path)),
    onSuccess: () => {
      queries.invalidateQueries({ queryKey: ['landings'] });
      go('/letters/pages');
    },
  });
  const shown = page.shownVersion !== null;
  const visits = page.visits.reduce((sum, v) => sum + v.count, 0);
  return (
    <>
      <p className="m-0">
        {!shown
          ? phrase('Nobody sees it.')
          : page.changed
            ? phrase('Everybody sees it as it was before the last changes.')
            : phrase('Everybody sees it as it stands here.')}
      </p>
      {page.findings.map((f) => (
        <p key={f.pointer + f.message} className="mt-2 text-small text-ember">
          {f.message}
        </p>
      ))}
      {may && (
        <p className="mt-2 flex flex-wrap items-baseline gap-x-4 gap-y-2">
          {(!shown || page.changed) && (
            <Button look="main" disabled={show.isPending || page.findings.length > 0} onClick={() => show.mutate(null)}>
              {shown ? phrase('Show it like this') : phrase('Show it to everybody')}
            </Button>
          )}
          {shown && (
            <Button look="plain" disabled={hide.isPending} onClick={() => hide.mutate()}>
              {phrase('take it back')}
            </Button>
          )}
          {!shown && (
            <Button look="danger" disabled={remove.isPending} onClick={() => remove.mutate()}>
              {phrase('throw the page away')}
            </Button>
          )}
        </p>
      )}
      <Trouble error={show.error ?? hide.error ?? remove.error} />
      {shown && (
        <p className="mt-2 text-small break-all">
          <a href={page.address} target="_blank" rel="noreferrer">
            {page.address}
          </a>
        </p>
      )}
      <h3 className="mt-4">{phrase('Who came, in 30 days')}</h3>
      {visits === 0 ? (
        <p className="text-small text-soft">
          {phrase('Nobody yet. Visits are counted without a cookie; of whoever came nothing is kept.')}
        </p>
      ) : (
        <ul className="m-0 list-none p-0 text-small leading-7">
          <li>{phrase('opened {visits, plural, one {# time} other {# times}}', { visits })}</li>
          {page.visits
            .filter((v) => v.program !== null)
            .map((v) => (
              <li key={v.program} className="text-soft">
                <Sentence m="{count, number} by letters of “{program}”" v={{ count: v.count, program: v.program }} />
              </li>
            ))}
        </ul>
      )}
      {page.sent > 0 && (
        <p className="mt-1 text-small">
          {phrase('{sent, plural, one {# form was sent} other {# forms were sent}} by it.', { sent: page.sent })}
        </p>
      )}
      {page.versions.length > 0 && (
        <>
          <h3 className="mt-4">{phrase('Its versions')}</h3>
          <ul className="m-0 list-none p-0 text-small leading-7">
            {version !== undefined && (
              <li>
                <Button look="plain" onClick={() => look(undefined)}>
                  {phrase('as it would be seen now')}
                </Button>
              </li>
            )}
            {page.versions.map((v) => (
              <li key={v.version}>
                <Sentence
                  m="<button>version {version, number}</button>, {at}, by {by}{version2}{may}"
                  v={{
                    version: v.version,
                    button: (c) => (
                      <Button look="plain" aria-pressed={version === v.version} onClick={() => look(v.version)}>
                        {c}
                      </Button>
                    ),
                    at: moment(v.at, zone, now),
                    by: v.by,
                    version2: v.version === page.shownVersion && phrase(' · shown'),
                    may: may && v.version !== page.shownVersion && version === v.version && (
                      <Button look="plain" className="ml-3" disabled={show.isPending} onClick={() => show.mutate(v.version)}>
                        {phrase('show this one')}
                      </Button>
                    ),
                  }}
                />
              </li>
            ))}
          </ul>
        </>
      )}
    </>
  );
}
