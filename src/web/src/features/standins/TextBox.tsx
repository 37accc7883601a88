import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { toast } from 'sonner';
import { api, take } from '../../api/client';
import { Button, Empty, Field, fieldError, Loading, Trouble } from '../../ui/bits';
import { DayPage, PageHead } from '../../ui/DayPage';

/** What the text stand-in took and handed in, and writing one as somebody would. */
export default function TextBox() {
  const [line, setLine] = useState<Line>({ from: '', to: '' });
  const texts = useQuery({ queryKey: ['texts'], queryFn: () => take(api.GET('/api/stand-ins/texts')) });
  return (
    <DayPage marginTitle="Write one" margin={<Write line={line} setLine={setLine} />}>
      <PageHead
        title="Texts that went out and came in"
        aside={texts.data && `${texts.data.total.toLocaleString('en-US')} texts at the stand-in; none of them left this machine`}
      />
      {texts.error && (
        <div className="px-7">
          <Trouble error={texts.error} />
        </div>
      )}
      {texts.isPending && <Loading />}
      {texts.data?.messages.length === 0 && <Empty>No text yet. Switch a program with a text on and let time pass.</Empty>}
      {texts.data?.messages.map((t) => {
        // One of ours carries the key it was handed over with.
        const cameIn = t.key === null;
        const theirs = cameIn ? t.from : t.to;
        return (
          <button
            key={t.id}
            type="button"
            className="row !flex items-baseline gap-4"
            onClick={() => setLine({ from: theirs, to: cameIn ? t.to : t.from })}
            aria-label={cameIn ? `From ${theirs}: ${t.body}` : `To ${theirs}: ${t.body}. Answer it.`}
          >
            <span className="gutter">{cameIn ? 'from' : 'to'}</span>
            <span className="w-36 text-small text-soft">{theirs}</span>
            <span className="flex-1 font-serif">{t.body}</span>
          </button>
        );
      })}
    </DayPage>
  );
}

/** Who writes, and to which number of the practice; empty is the gateway's own. */
type Line = { from: string; to: string };

function Write({ line, setLine }: { line: Line; setLine: (line: Line) => void }) {
  const queries = useQueryClient();
  const [body, setBody] = useState('');
  const write = useMutation({
    mutationFn: () => take(api.POST('/api/stand-ins/texts', { body: { ...line, body } })),
    onSuccess: () => {
      setBody('');
      toast('Handed in. It stands in the thread of whose number it is, or under Waiting for you.');
      queries.invalidateQueries({ queryKey: ['texts'] });
    },
  });
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault();
        write.mutate();
      }}
    >
      <h3>Write one</h3>
      <p className="mt-1 mb-3">
        As a recipient would. Pick a text to answer it. STOP withdraws, HELP is answered, a keyword starts what it starts.
      </p>
      <Field label="From" error={fieldError(write.error, 'from')}>
        {(id, by) => (
          <input
            id={id}
            aria-describedby={by}
            className="w-full"
            placeholder="+1 207 555 0142"
            value={line.from}
            onChange={(e) => setLine({ from: e.target.value, to: '' })}
          />
        )}
      </Field>
      <Field label="What they say" error={fieldError(write.error, 'body')}>
        {(id, by) => (
          <textarea id={id} aria-describedby={by} rows={3} className="w-full" value={body} onChange={(e) => setBody(e.target.value)} />
        )}
      </Field>
      {write.error && !fieldError(write.error, 'from') && !fieldError(write.error, 'body') && <Trouble error={write.error} />}
      <Button type="submit" look="main" disabled={write.isPending}>
        Hand it in
      </Button>
    </form>
  );
}
