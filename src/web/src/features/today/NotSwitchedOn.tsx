import { useQuery } from '@tanstack/react-query';
import { Link } from 'react-router';
import { api, take } from '../../api/client';
import { useMay, useNow } from '../../app/session';
import { Stretch } from '../../ui/DayPage';
import { day } from '../../ui/when';
import { phrase } from '../../words/phrase';

/** Programs that are written and do nothing yet, or still do what they did before they were changed: said plainly, for it is easily forgotten. */
export function NotSwitchedOn() {
  const { now, zone } = useNow();
  const mayApprove = useMay('approve-programs');
  const found = useQuery({ queryKey: ['today', 'not-on'], queryFn: () => take(api.GET('/api/today/not-on')) });
  if (!found.data || found.data.length === 0) return null;
  return (
    <>
      <Stretch title={phrase('Not switched on')} note={phrase('nothing goes out by these as they are written now')} />
      <ul className="m-0 list-none p-0">
        {found.data.map((p) => (
          <li key={p.id} className="row">
            <Link to={`/programs/${p.id}`} className="font-semibold text-ink no-underline hover:underline">
              {p.name}
            </Link>
            <span className={`block text-small ${p.askedAt ? 'text-straw' : 'text-soft'}`}>
              {p.askedAt &&
                phrase('{askedBy} asks {mayApprove, select, true {for your} other {a principal’s}} yes since {askedAt} · ', {
                  askedBy: p.askedBy,
                  mayApprove: String(mayApprove),
                  askedAt: day(p.askedAt, zone, now),
                })}
              {p.changed
                ? phrase('it was changed; what goes is the version before')
                : phrase('{steps, plural, one {# step} other {# steps}}, never switched on', { steps: p.steps })}
              {p.by && phrase(' · written by {by}', { by: p.by })}
            </span>
          </li>
        ))}
      </ul>
    </>
  );
}
