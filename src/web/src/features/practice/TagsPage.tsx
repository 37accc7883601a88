import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'react-router';
import { api, type Schemas, take } from '../../api/client';
import { useMay } from '../../app/session';
import { Button, Empty, Loading, Trouble } from '../../ui/bits';
import { DayPage, PageHead, Stretch } from '../../ui/DayPage';
import { said } from '../../ui/undo';
import { phrase } from '../../words/phrase';
import { NameOf, some } from './NameOf';
import { TwoBecomeOne } from './TwoBecomeOne';

type Tag = Schemas['TagDto'];
type Rename = { tag: string; to: string };

const longest = 60;

/** The practice’s tags: called otherwise and put together everywhere at once, taken out where nobody has them. */
export default function TagsPage() {
  const queries = useQueryClient();
  const may = useMay('change-settings');
  const tags = useQuery({ queryKey: ['tags'], queryFn: () => take(api.GET('/api/tags')) });
  const [twins, setTwins] = useState<Rename>();
  const taken = (answer: Tag[]) => {
    queries.setQueryData(['tags'], answer);
    queries.invalidateQueries({ predicate: (q) => q.queryKey[0] !== 'tags' });
  };
  const rename = useMutation({
    meta: { says: (v: Rename) => phrase('called “{to}”', { to: v.to }) },
    mutationFn: (v: Rename & { asOne: boolean }) => take(api.POST('/api/tags/rename', { body: v })),
    onSuccess: taken,
  });
  const remove = useMutation({
    meta: { says: (tag: string) => phrase('took “{tag}” out', { tag }) },
    mutationFn: (tag: string) => take(api.POST('/api/tags/remove', { body: { tag } })),
    onSuccess: taken,
  });
  if (tags.isPending) return <Loading what={phrase('Opening tags')} />;
  const now = tags.data ?? [];
  const call = (v: Rename) => {
    if (v.to === v.tag) return;
    if (now.some((t) => t.name !== v.tag && t.name.toLowerCase() === v.to.toLowerCase())) {
      setTwins(v);
      return;
    }
    rename.mutate(
      { ...v, asOne: false },
      {
        onSuccess: () =>
          said(phrase('“{tag}” is “{to}” now, everywhere.', { tag: v.tag, to: v.to }), () =>
            rename.mutateAsync({ tag: v.to, to: v.tag, asOne: false }),
          ),
      },
    );
  };
  const busy = rename.isPending || remove.isPending;
  return (
    <DayPage
      marginTitle={phrase('What it does')}
      margin={
        twins ? (
          <TwoBecomeOne
            to={twins.to}
            words={phrase('everybody who has “{tag}”, and whatever asks for it,', { tag: twins.tag })}
            busy={busy}
            yes={() => rename.mutate({ ...twins, asOne: true }, { onSuccess: () => setTwins(undefined) })}
            no={() => setTwins(undefined)}
          />
        ) : (
          <>
            <h3>{phrase('What it does')}</h3>
            <p>
              {phrase(
                'A tag is pressed to call it otherwise. That holds everywhere at once: people, programs, segments, forms, links of letters, and what has been. No program starts by it.',
              )}
            </p>
            <p className="mt-3">{phrase('Given the name of another, the two become one.')}</p>
            <p className="mt-3">{phrase('New tags are made where they are put on: at a person, or at many under People.')}</p>
          </>
        )
      }
    >
      <PageHead title={phrase('Tags')} aside={<Link to="/practice">{phrase('The practice')}</Link>} />
      <div className="px-7" aria-live="polite">
        <Trouble error={tags.error ?? rename.error ?? remove.error} />
      </div>
      <Stretch title={phrase('By name')} note={may ? undefined : phrase('A principal changes these.')} />
      {now.length === 0 && <Empty>{phrase('There are no tags yet. The first is made at a person, or at many under People.')}</Empty>}
      {now.map((t) => (
        <div key={t.name} className="row flex flex-wrap items-baseline gap-x-4 gap-y-1">
          <span className="min-w-0 font-serif break-words">
            {may ? <NameOf name={t.name} what={phrase('tag')} longest={longest} call={(to) => call({ tag: t.name, to })} /> : t.name}
          </span>
          <span className="min-w-0 flex-1 text-small text-soft">
            {[
              t.people > 0 && phrase('{people, plural, one {# person} other {# people}}', { people: t.people }),
              t.used.length > 0 && phrase('asked for by {used}', { used: some(t.used) }),
            ]
              .filter(Boolean)
              .join(' · ') || phrase('nobody has it')}
          </span>
          {may && t.people + t.used.length === 0 && (
            <Button
              look="plain"
              className="min-h-6"
              disabled={busy}
              aria-label={phrase('Take “{name}” out', { name: t.name })}
              onClick={() => remove.mutate(t.name)}
            >
              {phrase('take out')}
            </Button>
          )}
        </div>
      ))}
    </DayPage>
  );
}
