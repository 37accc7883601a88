import { Popover } from 'radix-ui';
import { useState } from 'react';
import { phrase } from '../words/phrase';
import { Button, fieldError, Trouble } from './bits';
import { Float } from './Float';
import { UntilField } from './UntilField';

/** Pausing something, without an end or until the beginning of a date. `pause` gets the date, or null for no end. */
export function PauseButton({
  words,
  label,
  what,
  pause,
}: {
  words: string;
  label?: string;
  what: string;
  pause: (until: string | null) => Promise<unknown>;
}) {
  const [open, setOpen] = useState(false);
  const [until, setUntil] = useState('');
  const [trouble, setTrouble] = useState<unknown>();
  const close = () => {
    setOpen(false);
    setUntil('');
    setTrouble(undefined);
  };
  return (
    <Popover.Root open={open} onOpenChange={(o) => (o ? setOpen(true) : close())}>
      <Popover.Trigger asChild>
        <Button look="plain" className="leading-6" aria-label={label}>
          {words}
        </Button>
      </Popover.Trigger>
      <Popover.Portal>
        <Float open={open} close={close} align="end" sideOffset={6} aria-label={label ?? words}>
          <form
            onSubmit={async (e) => {
              e.preventDefault();
              e.stopPropagation();
              try {
                await pause(until || null);
                close();
              } catch (problem) {
                setTrouble(problem);
              }
            }}
          >
            <p className="mb-2 max-w-[40ch] text-small text-soft">{what}</p>
            <UntilField
              value={until}
              set={setUntil}
              error={fieldError(trouble, 'until')}
              hint={until ? phrase('It goes on by itself at the beginning of that date.') : phrase('Empty: until somebody lets it go on.')}
            />
            <Trouble error={fieldError(trouble, 'until') ? null : trouble} />
            <Button type="submit" look="main">
              {phrase('Pause')}
            </Button>
          </form>
        </Float>
      </Popover.Portal>
    </Popover.Root>
  );
}
