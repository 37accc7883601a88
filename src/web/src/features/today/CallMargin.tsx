import { useQuery } from '@tanstack/react-query';
import { api, type Schemas, take } from '../../api/client';
import { useSession } from '../../app/session';
import { money } from '../../ui/money';
import { day, moment, nearDay } from '../../ui/when';
import { phrase, quoted } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';
import { PersonLine } from '../people/PersonLine';

/** So many of their last answers stand beside a call. */
const answers = 2;

/** Whom one is about to call: their touch line, what they answered last, the opportunity that is open, and when one meets. */
export function CallMargin({ personId }: { personId: string }) {
  const currency = useSession().data?.currency ?? 'USD';
  const thread = useQuery({
    queryKey: ['thread', 'glance', personId],
    queryFn: () => take(api.GET('/api/people/{id}/thread', { params: { path: { id: personId } } })),
  });
  const dealings = useQuery({
    queryKey: ['dealings', personId],
    queryFn: () => take(api.GET('/api/people/{id}/dealings', { params: { path: { id: personId } } })),
  });
  if (!thread.data || !dealings.data) return null;
  const { now, zone, past, coming } = thread.data;
  const said = past.filter((l) => l.kind === 'replied' || l.kind === 'inquiry-received').slice(0, answers);
  const open = dealings.data.opportunities.filter((o) => o.status === 'open');
  const next = dealings.data.appointments.find((a) => !a.cancelled && a.at > now);
  return (
    <section aria-label={phrase('Whom one calls')} className="mb-4 border-b border-rule pb-3 text-small">
      <PersonLine coming={coming} past={past} now={now} zone={zone} width={300} />
      {open.map((o) => (
        <p key={o.id} className="mt-2">
          <span className="font-serif">{o.title}</span>
          <span className="text-soft">
            <Sentence
              m=" in {o}{worth}, opened {openedAt}"
              v={{ o: stageName(o), worth: o.worth !== null && `, ${money(o.worth, currency)}`, openedAt: day(o.openedAt, zone, now) }}
            />
          </span>
        </p>
      ))}
      {next && (
        <p className="mt-2">
          {next.type}: {moment(next.at, zone, now)}
        </p>
      )}
      {said.map((l) => (
        <p key={l.id} className="mt-2">
          <span className="text-soft">{nearDay(l.at, zone, now)}: </span>
          <span className="font-serif">{l.detail ? quoted(l.detail) : l.title}</span>
        </p>
      ))}
      {open.length === 0 && !next && said.length === 0 && (
        <p className="mt-2 text-soft">{phrase('They have not answered yet, and no opportunity is open.')}</p>
      )}
    </section>
  );
}

const stageName = (o: Schemas['OpportunityDto']) => o.stage.slice(o.stage.indexOf('/') + 1);
