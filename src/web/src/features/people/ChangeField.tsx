import { Popover } from 'radix-ui';
import { useState } from 'react';
import type { Schemas } from '../../api/client';
import { Float } from '../../ui/Float';
import { phrase } from '../../words/phrase';
import { EditPerson } from './EditPerson';

/** The name of a field beside its value: pressed, that one field is changed in place. */
export function ChangeField({ person, field, name }: { person: Schemas['PersonDto']; field: string; name: string }) {
  const [open, setOpen] = useState(false);
  return (
    <Popover.Root open={open} onOpenChange={setOpen}>
      <Popover.Trigger asChild>
        <button
          type="button"
          className="min-h-6 py-0 text-left leading-tight text-soft hover:text-leaf hover:underline"
          aria-label={phrase('Change {name}', { name })}
        >
          {name}
        </button>
      </Popover.Trigger>
      <Popover.Portal>
        <Float
          open={open}
          close={() => setOpen(false)}
          className="w-72 p-4"
          align="start"
          sideOffset={4}
          aria-label={phrase('Change {name}', { name })}
        >
          <EditPerson person={person} only={field} leave={() => setOpen(false)} />
        </Float>
      </Popover.Portal>
    </Popover.Root>
  );
}
