import { useQueryClient } from '@tanstack/react-query';
import { lazy, Suspense, useEffect } from 'react';
import { ErrorBoundary, type FallbackProps } from 'react-error-boundary';
import { BrowserRouter, Link, Navigate, Route, Routes, useLocation } from 'react-router';
import { Toaster } from 'sonner';
import { KeeperInside } from '../features/keeper/KeeperInside';
import { KeepPage } from '../features/keeper/KeepPage';
import { BeginPage } from '../features/session/BeginPage';
import { ForgottenPassword } from '../features/session/ForgottenPassword';
import { JoinPage, NewPasswordPage } from '../features/session/LinkPages';
import { SignIn } from '../features/session/SignIn';
import { Today } from '../features/today/Today';
import { Button, Empty, Loading, Trouble } from '../ui/bits';
import { DayPage, PageHead } from '../ui/DayPage';
import { useSaveKey, useUndoKey } from '../ui/keys';
import { phrase } from '../words/phrase';
import { Sentence } from '../words/Sentence';
import { Connection } from './Connection';
import { useChanges } from './changes';
import { type Session, useSession } from './session';
import { TopLine } from './TopLine';
import { useTongue } from './useTongue';

const DataPage = lazy(() => import('../features/house/DataPage'));
const AlmanacPage = lazy(() => import('../features/almanac/AlmanacPage'));
const ForgottenPage = lazy(() => import('../features/almanac/ForgottenPage'));
const PeopleList = lazy(() => import('../features/people/PeopleList'));
const PersonPage = lazy(() => import('../features/people/PersonPage'));
const ImportList = lazy(() => import('../features/imports/ImportList'));
const ImportPage = lazy(() => import('../features/imports/ImportPage'));
const SamePeople = lazy(() => import('../features/people/SamePeople'));
const SegmentList = lazy(() => import('../features/segments/SegmentList'));
const ListsPage = lazy(() => import('../features/lists/ListsPage'));
const ConsentGlance = lazy(() => import('../features/consent/ConsentGlance'));
const SegmentPage = lazy(() => import('../features/segments/SegmentPage'));
const InquiriesPage = lazy(() => import('../features/inquiries/InquiriesPage'));
const TasksPage = lazy(() => import('../features/tasks/TasksPage'));
const TaskSetsPage = lazy(() => import('../features/tasks/TaskSetsPage'));
const ProofPage = lazy(() => import('../features/proof/ProofPage'));
const PostsPage = lazy(() => import('../features/posts/PostsPage'));
const IdeasPage = lazy(() => import('../features/posts/IdeasPage'));
const BroadcastsPage = lazy(() => import('../features/broadcasts/BroadcastsPage'));
const BroadcastPage = lazy(() => import('../features/broadcasts/BroadcastPage'));
const FilmsPage = lazy(() => import('../features/films/FilmsPage'));
const StagesPage = lazy(() => import('../features/pipeline/StagesPage'));
const BeginningPage = lazy(() => import('../features/beginning/BeginningPage'));
const MembersPage = lazy(() => import('../features/members/MembersPage'));
const YouPage = lazy(() => import('../features/you/YouPage'));
const MailAccountPage = lazy(() => import('../features/mailAccount/MailAccountPage'));
const JournalPage = lazy(() => import('../features/journal/JournalPage'));
const OutcomesPage = lazy(() => import('../features/practice/OutcomesPage'));
const GivingPage = lazy(() => import('../features/inquiries/GivingPage'));
const FormsPage = lazy(() => import('../features/forms/FormsPage'));
const FormPage = lazy(() => import('../features/forms/FormPage'));
const MeetingsPage = lazy(() => import('../features/meetings/MeetingsPage'));
const SentPage = lazy(() => import('../features/forms/SentPage'));
const PipelinePage = lazy(() => import('../features/pipeline/PipelinePage'));
const LostPage = lazy(() => import('../features/pipeline/LostPage'));
const PracticePage = lazy(() => import('../features/practice/PracticePage'));
const OthersPage = lazy(() => import('../features/others/OthersPage'));
const TagsPage = lazy(() => import('../features/practice/TagsPage'));
const SettingsPage = lazy(() => import('../features/practice/SettingsPage'));
const LetterList = lazy(() => import('../features/letters/LetterList'));
const OffersPage = lazy(() => import('../features/letters/OffersPage'));
const FiguresPage = lazy(() => import('../features/letters/FiguresPage'));
const FilesPage = lazy(() => import('../features/letters/FilesPage'));
const LandingsPage = lazy(() => import('../features/landings/LandingsPage'));
const LandingPage = lazy(() => import('../features/landings/LandingPage'));
const SendingPage = lazy(() => import('../features/results/SendingPage'));
const PracticeResults = lazy(() => import('../features/results/PracticeResults'));
const LetterPage = lazy(() => import('../features/letters/LetterPage'));
const SigningPage = lazy(() => import('../features/letters/SigningPage'));
const ProgramList = lazy(() => import('../features/programs/ProgramList'));
const ProgramPage = lazy(() => import('../features/programs/ProgramPage'));
const ReadyList = lazy(() => import('../features/programs/ReadyList'));
const ReadyPage = lazy(() => import('../features/programs/ReadyPage'));
const ResultsPage = lazy(() => import('../features/programs/ResultsPage'));
const RehearsePage = lazy(() => import('../features/programs/RehearsePage'));
const WalkPage = lazy(() => import('../features/programs/WalkPage'));
const MailBox = lazy(() => import('../features/standins/MailBox'));
const TextBox = lazy(() => import('../features/standins/TextBox'));

