import { Link } from 'react-router';
import { phrase } from '../words/phrase';
import { Trouble } from './bits';
import { DayPage, PageHead } from './DayPage';

/**
 * A page whose subject cannot be shown: what is wrong, and where to go on.
 * @param title what the page is of
 * @param error what the server said
 * @param to where all of its kind are; left out where there is no such place
 * @param all the words of the way there
 */
export function NotShown({ title, error, to, all }: { title: string; error: unknown; to?: string; all?: string }) {
  return (
    <DayPage marginTitle={phrase('Help')} margin={null}>
      <PageHead title={title} />
      <div className="px-7">
        <Trouble error={error} />
        {to && <Link to={to}>{all}</Link>}
      </div>
    </DayPage>
  );
}
