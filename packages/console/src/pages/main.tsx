import '../frame/zod-without-eval.js';
import '@fontsource/atkinson-hyperlegible-next/400.css';
import '@fontsource/atkinson-hyperlegible-next/600.css';
import '@fontsource/atkinson-hyperlegible-mono/400.css';
import { StrictMode, type ReactNode } from 'react';
import { createRoot } from 'react-dom/client';
import { I18nProvider } from 'react-aria-components';
import { GlobalStyle } from '../frame/theme/global-style.js';
import { language, locale } from './messages/index.js';
import { EnrolPage } from './enrol-page.js';
import { NotMePage } from './not-me-page.js';
import { ResetPage } from './reset-page.js';
import { SignInPage } from './sign-in-page.js';
import { SignedInPage } from './signed-in-page.js';

document.documentElement.lang = language;

const PAGES: Readonly<Record<string, () => ReactNode>> = {
  '/signed-in': SignedInPage,
  '/enrol': EnrolPage,
  '/reset-password': ResetPage,
  '/not-me': NotMePage,
};
const Page = PAGES[window.location.pathname] ?? SignInPage;

createRoot(document.getElementById('root')!).render(
  <StrictMode>
    <GlobalStyle />
    <I18nProvider locale={locale}>
      <Page />
    </I18nProvider>
  </StrictMode>,
);
