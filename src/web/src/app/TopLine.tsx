import { useQueryClient } from '@tanstack/react-query';
import { NavLink, useNavigate } from 'react-router';
import { api, take } from '../api/client';
import { TakeIn } from '../features/inquiries/TakeIn';
import { forgetAll } from '../ui/kept';
import { Menu, MenuItem, MenuWords } from '../ui/Menu';
import { phrase } from '../words/phrase';
import { ClockMenu } from './ClockMenu';
import { FindBox } from './FindBox';
import { KeySheet } from './KeySheet';
import type { Session } from './session';

/** On a narrow screen so many stand in the line; the others fold into one word. */
const kept = 2;

const tabs = [
  { to: '/', label: phrase('Today') },
  { to: '/almanac', label: phrase('Almanac') },
  { to: '/people', label: phrase('People') },
  { to: '/inquiries', label: phrase('Inquiries') },
  { to: '/pipeline', label: phrase('Pipeline') },
  { to: '/programs', label: phrase('Programs') },
  { to: '/letters', label: phrase('Letters') },
  { to: '/results', label: phrase('Results') },
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
      <nav aria-label={phrase('Main')} className="flex flex-1 gap-4 max-[699px]:gap-3">
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
        <Menu trigger={phrase('More')} className="hidden text-soft max-[699px]:block" within="top">
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
      {session.begins && <MenuItem choose={() => go('/beginning')}>{phrase('Beginning')}</MenuItem>}
      <MenuItem choose={() => go('/practice')}>{phrase('The practice')}</MenuItem>
      <MenuItem choose={() => go('/practice/members')}>{phrase('Members')}</MenuItem>
      {session.may.includes('take-whole') && <MenuItem choose={() => go('/practice/data')}>{phrase('All data')}</MenuItem>}
      {session.may.includes('see-journal') && <MenuItem choose={() => go('/journal')}>{phrase('Journal')}</MenuItem>}
      <MenuItem choose={() => go('/you')}>{phrase('You, and how you sign in')}</MenuItem>
      <MenuItem choose={() => go('/signing')}>{phrase('How you sign')}</MenuItem>
      {session.standIns && (
        <>
          <MenuItem choose={() => go('/stand-ins/mail')}>{phrase('Stand-ins: mail')}</MenuItem>
          <MenuItem choose={() => go('/stand-ins/texts')}>{phrase('Stand-ins: texts')}</MenuItem>
        </>
      )}
      <MenuItem choose={signOut}>{phrase('Sign out')}</MenuItem>
    </Menu>
  );
}
