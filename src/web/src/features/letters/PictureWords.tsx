import { useState } from 'react';
import { Button, Field } from '../../ui/bits';
import { phrase } from '../../words/phrase';

/** Widths of a picture in pixels of a letter of 600; none: its own, up to the whole letter. */
const widths: Record<string, number | undefined> = {
  [phrase('as it is')]: undefined,
  [phrase('whole')]: 544,
  [phrase('half')]: 272,
  [phrase('a third')]: 180,
  [phrase('small')]: 96,
};

/**
 * What a picture shows, in words: read aloud to those who cannot see it, and shown where pictures are off. Asked for before the
 * picture is put in; empty says that it only decorates.
 */
export function PictureWords({
  words: given,
  place,
  use,
  leave,
}: {
  /** As it stands; undefined for a picture that is not in the letter yet. */
  words: string | undefined;
  /** How wide it is and on which side it stands; for one that is in the letter. */
  place?: { width: number | undefined; side: string };
  use: (words: string, place?: { width: number | undefined; side: string }) => void;
  leave: () => void;
}) {
  const [words, setWords] = useState(given ?? '');
  const [width, setWidth] = useState(place?.width);
  const [side, setSide] = useState(place?.side ?? 'left');
  const isNew = given === undefined;
  return (
    <form
      className="border-b border-rule px-4 py-2.5"
      aria-label={phrase('What the picture shows')}
      onSubmit={(e) => {
        e.preventDefault();
        // A form inside the program's page, and none of its own.
        e.stopPropagation();
        use(words.trim(), place && { width, side });
      }}
    >
      <Field
        label={phrase('What the picture shows, in a few words')}
        hint={phrase('For those who cannot see it, and where pictures are off. Empty: it only decorates.')}
      >
        {(id, by) => (
          <input
            id={id}
            aria-describedby={by}
            autoFocus={isNew}
            maxLength={300}
            className="w-full"
            value={words}
            onChange={(e) => setWords(e.target.value)}
          />
        )}
      </Field>
      {place && (
        <div className="flex gap-4">
          <Field label={phrase('How wide')}>
            {(id) => (
              <select id={id} value={width ?? ''} onChange={(e) => setWidth(Number(e.target.value) || undefined)}>
                {Object.entries(widths).map(([words, wide]) => (
                  <option key={words} value={wide ?? ''}>
                    {words}
                  </option>
                ))}
                {width !== undefined && !Object.values(widths).includes(width) && (
                  <option value={width}>{phrase('{width, number} pixels', { width })}</option>
                )}
              </select>
            )}
          </Field>
          <Field label={phrase('Where it stands')}>
            {(id) => (
              <select id={id} value={side} onChange={(e) => setSide(e.target.value)}>
                <option value="left">{phrase('on the left')}</option>
                <option value="middle">{phrase('in the middle')}</option>
                <option value="right">{phrase('on the right')}</option>
              </select>
            )}
          </Field>
        </div>
      )}
      <div className="flex gap-4">
        <Button type="submit" look="main">
          {isNew ? phrase('Put the picture in') : phrase('Use this')}
        </Button>
        {isNew && (
          <Button look="plain" onClick={leave}>
            {phrase('leave it out')}
          </Button>
        )}
      </div>
    </form>
  );
}
