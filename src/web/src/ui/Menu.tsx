import { DropdownMenu } from 'radix-ui';
import { type ReactNode, useEffect, useState } from 'react';

/**
 * A menu behind a word. The rest of the page stays reachable while it is open, and it floats within the part of the page it
 * belongs to, so that a screen reader finds it in a landmark.
 * @param within the landmark it floats in, by its id
 * @param focusElsewhere true where choosing sets the focus itself; else it goes back to the word
 */
export function Menu({
  trigger,
  label,
  className = '',
  list = '',
  within = 'main',
  align = 'start',
  open,
  setOpen,
  focusElsewhere = false,
  children,
}: {
  trigger: ReactNode;
  label?: string;
  className?: string;
  list?: string;
  within?: 'main' | 'top';
  align?: 'start' | 'end';
  open?: boolean;
  setOpen?: (open: boolean) => void;
  focusElsewhere?: boolean;
  children: ReactNode;
}) {
  // The landmark stands on the page once the page does.
  const [landmark, setLandmark] = useState<HTMLElement | null>(null);
  useEffect(() => setLandmark(document.getElementById(within)), [within]);
  return (
    <DropdownMenu.Root modal={false} open={open} onOpenChange={setOpen}>
      <DropdownMenu.Trigger className={className} aria-label={label}>
        {trigger}
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal container={landmark}>
        <DropdownMenu.Content
          className={`float z-60 max-h-(--radix-dropdown-menu-content-available-height) overflow-y-auto py-1 font-sans text-base ${list}`}
          align={align}
          sideOffset={6}
          collisionPadding={8}
          onCloseAutoFocus={focusElsewhere ? (e) => e.preventDefault() : undefined}
        >
          {children}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}

/** One thing to choose from a menu. */
export function MenuItem({ choose, children }: { choose: () => void; children: ReactNode }) {
  return (
    <DropdownMenu.Item
      className="flex cursor-pointer items-center gap-3 px-3 py-1.5 text-small outline-none data-[highlighted]:bg-leaf-pale"
      onSelect={choose}
    >
      {children}
    </DropdownMenu.Item>
  );
}

/** Words over a menu's choices. */
export function MenuWords({ children }: { children: ReactNode }) {
  return (
    <>
      <DropdownMenu.Label className="px-3 py-1.5 text-small text-soft">{children}</DropdownMenu.Label>
      <DropdownMenu.Separator className="my-1 h-px bg-rule" />
    </>
  );
}
