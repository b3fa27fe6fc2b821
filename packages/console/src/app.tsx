import { ApiError } from '@nimble-latch/api/client';
import { lazy, Suspense, useEffect, useState } from 'react';
import { RouterProvider } from 'react-aria-components';
import { Route, Routes, useNavigate, useHref } from 'react-router';
import { Button } from './components/button.js';
import { Dialog } from './components/dialog.js';
import { Banner, Empty, Page } from './components/layout.js';
import { words } from './messages/index.js';
import { rememberCsrf, setProofAsker, troubleOf, useRead } from './session/api.js';
import { Door } from './session/door.js';
import { EnterPage, SetUpPage } from './session/link-pages.js';
import { SignInForm } from './session/sign-in-form.js';
import { SessionContext } from './session/context.js';
import { Shell } from './shell.js';

const OverviewPage = lazy(async () => ({ default: (await import('./overview/overview-page.js')).OverviewPage }));
const PeoplePage = lazy(async () => ({ default: (await import('./people/people-page.js')).PeoplePage }));
const PersonPage = lazy(async () => ({ default: (await import('./people/person-page.js')).PersonPage }));
const GroupsPage = lazy(async () => ({ default: (await import('./groups/groups-page.js')).GroupsPage }));
const GroupPage = lazy(async () => ({ default: (await import('./groups/group-page.js')).GroupPage }));
const ImportsPage = lazy(async () => ({ default: (await import('./imports/imports-page.js')).ImportsPage }));
const ImportPage = lazy(async () => ({ default: (await import('./imports/import-page.js')).ImportPage }));
const ApplicationsPage = lazy(async () => ({
  default: (await import('./applications/applications-page.js')).ApplicationsPage,
}));
const ApplicationPage = lazy(async () => ({
  default: (await import('./applications/application-page.js')).ApplicationPage,
}));
const WalkThroughPage = lazy(async () => ({
  default: (await import('./walkthrough/walk-through-page.js')).WalkThroughPage,
}));
const ActivityPage = lazy(async () => ({ default: (await import('./activity/activity-page.js')).ActivityPage }));
const StoryPage = lazy(async () => ({ default: (await import('./activity/story-page.js')).StoryPage }));
const TrailPage = lazy(async () => ({ default: (await import('./activity/trail-page.js')).TrailPage }));
const RulebookPage = lazy(async () => ({ default: (await import('./rulebook/rulebook-page.js')).RulebookPage }));
const DraftPage = lazy(async () => ({ default: (await import('./rulebook/draft-page.js')).DraftPage }));
const ExplainPage = lazy(async () => ({ default: (await import('./rulebook/explain-page.js')).ExplainPage }));
const AdministratorsPage = lazy(async () => ({
  default: (await import('./administrators/administrators-page.js')).AdministratorsPage,
}));
const StockPage = lazy(async () => ({ default: (await import('./stock/stock-page.js')).StockPage }));
const TokenPage = lazy(async () => ({ default: (await import('./stock/token-page.js')).TokenPage }));
const LabelsPage = lazy(async () => ({ default: (await import('./stock/labels-page.js')).LabelsPage }));
const KeyModelsPage = lazy(async () => ({ default: (await import('./settings/key-models-page.js')).KeyModelsPage }));
const SettingsPage = lazy(async () => ({ default: (await import('./settings/settings-page.js')).SettingsPage }));

export function App() {
  const navigate = useNavigate();
  return (
    <RouterProvider navigate={(to) => void navigate(to)} useHref={useHref}>
      <Routes>
        <Route path="/set-up" element={<SetUpPage />} />
        <Route path="/enter" element={<EnterPage />} />
        <Route path="*" element={<Console />} />
      </Routes>
    </RouterProvider>
  );
}

/** Everything behind the sign-in. */
function Console() {
  const session = useRead('session.show');
  const [proof, setProof] = useState<{ settle: (given: boolean) => void }>();
  if (session.data) rememberCsrf(session.data.csrf);
  useEffect(() => {
    setProofAsker(
      () =>
        new Promise((resolve) => {
          setProof({
            settle(given) {
              setProof(undefined);
              resolve(given);
            },
          });
        }),
    );
    return () => setProofAsker(undefined);
  }, []);
  if (session.error instanceof ApiError && session.error.code === 'not-signed-in')
    return (
      <Door title={words.signIn.title}>
        <SignInForm onDone={() => void session.refetch()} />
      </Door>
    );
  if (session.error)
    return (
      <Door title={words.product}>
        <Banner $tone="danger" role="alert">
          {troubleOf(session.error)?.text}
        </Banner>
        <Button onPress={() => void session.refetch()}>{words.act.again}</Button>
      </Door>
    );
  if (!session.data) return <Door title={words.loading}>{null}</Door>;
  return (
    <SessionContext value={session.data}>
      <Shell>
        <Suspense fallback={<Page aria-busy="true">{words.loading}</Page>}>
          <Routes>
            {/* The overview is about everybody; whose roles end at groups begins with their people. */}
            <Route index element={session.data.limited ? <PeoplePage /> : <OverviewPage />} />
            <Route path="people" element={<PeoplePage />} />
            <Route path="people/:id" element={<PersonPage />} />
            <Route path="groups" element={<GroupsPage />} />
            <Route path="groups/:id" element={<GroupPage />} />
            <Route path="imports" element={<ImportsPage />} />
            <Route path="imports/:id" element={<ImportPage />} />
            <Route path="stock" element={<StockPage />} />
            <Route path="stock/print" element={<LabelsPage />} />
            <Route path="stock/:id" element={<TokenPage />} />
            <Route path="applications" element={<ApplicationsPage />} />
            <Route path="applications/:id" element={<ApplicationPage />} />
            <Route path="rulebook" element={<RulebookPage />} />
            <Route path="rulebook/draft" element={<DraftPage />} />
            <Route path="explain" element={<ExplainPage />} />
            <Route path="walk-through" element={<WalkThroughPage />} />
            <Route path="sign-ins" element={<ActivityPage />} />
            <Route path="sign-ins/:id" element={<StoryPage />} />
            <Route path="trail" element={<TrailPage />} />
            <Route path="administrators" element={<AdministratorsPage />} />
            <Route path="settings" element={<SettingsPage />} />
            <Route path="settings/key-models" element={<KeyModelsPage />} />
            <Route path="*" element={<NotFound />} />
          </Routes>
        </Suspense>
      </Shell>
      {proof && (
        <Dialog title={words.reProof.title} onClose={() => proof.settle(false)}>
          <p>{words.reProof.hint}</p>
          <SignInForm
            loginName={session.data.person.loginName}
            onDone={() => proof.settle(true)}
            onCancel={() => proof.settle(false)}
          />
        </Dialog>
      )}
    </SessionContext>
  );
}

function NotFound() {
  return (
    <Page>
      <Empty title={words.notFound.title} hint={words.notFound.hint}>
        <a href="/">{words.notFound.act}</a>
      </Empty>
    </Page>
  );
}
