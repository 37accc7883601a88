import { lazy, Suspense } from 'react';
import { Navigate, Route, Routes } from 'react-router';
import { nameInLine, PageTop, Tab } from '../../app/PageTop';
import { useSignOut } from '../../app/useSignOut';
import { Button, Loading } from '../../ui/bits';
import { useSaveKey } from '../../ui/keys';
import { phrase } from '../../words/phrase';

const KeeperPage = lazy(() => import('./KeeperPage'));
const YouPage = lazy(() => import('../you/YouPage'));

/** The application for whoever keeps the installation: nothing of a practice is in it. */
export function KeeperInside() {
  const signOut = useSignOut();
  useSaveKey();
  return (
    <>
      <PageTop>
        <span className={nameInLine}>Germinal</span>
        <nav aria-label={phrase('Main')} className="flex flex-1 gap-4">
          <Tab to="/" label={phrase('Practices')} alone />
          <Tab to="/you" label={phrase('You')} alone />
        </nav>
        <Button look="plain" className="min-h-6" onClick={signOut}>
          {phrase('Sign out')}
        </Button>
      </PageTop>
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
