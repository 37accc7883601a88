import type { ReactNode } from 'react';
import { NavLink } from 'react-router';
import { phrase } from '../words/phrase';

/** The line at the top of every page, and before it the way past it for whoever goes by keyboard. */
export function PageTop({ children }: { children: ReactNode }) {
  return (
    <>
      <a href="#main" className="float sr-only focus:not-sr-only focus:fixed focus:top-2 focus:left-2 focus:px-3 focus:py-2">
        {phrase('To the page')}
      </a>
      <header
        id="top"
        className="sticky top-0 z-20 flex h-[52px] items-center gap-6 border-b border-ink bg-paper px-7 max-[1400px]:gap-4 max-[699px]:gap-2 max-[699px]:px-3"
      >
        {children}
      </header>
    </>
  );
}

/** How the name of the application stands in the line; a narrow screen has no room for it. */
export const nameInLine = 'mr-2.5 font-serif text-[21px] font-semibold tracking-tight text-ink no-underline max-[699px]:hidden';

/**
 * A part of the application, underlined while one is in it.
 * @param alone whether one is in it at its own address only, not at those below.
 * @param folds whether it leaves the line where that is narrow; it is to be found elsewhere then.
 */
export function Tab({ to, label, alone = false, folds = false }: { to: string; label: string; alone?: boolean; folds?: boolean }) {
  return (
    <NavLink
      to={to}
      end={alone}
      className={({ isActive }) =>
        `border-b-[3px] pt-[15px] pb-[11px] no-underline ${isActive ? 'border-leaf font-semibold text-ink' : 'border-transparent text-soft hover:text-ink'} ${folds ? 'max-[699px]:hidden' : ''}`
      }
    >
      {label}
    </NavLink>
  );
}
