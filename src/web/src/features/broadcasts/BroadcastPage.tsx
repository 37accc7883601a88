import { useQuery } from '@tanstack/react-query';
import { useParams } from 'react-router';
import { api, take } from '../../api/client';
import { Loading } from '../../ui/bits';
import { NotShown } from '../../ui/NotShown';
import { phrase } from '../../words/phrase';
import { BroadcastResults } from './BroadcastResults';
import { BroadcastWriting } from './BroadcastWriting';
import type { Broadcast } from './plan';

/** A broadcast: while it is a draft it is written here; from then on it is watched, and read for what it did. */
export default function BroadcastPage() {
  const { id = '' } = useParams();
  const broadcast = useQuery({
    queryKey: ['broadcast', id],
    queryFn: () => take(api.GET('/api/broadcasts/{id}', { params: { path: { id } } })),
    refetchOnWindowFocus: false,
  });
  if (broadcast.error) {
    return <NotShown title={phrase('Broadcasts')} error={broadcast.error} to="/programs/broadcasts" all={phrase('All broadcasts')} />;
  }
  if (!broadcast.data) return <Loading what={phrase('Opening the broadcast')} />;
  return broadcast.data.status === 'draft' ? (
    <BroadcastWriting key={id} broadcast={broadcast.data as Broadcast} />
  ) : (
    <BroadcastResults key={id} broadcast={broadcast.data as Broadcast} />
  );
}
