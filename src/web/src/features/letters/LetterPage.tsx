import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { lazy, Suspense, useEffect, useRef, useState } from 'react';
import { useNavigate, useParams, useSearchParams } from 'react-router';
import { toast } from 'sonner';
import { ApiError, api, type Schemas, take } from '../../api/client';
import { AnotherPerson } from '../../ui/AnotherPerson';
import { Button, Loading, Trouble } from '../../ui/bits';
import { DayPage, useTitle } from '../../ui/DayPage';
import { useKept } from '../../ui/kept';
import { useKeys } from '../../ui/keys';
import { Letter } from '../../ui/Letter';
import { NotShown } from '../../ui/NotShown';
import { phrase } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';
import { sayUses } from './LetterList';
import { ReadAs } from './ReadAs';

const LetterEditor = lazy(() => import('./LetterEditor'));

type Words = { name: string; subject: string; body: string };
const blank: Words = { name: '', subject: '', body: '' };

/** A letter of the practice: a new one, from a layout or from nothing, or one that is kept. */
export default function LetterPage() {
  const { id = 'new' } = useParams();
  const [address] = useSearchParams();
  const layout = address.get('layout');
  const kept = useQuery({
    queryKey: ['letter', id],
    queryFn: () => take(api.GET('/api/letters/{id}', { params: { path: { id } } })),
    enabled: id !== 'new',
    staleTime: 0,
    refetchOnWindowFocus: false,
  });
  const layouts = useQuery({
    queryKey: ['letters', 'layouts'],
    queryFn: () => take(api.GET('/api/letters/layouts')),
    enabled: layout !== null,
  });
  if (kept.error) {
    return <NotShown title={phrase('Letters')} error={kept.error} to="/letters" all={phrase('All letters')} />;
  }
  if (id !== 'new' ? !kept.data : layout !== null && !layouts.data) return <Loading />;
  const begun = layouts.data?.find((l) => l.name === layout);
  return (
    <Page
      key={`${id}/${kept.data?.edition ?? 0}/${layout}`}
      kept={kept.data}
      begun={begun ? { name: '', subject: begun.subject, body: begun.body } : blank}
    />
  );
}

function Page({ kept, begun }: { kept?: Schemas['LetterDto']; begun: Words }) {
  const queries = useQueryClient();
  const go = useNavigate();
  const given = kept ? { name: kept.name, subject: kept.subject, body: kept.body } : begun;
  const [words, setWords, forget] = useKept<Words>(`letter.${kept ? `${kept.id}/${kept.edition}` : 'new'}`, given);
  useTitle(words.name || phrase('A letter'));
  const shown = useSettled(words);
  const [person, setPerson] = useState<string>();
  // The editor takes its words once.
  const [afresh, setAfresh] = useState(0);
  const read = useQuery({
    queryKey: ['letter-read', shown.subject, shown.body, person],
    queryFn: () => take(api.POST('/api/letters/read', { body: { subject: shown.subject, body: shown.body, person, move: 0 } })),
    placeholderData: (before) => before,
  });
  async function another(move: number) {
    const next = await take(
      api.POST('/api/letters/read', { body: { subject: shown.subject, body: shown.body, person: person ?? read.data?.person.id, move } }),
    );
    queries.setQueryData(['letter-read', shown.subject, shown.body, next.person.id], next);
    setPerson(next.person.id);
  }
  useKeys({ '[': () => another(-1), ']': () => another(1) });
  const changed = words.name !== given.name || words.subject !== given.subject || words.body !== given.body;
  const save = useMutation({
    mutationFn: () =>
      take(
        kept
          ? api.PUT('/api/letters/{id}', { params: { path: { id: kept.id } }, body: { ...words, edition: kept.edition } })
          : api.POST('/api/letters', { body: words }),
      ),
    onSuccess: (letter) => {
      forget();
      queries.setQueryData(['letter', letter.id], letter);
      queries.invalidateQueries({ queryKey: ['letters'] });
      toast(phrase('“{letter}” is kept.', { letter: letter.name }));
      if (!kept) go(`/letters/${letter.id}`, { replace: true });
    },
  });
  const problem = save.error instanceof ApiError ? save.error : undefined;
  const found: Schemas['FindingDto'][] = [
    ...(changed ? [] : (kept?.findings ?? [])),
    ...['/subject', '/body'].flatMap((pointer) =>
      (problem?.fields[pointer] ?? []).map((message) => ({ pointer, message, isWarning: false })),
    ),
  ];
  return (
    <DayPage marginTitle={phrase('For one person')} margin={<Margin kept={kept} read={read.data} another={another} trouble={read.error} />}>
      <div className="px-[34px] pt-5 pb-10 max-[699px]:px-4">
        <h1 className="sr-only">{words.name || phrase('A new letter')}</h1>
        <input
          aria-label={phrase('Name of the letter')}
          placeholder={phrase('What the letter is called')}
          maxLength={80}
          className="w-full !border-0 !bg-transparent !p-0 font-serif !text-[32px] font-medium tracking-tight"
          value={words.name}
          onChange={(e) => setWords({ ...words, name: e.target.value })}
        />
        {problem?.fields.name?.[0] && (
          <p className="text-small text-ember" role="alert">
            {problem.fields.name[0]}
          </p>
        )}
        {kept && kept.uses.length > 0 && (
          <p className="text-small text-soft">
            {phrase('{uses}. What you change here, everybody gets who is still to get it.', { uses: sayUses(kept.uses) })}
          </p>
        )}
        <Suspense fallback={<Loading what={phrase('Opening the letter')} />}>
          <LetterEditor
            key={afresh}
            subject={words.subject}
            body={words.body}
            problems={found}
            change={(part) => setWords((before) => ({ ...before, ...part }))}
          />
        </Suspense>
        <div className="mt-3 flex flex-wrap items-baseline gap-5">
          <Button look="main" disabled={save.isPending || (kept !== undefined && !changed)} onClick={() => save.mutate()}>
            {kept ? phrase('Keep the changes') : phrase('Keep the letter')}
          </Button>
          {kept && changed && (
            <Button
              look="danger"
              onClick={() => {
                forget();
                setAfresh(afresh + 1);
              }}
            >
              {phrase('Throw the changes away')}
            </Button>
          )}
          {kept && !changed && <span className="text-small text-soft">{phrase('as {by} kept it', { by: kept.by })}</span>}
        </div>
        {problem && !problem.fields.name && !problem.fields['/subject'] && !problem.fields['/body'] && <Trouble error={problem} />}
        {kept && <Others kept={kept} />}
      </div>
    </DayPage>
  );
}

