import { useMutation, useQuery } from '@tanstack/react-query';
import { lazy, Suspense } from 'react';
import { api, type Schemas, take } from '../../api/client';
import { Button, fieldError, Loading, Trouble } from '../../ui/bits';
import { FoundAgain } from '../../ui/FoundAgain';
import { useKeptEdit } from '../../ui/kept';
import { phrase } from '../../words/phrase';
import { TextCount } from '../programs/TextCount';

const LetterEditor = lazy(() => import('../letters/LetterEditor'));

type Props = { item: Schemas['ProofItem']; leave: () => void; kept: () => void };

/** Words that one message has in the place of its program’s, for one recipient only. */
export function OwnWords(props: Props) {
  const { item } = props;
  const words = useQuery({
    queryKey: ['touch', item.touchId, 'words'],
    queryFn: () => take(api.GET('/api/touches/{id}/words', { params: { path: { id: item.touchId }, query: { person: item.person.id } } })),
    // What is being written is not written over.
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 0,
  });
  if (words.error) return <Trouble error={words.error} />;
  return words.data ? <Words {...props} words={words.data} /> : <Loading what={phrase('Opening its words')} />;
}

function Words({ item, leave, kept, words }: Props & { words: Schemas['MessageWords'] }) {
  const edit = useKeptEdit(`own-words.${item.touchId}`, { subject: words.subject, body: words.body });
  const path = { params: { path: { id: item.touchId }, query: { person: item.person.id } } };
  const done = () => {
    edit.done();
    kept();
  };
  const save = useMutation({
    meta: { says: () => phrase('other words for {person}', { person: item.person.name }) },
    mutationFn: () => take(api.PUT('/api/touches/{id}/words', { ...path, body: edit.value })),
    onSuccess: done,
  });
  const takeOut = useMutation({
    meta: { says: () => phrase('the program’s words for {person}', { person: item.person.name }) },
    mutationFn: () => take(api.DELETE('/api/touches/{id}/words', path)),
    onSuccess: done,
  });
  const wrong = (['subject', 'body'] as const).flatMap((field) => {
    const message = fieldError(save.error, field);
    return message ? [{ pointer: `/${field}`, message, isWarning: false }] : [];
  });
  return (
    <form
      className="mt-3"
      aria-label={phrase('Words for {person} only', { person: item.person.name })}
      onKeyDown={(e) => {
        if (e.key !== 'Escape' || e.defaultPrevented) return;
        e.stopPropagation();
        leave();
      }}
      onSubmit={(e) => {
        e.preventDefault();
        save.mutate();
      }}
    >
      {edit.found && (
        <FoundAgain
          className="mb-3"
          words={phrase('What you wrote here before and did not keep stands here again.')}
          throwAway={edit.done}
        />
      )}
      {words.kind === 'email' ? (
        <Suspense fallback={<Loading what={phrase('Opening the letter')} />}>
          <LetterEditor subject={edit.value.subject} body={edit.value.body} problems={wrong} change={edit.set} />
        </Suspense>
      ) : (
        <>
          <textarea
            aria-label={phrase('What the text says')}
            rows={4}
            autoFocus
            className="w-full font-serif"
            value={edit.value.body}
            onChange={(e) => edit.set({ body: e.target.value })}
          />
          <div className="mt-1.5">
            <TextCount text={edit.value.body} person={item.person.id} />
          </div>
          {wrong.map((w) => (
            <p key={w.pointer} role="alert" className="text-small text-ember">
              {w.message}
            </p>
          ))}
        </>
      )}
      <Trouble error={wrong.length > 0 ? null : (save.error ?? takeOut.error)} />
      <p className="mt-2 flex flex-wrap items-center gap-x-5 text-small">
        <Button type="submit" look="main" disabled={save.isPending}>
          {phrase('Keep these for {person}', { person: item.person.name })}
        </Button>
        {words.by && (
          <Button disabled={takeOut.isPending} onClick={() => takeOut.mutate()}>
            {phrase('the program’s words again')}
          </Button>
        )}
        <Button look="plain" onClick={leave}>
          {phrase('leave it')}
        </Button>
        {words.by && <span className="text-soft">{phrase('written by {by}', { by: words.by })}</span>}
      </p>
    </form>
  );
}
