import { phrase } from '../words/phrase';
import { Button } from './bits';

/** Says that what was written before a reload stands here again, and throws it away on request. */
export function FoundAgain({ words, className, throwAway }: { words: string; className: string; throwAway: () => void }) {
  return (
    <p role="status" className={`border-l-[3px] border-straw bg-straw-pale px-3 py-2 text-small ${className}`}>
      {words}{' '}
      <Button look="danger" className="ml-2" onClick={throwAway}>
        {phrase('Throw it away')}
      </Button>
    </p>
  );
}