export function App() {
  return (
    <BrowserRouter>
      <Gate />
      <Toaster
        position="bottom-left"
        // What was done before is taken back on its own line, or by Ctrl+Z: one message is enough, and covers nothing for long.
        visibleToasts={1}
        toastOptions={{ duration: 10_000, className: 'float !font-sans !text-small !text-ink !bg-sheet !rounded-std' }}
      />
    </BrowserRouter>
  );
}

/** Signed in, the application; else the sign-in page, which leads back to where one was. */
function Gate() {
  const session = useSession();
  useTongue(session.data?.tongue);
  const queries = useQueryClient();
  const place = useLocation();
  useEffect(() => {
    const out = () => queries.invalidateQueries({ queryKey: ['session'] });
    window.addEventListener('germinal:signed-out', out);
    return () => window.removeEventListener('germinal:signed-out', out);
  }, [queries]);

  if (session.isPending) return <Loading />;
  if (!session.data) {
    return (
      <div className="mx-auto max-w-xl p-8">
        <Trouble error={session.error} />
      </div>
    );
  }

  // Links by mail lead in, whoever is signed in on this device.
  if (place.pathname === '/join') return <JoinPage />;
  if (place.pathname === '/new-password') return <NewPasswordPage />;
  if (place.pathname === '/keep' && !session.data.member) return <KeepPage />;
  if (!session.data.member) {
    if (session.data.noPractice) return <BeginPage />;
    if (place.pathname === '/forgotten') return <ForgottenPassword />;
    return place.pathname === '/sign-in' ? <SignIn /> : <Navigate to="/sign-in" replace state={{ from: place.pathname + place.search }} />;
  }

  if (session.data.unfinished) return <OnlyYou />;
  return session.data.may.includes('keep-installation') ? <KeeperInside /> : <Inside session={session.data} />;
}

/** A member whose practice asks for a second factor sets one up before anything else. */
function OnlyYou() {
  return (
    <Suspense fallback={<Loading />}>
      <YouPage />
    </Suspense>
  );
}

