import { Button } from '../../ui/bits';

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
    <section aria-label="Put together">
      <h3>The two become one?</h3>
      <p>
        There is “{to}” already. Put together, {words} has “{to}” from now on. That is not taken back.
      </p>
      <p className="mt-3 flex flex-wrap gap-3">
        <Button look="main" disabled={busy} onClick={yes}>
          Put them together
        </Button>
        <Button onClick={no}>leave them</Button>
      </p>
    </section>
  );
}
