import { NavLink, useNavigate } from 'react-router';
import { TakeIn } from '../features/inquiries/TakeIn';
import { Menu, MenuItem, MenuWords } from '../ui/Menu';
import { phrase } from '../words/phrase';
import { ClockMenu } from './ClockMenu';
import { FindBox } from './FindBox';
import { KeySheet } from './KeySheet';
import { nameInLine, PageTop, Tab } from './PageTop';
import type { Session } from './session';
import { useSignOut } from './useSignOut';

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
    <PageTop>
      <NavLink to="/" className={nameInLine}>
        Germinal
      </NavLink>
      <nav aria-label={phrase('Main')} className="flex flex-1 gap-4 max-[699px]:gap-3">
        {tabs.map((tab, i) => (
          <Tab key={tab.to} {...tab} alone={tab.to === '/'} folds={i >= kept} />
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
    </PageTop>
  );
}

function MemberMenu({ session }: { session: Session }) {
  const go = useNavigate();
  const signOut = useSignOut();
  const name = session.member?.name ?? '';
  const initials = name
    .split(' ')
    .map((w) => w[0])
    .join('');

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
