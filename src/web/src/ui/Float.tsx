import { Popover } from 'radix-ui';
import { type ComponentProps, useEffect } from 'react';
import { useAsking } from './asking';
import { Button } from './bits';

/**
 * What floats in a popover and is written in. Once something was typed, Escape or a press outside asks before it is thrown
 * away; a second Escape says yes.
 * @param live what is written in it is used as it is written, so that nothing is thrown away
 */
export function Float({
  open,
  close,
  className = '',
  children,
  live = false,
  ...rest
}: ComponentProps<typeof Popover.Content> & { open: boolean; close: () => void; live?: boolean }) {
  const { asking, typed, goOn, afresh, mayLeave } = useAsking();
  useEffect(afresh, [open]);
  const ask = (event: Event) => {
    if (!live && !mayLeave(event instanceof KeyboardEvent)) event.preventDefault();
  };
  return (
    <Popover.Content className={`float ${className}`} onInput={typed} onEscapeKeyDown={ask} onInteractOutside={ask} {...rest}>
      {children}
      {asking && (
        <div role="alert" className="mt-3 border-t border-rule pt-2 text-small">
          What you have written here is not used yet.{' '}
          <Button look="danger" className="mr-3" onClick={close}>
            Throw it away
          </Button>
          <Button onClick={goOn}>Go on writing</Button>
        </div>
      )}
    </Popover.Content>
  );
}