/** The application for a member who is signed in. */
function Inside({ session }: { session: Session }) {
  const place = useLocation();
  useChanges();
  useUndoKey();
  useSaveKey();
  return (
    <>
      <TopLine session={session} />
      <Connection />
      <ErrorBoundary FallbackComponent={Broken} resetKeys={[place.key]}>
        <Suspense fallback={<Loading />}>
          <Routes>
            <Route path="/" element={<Today />} />
            <Route path="/proof" element={<ProofPage />} />
            <Route path="/tasks" element={<TasksPage />} />
            <Route path="/tasks/sets" element={<TaskSetsPage />} />
            <Route path="/almanac" element={<AlmanacPage />} />
            <Route path="/almanac/forgotten" element={<ForgottenPage />} />
            <Route path="/people" element={<PeopleList />} />
            <Route path="/people/bring-in" element={<ImportList />} />
            <Route path="/people/bring-in/:id" element={<ImportPage />} />
            <Route path="/people/consent" element={<ConsentGlance />} />
            <Route path="/people/lists" element={<ListsPage />} />
            <Route path="/people/same" element={<SamePeople />} />
            <Route path="/people/segments" element={<SegmentList />} />
            <Route path="/people/segments/:id" element={<SegmentPage />} />
            <Route path="/people/:id" element={<PersonPage />} />
            <Route path="/inquiries" element={<InquiriesPage />} />
            <Route path="/inquiries/giving" element={<GivingPage />} />
            <Route path="/meetings" element={<MeetingsPage />} />
            <Route path="/forms" element={<FormsPage />} />
            <Route path="/forms/:id" element={<FormPage />} />
            <Route path="/forms/:id/sent" element={<SentPage />} />
            <Route path="/pipeline" element={<PipelinePage />} />
            <Route path="/pipeline/lost" element={<LostPage />} />
            <Route path="/practice" element={<PracticePage />} />
            <Route path="/practice/calls" element={<OutcomesPage />} />
            <Route path="/practice/data" element={<DataPage />} />
            <Route path="/practice/members" element={<MembersPage />} />
            <Route path="/practice/others" element={<OthersPage />} />
            <Route path="/practice/tags" element={<TagsPage />} />
            <Route path="/practice/:page" element={<SettingsPage />} />
            <Route path="/beginning" element={<BeginningPage />} />
            <Route path="/you" element={<YouPage />} />
            <Route path="/you/mail" element={<MailAccountPage />} />
            <Route path="/begin" element={<Navigate to="/beginning" replace />} />
            <Route path="/forgotten" element={<Navigate to="/you" replace />} />
            <Route path="/journal" element={<JournalPage />} />
            <Route path="/pipeline/stages" element={<StagesPage />} />
            <Route path="/posts" element={<PostsPage />} />
            <Route path="/posts/ideas" element={<IdeasPage />} />
            <Route path="/programs/broadcasts" element={<BroadcastsPage />} />
            <Route path="/programs/broadcasts/:id" element={<BroadcastPage />} />
            <Route path="/results/sending" element={<SendingPage />} />
            <Route path="/results" element={<PracticeResults />} />
            <Route path="/letters/films" element={<FilmsPage />} />
            <Route path="/letters" element={<LetterList />} />
            <Route path="/letters/offers" element={<OffersPage />} />
            <Route path="/letters/figures" element={<FiguresPage />} />
            <Route path="/letters/files" element={<FilesPage />} />
            <Route path="/letters/pages" element={<LandingsPage />} />
            <Route path="/letters/pages/:id" element={<LandingPage />} />
            <Route path="/letters/:id" element={<LetterPage />} />
            <Route path="/signing" element={<SigningPage />} />
            <Route path="/programs" element={<ProgramList />} />
            <Route path="/programs/ready" element={<ReadyList />} />
            <Route path="/programs/ready/:key" element={<ReadyPage />} />
            <Route path="/programs/:id/walk" element={<WalkPage />} />
            <Route path="/programs/:id/results" element={<ResultsPage />} />
            <Route path="/programs/:id/rehearse" element={<RehearsePage />} />
            <Route path="/programs/:id" element={<ProgramPage />} />
            {session.standIns && <Route path="/stand-ins/mail" element={<MailBox />} />}
            {session.standIns && <Route path="/stand-ins/texts" element={<TextBox />} />}
            <Route path="/sign-in" element={<Navigate to={(place.state as { from?: string } | null)?.from ?? '/'} replace />} />
            <Route path="*" element={<Nowhere />} />
          </Routes>
        </Suspense>
      </ErrorBoundary>
    </>
  );
}

/** A page that could not be shown: the rest of the application stays, and one can go elsewhere or try again. */
function Broken({ error, resetErrorBoundary }: FallbackProps) {
  return (
    <DayPage marginTitle={phrase('Help')} margin={null}>
      <PageHead title={phrase('This page could not be shown')} />
      <div className="px-7" role="alert">
        <p>{phrase('What you saved is kept. Try it again; if it stays like this, tell whoever looks after this installation:')}</p>
        <p className="my-3 font-serif">{error instanceof Error ? error.message : String(error)}</p>
        <Button onClick={resetErrorBoundary}>{phrase('Try again')}</Button>
      </div>
    </DayPage>
  );
}

function Nowhere() {
  return (
    <DayPage marginTitle={phrase('Help')} margin={null}>
      <PageHead title={phrase('There is no such page')} />
      <Empty>
        <Sentence
          m="The address may have been cut short. <link>Today</link> is a good place to go on from."
          v={{ link: (c) => <Link to="/">{c}</Link> }}
        />
      </Empty>
    </DayPage>
  );
}
