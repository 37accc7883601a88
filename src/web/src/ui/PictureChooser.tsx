import { useRef, useState } from 'react';
import { type Schemas, upload } from '../api/client';
import { Button } from './bits';

/**
 * Brings a picture in, or takes it away.
 * @param label what the picture is, for those who do not see the page
 * @param words what stands on the button where there is none, and where there is one
 * @param without what takes it away
 * @param set is told where it is kept; nothing for none
 * @param trouble is told what went wrong; nothing where it is tried anew
 */
export function PictureChooser({
  picture,
  label,
  words: [add, another],
  without,
  set,
  trouble,
}: {
  picture: string | null | undefined;
  label: string;
  words: readonly [add: string, another: string];
  without: string;
  set: (address: string | null) => void;
  trouble: (error: unknown) => void;
}) {
  const file = useRef<HTMLInputElement>(null);
  const [bringing, setBringing] = useState(false);
  async function bring(chosen: File) {
    trouble(undefined);
    setBringing(true);
    try {
      set((await upload<Schemas['ImageDto']>('/api/images', chosen)).url);
    } catch (wrong) {
      trouble(wrong);
    } finally {
      setBringing(false);
    }
  }
  return (
    <>
      <Button disabled={bringing} onClick={() => file.current?.click()}>
        {picture ? another : add}
      </Button>
      {picture && (
        <Button look="danger" onClick={() => set(null)}>
          {without}
        </Button>
      )}
      <input
        ref={file}
        type="file"
        accept="image/*"
        className="sr-only"
        aria-label={label}
        tabIndex={-1}
        onChange={(e) => {
          const chosen = e.target.files?.[0];
          e.target.value = '';
          if (chosen) bring(chosen);
        }}
      />
    </>
  );
}
