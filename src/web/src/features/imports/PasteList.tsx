import { useState } from 'react';
import { Button, Field } from '../../ui/bits';
import { phrase } from '../../words/phrase';

/** A list that came by the clipboard: the rows of a spreadsheet as they are copied, or lines of a text. */
export function PasteList({ send, busy }: { send: (file: File) => void; busy: boolean }) {
  const [text, setText] = useState('');
  const rows = text.split('\n').filter((l) => l.trim()).length;
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault();
        send(new File([text], 'pasted.txt', { type: 'text/plain' }));
      }}
    >
      <Field
        label={phrase('Or paste it here')}
        hint={
          rows > 0
            ? phrase('{rows, number} rows; the first should name the columns, unless an email address stands in it', { rows })
            : phrase('copied from a spreadsheet, with the row that names the columns')
        }
      >
        {(id, by) => (
          <textarea
            id={id}
            aria-describedby={by}
            rows={rows > 0 ? Math.min(12, rows + 1) : 2}
            wrap="off"
            className="w-full font-mono text-small"
            value={text}
            onChange={(e) => setText(e.target.value)}
          />
        )}
      </Field>
      {rows > 0 && (
        <Button type="submit" disabled={busy}>
          {phrase('See what Germinal makes of it')}
        </Button>
      )}
    </form>
  );
}
