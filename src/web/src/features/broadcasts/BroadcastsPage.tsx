import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { Link, useNavigate } from 'react-router';
import { api, type Schemas, take } from '../../api/client';
import { useMay, useNow } from '../../app/session';
import { Button, Empty, Loading, Trouble } from '../../ui/bits';
import { DayPage, PageHead, Stretch } from '../../ui/DayPage';
import { useKeys } from '../../ui/keys';
import { count, moment } from '../../ui/when';
import { filled } from '../programs/StepLine';
import { ShareBar } from './ShareBar';

type Line = Schemas['BroadcastLine'];

/** Where a broadcast stands, as the list says it. */
const standing: Record<string, string> = {
  draft: 'being written',
  waiting: 'waits for its moment',
  going: 'going out',
  paused: 'held',
  stopped: 'stopped',
  done: 'went',
};

/** Messages to many at once: being written, waiting, going out, and those that went with what they did. */
export default function BroadcastsPage() {
  const queries = useQueryClient();
  const go = useNavigate();
  const may = useMay('write-programs');
  const all = useQuery({ queryKey: ['broadcasts'], queryFn: () => take(api.GET('/api/broadcasts')) });
  const begin = useMutation({
    mutationFn: () => take(api.POST('/api/broadcasts', { body: { name: '', plan: null } })),
    onSuccess: (made) => {
      queries.setQueryData(['broadcast', made.id], made);
      queries.invalidateQueries({ queryKey: ['broadcasts'] });
      go(`/programs/broadcasts/${made.id}`);
    },
  });
  useKeys({ w: () => may && begin.mutate() });
  if (all.isPending) return <Loading what="Opening the broadcasts" />;
  const [coming, past] = [all.data?.filter((b) => !isOver(b)) ?? [], all.data?.filter(isOver) ?? []];
  return (
    <DayPage
      marginTitle="What a broadcast is"
      margin={
        <>
          <h3>What a broadcast is</h3>
          <p>
            One message to many at once: to a segment, a list, people you pick, or those who got an earlier one. Whom it may not reach it
            does not reach, whatever you press; who that is you see before it goes.
          </p>
          {may && (
            <p className="mt-3">
              <Button look="main" disabled={begin.isPending} onClick={() => begin.mutate()}>
                Write a broadcast
              </Button>{' '}
              <kbd>w</kbd>
            </p>
          )}
          <Trouble error={begin.error} />
        </>
      }
    >
      <PageHead title="Broadcasts" aside={<Link to="/programs">Programs</Link>} />
      <Trouble error={all.error} />
      {all.data?.length === 0 && <Empty>Nothing was sent to many at once yet. Press w and write the first.</Empty>}
      {coming.map((b) => (
        <Row key={b.id} line={b} />
      ))}
      {past.length > 0 && <Stretch title="Those that went" />}
      {past.map((b) => (
        <Row key={b.id} line={b} />
      ))}
    </DayPage>
  );
}

const isOver = (b: Line) => b.status === 'done' || b.status === 'stopped';

function Row({ line }: { line: Line }) {
  const { zone, now } = useNow();
  return (
    <div className="row flex items-baseline gap-4">
      <span className="gutter">{line.at ? moment(line.at, zone, now) : ''}</span>
      <span className="min-w-0 flex-1">
        <Link className="font-serif text-ink" to={`/programs/broadcasts/${line.id}`}>
          {line.name}
        </Link>
        <span className="block text-small text-soft">
          {line.waitsForYes ? <b className="text-straw">waits until somebody reads it and lets it go</b> : standing[line.status]} · to{' '}
          {line.to || 'nobody yet'}
          {line.repeats && ' · repeats'}
          {line.subject && ` · ${filled(line.subject)}`}
        </span>
      </span>
      {line.people !== null && (
        <span className="w-56 text-small text-soft">
          {line.sent.toLocaleString('en')} of {count(line.people, 'person', 'people')}
          {line.opened && (
            <span className="flex items-center gap-2">
              opened <ShareBar line={line.opened} brief />
            </span>
          )}
        </span>
      )}
    </div>
  );
}
