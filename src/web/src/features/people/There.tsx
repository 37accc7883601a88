import { Link } from 'react-router';
import { ApiError } from '../../api/client';
import { phrase } from '../../words/phrase';

/** Whether somebody has the same already; it may be meant all the same. */
export const isThere = (error: unknown) => error instanceof ApiError && Object.keys(error.others).length > 0;

/** The way to the person who has the same already, at the field that says so. */
export function There({ error, field }: { error: unknown; field: string }) {
  const other = error instanceof ApiError ? error.others[field] : undefined;
  if (!other) return null;
  return (
    <Link className="mt-1 block text-small" to={`/people/${other.id}`}>
      {phrase('Open {other}', { other: other.name })}
    </Link>
  );
}
