import { Button } from '../../ui/bits';
import { phrase } from '../../words/phrase';

/** Asks whether two names are to be one, before they are: that is not taken back. */
export function TwoBecomeOne({
  to,
  words,
  busy,
  yes,
  no,
}: {
  to: string;
  /** Who and what has the other name from then on. */
  words: string;
  busy: boolean;
  yes: () => void;
  no: () => void;
}) {
  return (
    <section aria-label={phrase('Put together')}>
      <h3>{phrase('The two become one?')}</h3>
      <p>{phrase('There is “{to}” already. Put together, {words} has “{to}” from now on. That is not taken back.', { to, words })}</p>
      <p className="mt-3 flex flex-wrap gap-3">
        <Button look="main" disabled={busy} onClick={yes}>
          {phrase('Put them together')}
        </Button>
        <Button onClick={no}>{phrase('leave them')}</Button>
      </p>
    </section>
  );
}
