import { useQueryClient } from '@tanstack/react-query';
import { lazy, Suspense } from 'react';
import { Navigate, NavLink, Route, Routes, useNavigate } from 'react-router';
import { api, take } from '../../api/client';
import { Button, Loading } from '../../ui/bits';
import { forgetAll } from '../../ui/kept';
import { phrase } from '../../words/phrase';

const KeeperPage = lazy(() => import('./KeeperPage'));
const YouPage = lazy(() => import('../you/YouPage'));

const tabs = [
  { to: '/', label: phrase('Practices') },
  { to: '/you', label: phrase('You') },
];

/** The application for whoever keeps the installation: nothing of a practice is in it. */
export function KeeperInside() {
  const queries = useQueryClient();
  const go = useNavigate();
  async function signOut() {
    await take(api.DELETE('/api/session'));
    forgetAll();
    queries.clear();
    go('/sign-in');
  }

  return (
    <>
      <a href="#main" className="float sr-only focus:not-sr-only focus:fixed focus:top-2 focus:left-2 focus:px-3 focus:py-2">
        {phrase('To the page')}
      </a>
      <header
        id="top"
        className="sticky top-0 z-20 flex h-[52px] items-center gap-6 border-b border-ink bg-paper px-7 max-[699px]:gap-3 max-[699px]:px-3"
      >
        <span className="mr-2.5 font-serif text-[21px] font-semibold tracking-tight max-[699px]:hidden">Germinal</span>
        <nav aria-label={phrase('Main')} className="flex flex-1 gap-4">
          {tabs.map((tab) => (
            <NavLink
              key={tab.to}
              to={tab.to}
              end
              className={({ isActive }) =>
                `border-b-[3px] pt-[15px] pb-[11px] no-underline ${isActive ? 'border-leaf font-semibold text-ink' : 'border-transparent text-soft hover:text-ink'}`
              }
            >
              {tab.label}
            </NavLink>
          ))}
        </nav>
        <Button look="plain" className="min-h-6" onClick={signOut}>
          {phrase('Sign out')}
        </Button>
      </header>
      <Suspense fallback={<Loading />}>
        <Routes>
          <Route path="/" element={<KeeperPage />} />
          <Route path="/you" element={<YouPage />} />
          <Route path="*" element={<Navigate to="/" replace />} />
        </Routes>
      </Suspense>
    </>
  );
}
