import { useQueryClient } from '@tanstack/react-query';
import { NavLink, useNavigate } from 'react-router';
import { api, take } from '../api/client';
import { TakeIn } from '../features/inquiries/TakeIn';
import { forgetAll } from '../ui/kept';
import { Menu, MenuItem, MenuWords } from '../ui/Menu';
import { ClockMenu } from './ClockMenu';
import { FindBox } from './FindBox';
import { KeySheet } from './KeySheet';
import type { Session } from './session';

/** On a narrow screen so many stand in the line; the others fold into one word. */
const kept = 2;

const tabs = [
  { to: '/', label: 'Today' },
  { to: '/almanac', label: 'Almanac' },
  { to: '/people', label: 'People' },
  { to: '/inquiries', label: 'Inquiries' },
  { to: '/pipeline', label: 'Pipeline' },
  { to: '/programs', label: 'Programs' },
  { to: '/letters', label: 'Letters' },
  { to: '/results', label: 'Results' },
];

/** The line at the top of every page. It shows only what works. */
export function TopLine({ session }: { session: Session }) {
  const go = useNavigate();
  return (
    <header
      id="top"
      className="sticky top-0 z-20 flex h-[52px] items-center gap-6 border-b border-ink bg-paper px-7 max-[699px]:gap-3 max-[699px]:px-3"
    >
      <NavLink to="/" className="mr-2.5 font-serif text-[21px] font-semibold tracking-tight text-ink no-underline max-[699px]:hidden">
        Germinal
      </NavLink>
      <nav aria-label="Main" className="flex flex-1 gap-4 max-[699px]:gap-3">
        {tabs.map((tab, i) => (
          <NavLink
            key={tab.to}
            to={tab.to}
            end={tab.to === '/'}
            className={({ isActive }) =>
              `border-b-[3px] pt-[15px] pb-[11px] no-underline ${isActive ? 'border-leaf font-semibold text-ink' : 'border-transparent text-soft hover:text-ink'} ${i < kept ? '' : 'max-[699px]:hidden'}`
            }
          >
            {tab.label}
          </NavLink>
        ))}
        <Menu trigger="More" className="hidden text-soft max-[699px]:block" within="top">
          {tabs.slice(kept).map((tab) => (
            <MenuItem key={tab.to} choose={() => go(tab.to)}>
              {tab.label}
            </MenuItem>
          ))}
        </Menu>
      </nav>
      <FindBox />
      <TakeIn />
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

  return (
    <Menu
      trigger={initials}
      label={`${initials}, ${name}, ${session.practice}`}
      className="text-small"
      list="min-w-48"
      within="top"
      align="end"
    >
      <MenuWords>
        {name}
        <br />
        {session.practice}
      </MenuWords>
      {session.begins && <MenuItem choose={() => go('/beginning')}>Beginning</MenuItem>}
      <MenuItem choose={() => go('/practice')}>The practice</MenuItem>
      <MenuItem choose={() => go('/practice/members')}>Members</MenuItem>
      {session.may.includes('take-whole') && <MenuItem choose={() => go('/practice/data')}>All data</MenuItem>}
      {session.may.includes('see-journal') && <MenuItem choose={() => go('/journal')}>Journal</MenuItem>}
      <MenuItem choose={() => go('/you')}>You, and how you sign in</MenuItem>
      <MenuItem choose={() => go('/signing')}>How you sign</MenuItem>
      {session.standIns && (
        <>
          <MenuItem choose={() => go('/stand-ins/mail')}>Stand-ins: mail</MenuItem>
          <MenuItem choose={() => go('/stand-ins/texts')}>Stand-ins: texts</MenuItem>
        </>
      )}
      <MenuItem choose={signOut}>Sign out</MenuItem>
    </Menu>
  );
}
