import { Link } from 'react-router';
import { useMay, useSession } from '../../app/session';
import { machineMoment } from '../../ui/when';
import { phrase } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';

/** On Today, while the practice is to go: when, and where it is kept after all. */
export function EndLine() {
  const session = useSession().data;
  const may = useMay('take-whole');
  if (!session?.endsAt) return null;
  return (
    <p className="mx-7 mt-0 mb-3 border-l-[3px] border-ember px-4 py-2.5 text-ember max-[699px]:mx-4">
      <Sentence
        m="{practice} goes from here with all it has {endsAt}. {may}"
        v={{
          practice: session.practice,
          endsAt: machineMoment(session.endsAt),
          may: may && (
            <Link className="inline-flex min-h-6 items-center" to="/practice/data">
              {phrase('Keep it, or take everything with you')}
            </Link>
          ),
        }}
      />
    </p>
  );
}
