import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { Link, useNavigate } from 'react-router';
import { api, type Schemas, take } from '../../api/client';
import { useMay, useNow } from '../../app/session';
import { Button, Empty, Loading, Trouble } from '../../ui/bits';
import { DayPage, PageHead, Stretch } from '../../ui/DayPage';
import { useKeys } from '../../ui/keys';
import { moment } from '../../ui/when';
import { phrase } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';
import { filled } from '../programs/StepLine';
import { ShareBar } from './ShareBar';

type Line = Schemas['BroadcastLine'];

/** Where a broadcast stands, as the list says it. */
const standing: Record<string, string> = {
  draft: phrase('being written'),
  waiting: phrase('waits for its moment'),
  going: phrase('going out'),
  paused: phrase('held'),
  stopped: phrase('stopped'),
  done: phrase('went'),
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
  if (all.isPending) return <Loading what={phrase('Opening the broadcasts')} />;
  const [coming, past] = [all.data?.filter((b) => !isOver(b)) ?? [], all.data?.filter(isOver) ?? []];
  return (
    <DayPage
      marginTitle={phrase('What a broadcast is')}
      margin={
        <>
          <h3>{phrase('What a broadcast is')}</h3>
          <p>
            {phrase(
              'One message to many at once: to a segment, a list, people you pick, or those who got an earlier one. Whom it may not reach it does not reach, whatever you press; who that is you see before it goes.',
            )}
          </p>
          {may && (
            <p className="mt-3">
              <Button look="main" disabled={begin.isPending} onClick={() => begin.mutate()}>
                {phrase('Write a broadcast')}
              </Button>{' '}
              <kbd>w</kbd>
            </p>
          )}
          <Trouble error={begin.error} />
        </>
      }
    >
      <PageHead title={phrase('Broadcasts')} aside={<Link to="/programs">{phrase('Programs')}</Link>} />
      <Trouble error={all.error} />
      {all.data?.length === 0 && <Empty>{phrase('Nothing was sent to many at once yet. Press w and write the first.')}</Empty>}
      {coming.map((b) => (
        <Row key={b.id} line={b} />
      ))}
      {past.length > 0 && <Stretch title={phrase('Those that went')} />}
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
          <Sentence
            m="{waitsForYes} · to {to}{repeats}{subject}"
            v={{
              waitsForYes: line.waitsForYes ? (
                <b className="text-straw">{phrase('waits until somebody reads it and lets it go')}</b>
              ) : (
                standing[line.status]
              ),
              to: line.to || phrase('nobody yet'),
              repeats: line.repeats && phrase(' · repeats'),
              subject: line.subject && ` · ${filled(line.subject)}`,
            }}
          />
        </span>
      </span>
      {line.people !== null && (
        <span className="w-56 text-small text-soft">
          <Sentence
            m="{sent, number} of {people, plural, one {# person} other {# people}}{opened}"
            v={{
              sent: line.sent,
              people: line.people,
              opened: line.opened && (
                <span className="flex items-center gap-2">
                  {phrase('opened')} <ShareBar line={line.opened} brief />
                </span>
              ),
            }}
          />
        </span>
      )}
    </div>
  );
}
