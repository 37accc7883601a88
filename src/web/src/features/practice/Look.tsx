import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';
import { api, take } from '../../api/client';
import { Button, Field, fieldError, Trouble } from '../../ui/bits';
import { PictureChooser } from '../../ui/PictureChooser';
import { phrase } from '../../words/phrase';

/** The logo and colours of public pages and letters, kept by themselves. */
export function Look({
  colour: keptColour,
  ground: keptGround,
  picture: keptPicture,
  done,
}: {
  colour: string;
  ground: string;
  picture?: string | null;
  done: () => void;
}) {
  const [colour, setColour] = useState(keptColour);
  const [ground, setGround] = useState(keptGround);
  const [picture, setPicture] = useState(keptPicture ?? undefined);
  const [trouble, setTrouble] = useState<unknown>();
  const save = useMutation({
    mutationFn: () => take(api.PUT('/api/beginning/look', { body: { colour, groundColour: ground, picture: picture ?? null } })),
    onSuccess: done,
  });
  const own = ['colour', 'groundColour', 'picture'].some((f) => fieldError(save.error, f));
  return (
    <form
      className="mt-2 max-w-[560px]"
      onSubmit={(e) => {
        e.preventDefault();
        save.mutate();
      }}
    >
      <div className="flex flex-wrap items-end gap-x-8">
        <ColourField
          label={phrase('Colour of links and buttons')}
          value={colour}
          usual="#38662f"
          set={setColour}
          error={fieldError(save.error, 'colour')}
        />
        <ColourField
          label={phrase('Colour behind the head of a page')}
          value={ground}
          usual="#ffffff"
          set={setGround}
          error={fieldError(save.error, 'groundColour')}
        />
      </div>
      <div className="mb-3 flex items-center gap-4">
        {picture && <img src={picture} alt={phrase('Your logo')} className="max-h-14 max-w-44" />}
        <PictureChooser
          picture={picture}
          label={phrase('Your logo')}
          words={[phrase('Add a logo'), phrase('Another logo')]}
          without={phrase('without one')}
          set={(address) => setPicture(address ?? undefined)}
          trouble={setTrouble}
        />
      </div>
      {!own && <Trouble error={trouble ?? save.error} />}
      <Button type="submit" look="main" disabled={save.isPending}>
        {phrase('Look so')}
      </Button>
    </form>
  );
}

function ColourField({
  label,
  value,
  usual,
  set,
  error,
}: {
  label: string;
  value: string;
  usual: string;
  set: (colour: string) => void;
  error?: string;
}) {
  return (
    <Field label={label} error={error} hint={value ? undefined : phrase('none chosen')}>
      {(id, by) => (
        <span className="flex items-center gap-3">
          <input
            id={id}
            aria-describedby={by}
            type="color"
            className="h-8 w-14"
            value={value || usual}
            onChange={(e) => set(e.target.value)}
          />
          <code>{value || '–'}</code>
          {value && (
            <Button look="plain" className="min-h-6" aria-label={phrase('{label}: none', { label })} onClick={() => set('')}>
              {phrase('none')}
            </Button>
          )}
        </span>
      )}
    </Field>
  );
}
