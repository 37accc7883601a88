import { Popover } from 'radix-ui';
import { type ComponentProps, useEffect } from 'react';
import { Sentence } from '../words/Sentence';
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
          <Sentence
            m="What you have written here is not used yet. <button>Throw it away</button><button2>Go on writing</button2>"
            v={{
              button: (c) => (
                <Button look="danger" className="mr-3" onClick={close}>
                  {c}
                </Button>
              ),
              button2: (c) => <Button onClick={goOn}>{c}</Button>,
            }}
          />
        </div>
      )}
    </Popover.Content>
  );
}
