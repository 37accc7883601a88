import { useState } from 'react';
import { Button, Field } from '../../ui/bits';

/**
 * What a picture shows, in words: read aloud to those who cannot see it, and shown where pictures are off. Asked for before the
 * picture is put in; empty says that it only decorates.
 */
export function PictureWords({
  words: given,
  use,
  leave,
}: {
  /** As it stands; undefined for a picture that is not in the letter yet. */
  words: string | undefined;
  use: (words: string) => void;
  leave: () => void;
}) {
  const [words, setWords] = useState(given ?? '');
  const isNew = given === undefined;
  return (
    <form
      className="border-b border-rule px-4 py-2.5"
      aria-label="What the picture shows"
      onSubmit={(e) => {
        e.preventDefault();
        // A form inside the program's page, and none of its own.
        e.stopPropagation();
        use(words.trim());
      }}
    >
      <Field
        label="What the picture shows, in a few words"
        hint="For those who cannot see it, and where pictures are off. Empty: it only decorates."
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
      <div className="flex gap-4">
        <Button type="submit" look="main">
          {isNew ? 'Put the picture in' : 'Use these words'}
        </Button>
        {isNew && (
          <Button look="plain" onClick={leave}>
            leave it out
          </Button>
        )}
      </div>
    </form>
  );
}
