import { ApiError } from '@nimble-latch/api/client';
import { Suspense, useEffect, useState } from 'react';
import { RouterProvider } from 'react-aria-components';
import { Navigate, Route, Routes, useNavigate, useHref } from 'react-router';
import { AREAS } from './areas.js';
import { Button } from './frame/components/button.js';
import { Dialog } from './frame/components/dialog.js';
import { Banner, Empty, Page } from './frame/components/layout.js';
import { words } from './frame/messages/index.js';
import { rememberCsrf, setProofAsker, troubleOf, useRead } from './frame/session/api.js';
import { Door } from './frame/session/door.js';
import { EnterPage, SetUpPage } from './frame/session/link-pages.js';
import { SignInForm } from './frame/session/sign-in-form.js';
import { CallsContext, SessionContext } from './frame/session/context.js';
import { Shell } from './frame/shell.js';

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
      <CallsContext value={new Set(session.data.calls)}>
        <Shell areas={AREAS}>
          <Suspense fallback={<Page aria-busy="true">{words.loading}</Page>}>
            <Routes>
              {/* The overview is about everybody; whose roles end at groups begins with their people. */}
              {!session.data.calls.includes('overview.show') && (
                <Route index element={<Navigate to="/people" replace />} />
              )}
              {AREAS.flatMap(({ pages }) => pages)
                .filter(({ path }) => path !== '' || session.data.calls.includes('overview.show'))
                .map(({ path, page: Shown }) => (
                  <Route key={path} {...(path === '' ? { index: true as const } : { path })} element={<Shown />} />
                ))}
              {/* Where it was before settings had pages of their own. */}
              <Route path="settings/key-models" element={<Navigate to="/key-models" replace />} />
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
      </CallsContext>
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
