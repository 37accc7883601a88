import { useQueryClient } from '@tanstack/react-query';
import { DropdownMenu } from 'radix-ui';
import { NavLink, useNavigate } from 'react-router';
import { api, take } from '../api/client';
import { forgetAll } from '../ui/kept';
import { ClockMenu } from './ClockMenu';
import { FindBox } from './FindBox';
import { KeySheet } from './KeySheet';
import type { Session } from './session';

const tabs = [
  { to: '/', label: 'Today' },
  { to: '/people', label: 'People' },
  { to: '/programs', label: 'Programs' },
];

/** The line at the top of every page. It shows only what works. */
export function TopLine({ session }: { session: Session }) {
  return (
    <header className="sticky top-0 z-20 flex h-[52px] items-center gap-6 border-b border-ink bg-paper px-7 max-[699px]:gap-3 max-[699px]:px-3">
      <NavLink to="/" className="mr-2.5 font-serif text-[21px] font-semibold tracking-tight text-ink no-underline max-[699px]:hidden">
        Germinal
      </NavLink>
      <nav aria-label="Main" className="flex flex-1 gap-[22px] max-[699px]:gap-3">
        {tabs.map((tab) => (
          <NavLink
            key={tab.to}
            to={tab.to}
            end={tab.to === '/'}
            className={({ isActive }) =>
              `border-b-[3px] pt-[15px] pb-[11px] no-underline ${isActive ? 'border-leaf font-semibold text-ink' : 'border-transparent text-soft hover:text-ink'}`
            }
          >
            {tab.label}
          </NavLink>
        ))}
      </nav>
      <FindBox />
      <ClockMenu />
      <MemberMenu session={session} />
      <KeySheet />
    </header>
  );
}

function MemberMenu({ session }: { session: Session }) {
  const queries = useQueryClient();
  const go = useNavigate();
  const name = session.member?.name ?? '';
  const initials = name
    .split(' ')
    .map((w) => w[0])
    .join('');

  async function signOut() {
    await take(api.DELETE('/api/session'));
    // Nothing of anybody stays on the machine.
    forgetAll();
    queries.clear();
    go('/sign-in');
  }

  const item = 'block w-full cursor-pointer px-3 py-1.5 text-small outline-none data-[highlighted]:bg-leaf-pale';
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger className="text-small" aria-label={`${name}, ${session.practice}`}>
        {initials}
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content className="float min-w-48 py-1" align="end" sideOffset={8}>
          <DropdownMenu.Label className="px-3 py-1.5 text-small text-soft">
            {name}
            <br />
            {session.practice}
          </DropdownMenu.Label>
          <DropdownMenu.Separator className="my-1 h-px bg-rule" />
          <DropdownMenu.Item className={item} onSelect={() => go('/practice')}>
            The practice
          </DropdownMenu.Item>
          {session.standIns && (
            <>
              <DropdownMenu.Item className={item} onSelect={() => go('/stand-ins/mail')}>
                Stand-ins: mail
              </DropdownMenu.Item>
              <DropdownMenu.Item className={item} onSelect={() => go('/stand-ins/texts')}>
                Stand-ins: texts
              </DropdownMenu.Item>
            </>
          )}
          <DropdownMenu.Item className={item} onSelect={signOut}>
            Sign out
          </DropdownMenu.Item>
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
