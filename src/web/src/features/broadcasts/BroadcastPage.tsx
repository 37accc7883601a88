import { useQuery } from '@tanstack/react-query';
import { Link, useParams } from 'react-router';
import { api, take } from '../../api/client';
import { Loading, Trouble } from '../../ui/bits';
import { DayPage, PageHead } from '../../ui/DayPage';
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
    return (
      <DayPage marginTitle="Help" margin={null}>
        <PageHead title="Broadcasts" />
        <div className="px-7">
          <Trouble error={broadcast.error} />
          <Link to="/programs/broadcasts">All broadcasts</Link>
        </div>
      </DayPage>
    );
  }
  if (!broadcast.data) return <Loading what="Opening the broadcast" />;
  return broadcast.data.status === 'draft' ? (
    <BroadcastWriting key={id} broadcast={broadcast.data as Broadcast} />
  ) : (
    <BroadcastResults key={id} broadcast={broadcast.data as Broadcast} />
  );
}
