import type { ReactNode } from 'react';

/** A place whose content may be wider or higher than it is: it is scrolled there, by key too, as nothing in it may take the focus. */
export function Scrolls({ label, className = '', children }: { label: string; className?: string; children: ReactNode }) {
  return (
    // biome-ignore lint/a11y/useSemanticElements: it belongs to no form, and is no place of the page to jump to
    // biome-ignore lint/a11y/noNoninteractiveTabindex: what scrolls is reached by key
    <div role="group" tabIndex={0} aria-label={label} className={`overflow-auto ${className}`}>
      {children}
    </div>
  );
}
