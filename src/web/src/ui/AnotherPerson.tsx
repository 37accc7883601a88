import { phrase } from '../words/phrase';
import { Button } from './bits';

/** Beside whom something is read as: the one before, the one after. The keys are the page's own. */
export function AnotherPerson({ another }: { another: (by: -1 | 1) => void }) {
  return (
    <span className="font-sans text-small font-normal">
      <Button onClick={() => another(-1)} aria-label={phrase('The person before')}>
        <kbd>[</kbd>
      </Button>{' '}
      <Button onClick={() => another(1)} aria-label={phrase('The next person')}>
        <kbd>]</kbd>
      </Button>
    </span>
  );
}