/** The letter once more, and taking it away; one that is in use says by whom. */
function Others({ kept }: { kept: Schemas['LetterDto'] }) {
  const queries = useQueryClient();
  const go = useNavigate();
  const copy = useMutation({
    mutationFn: () => take(api.POST('/api/letters/{id}/copy', { params: { path: { id: kept.id } } })),
    onSuccess: (made) => {
      queries.invalidateQueries({ queryKey: ['letters'] });
      go(`/letters/${made.id}`);
    },
  });
  const remove = useMutation({
    mutationFn: () => take(api.DELETE('/api/letters/{id}', { params: { path: { id: kept.id } } })),
    onSuccess: () => {
      queries.invalidateQueries({ queryKey: ['letters'] });
      toast(phrase('“{kept}” is thrown away.', { kept: kept.name }), {
        action: {
          label: phrase('Undo'),
          onClick: () =>
            take(api.POST('/api/letters', { body: { name: kept.name, subject: kept.subject, body: kept.body } })).then(() =>
              queries.invalidateQueries({ queryKey: ['letters'] }),
            ),
        },
      });
      go('/letters');
    },
  });
  const page = useMutation({
    mutationFn: () => take(api.POST('/api/pages', { body: { letter: kept.id } })),
    onSuccess: (made) => {
      queries.setQueryData(['landing', made.id], made);
      go(`/letters/pages/${made.id}`);
    },
  });
  return (
    <>
      <p className="mt-6 flex flex-wrap gap-x-5 border-t border-rule pt-3">
        <Button onClick={() => copy.mutate()}>{phrase('Copy it')}</Button>
        <Button onClick={() => page.mutate()}>{phrase('As a page')}</Button>
        <Button look="danger" onClick={() => remove.mutate()}>
          {phrase('Throw it away')}
        </Button>
      </p>
      <Trouble error={copy.error ?? remove.error ?? page.error} />
    </>
  );
}

function Margin({
  kept,
  read,
  another,
  trouble,
}: {
  kept?: Schemas['LetterDto'];
  read?: Schemas['LetterAsRead'];
  another: (move: number) => void;
  trouble: unknown;
}) {
  if (!read) return trouble ? <p>{phrase('Nobody is here yet to read it as.')}</p> : <Loading />;
  return (
    <>
      <h3>
        <Sentence
          m="As {person} reads it {span}"
          v={{
            person: read.person.name,
            span: <AnotherPerson another={another} />,
          }}
        />
      </h3>
      <p className="mb-2 font-serif font-semibold">{read.subject || phrase('No subject')}</p>
      {read.lack && <p className="text-small text-ember">{phrase('It could not go to them: {lack}.', { lack: read.lack })}</p>}
      <Letter
        html={read.html}
        title={phrase('{kept}, as {person} reads it', { kept: kept?.name ?? phrase('The letter'), person: read.person.name })}
      />
      <p className="mt-3 text-small text-soft">
        <Sentence
          m="{readAs} · {ceil} kB"
          v={{ readAs: <ReadAs letter={read} person={read.person.name} another={another} />, ceil: Math.ceil(read.bytes / 1000) }}
        />
      </p>
    </>
  );
}

/** The words once nothing was typed for a moment. */
function useSettled(words: Words) {
  const [settled, setSettled] = useState(words);
  const timer = useRef<ReturnType<typeof setTimeout>>(undefined);
  useEffect(() => {
    timer.current = setTimeout(() => setSettled(words), 400);
    return () => clearTimeout(timer.current);
  }, [words]);
  return settled;
}
