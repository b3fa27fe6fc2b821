import '../zod-without-eval.js';
import '@fontsource/atkinson-hyperlegible-next/400.css';
import '@fontsource/atkinson-hyperlegible-next/600.css';
import '@fontsource/atkinson-hyperlegible-mono/400.css';
import { StrictMode } from 'react';
import { createRoot } from 'react-dom/client';
import { I18nProvider } from 'react-aria-components';
import { GlobalStyle } from '../theme/global-style.js';
import { language, locale } from './messages/index.js';
import { SignInPage } from './sign-in-page.js';
import { SignedInPage } from './signed-in-page.js';

document.documentElement.lang = language;

createRoot(document.getElementById('root')!).render(
  <StrictMode>
    <GlobalStyle />
    <I18nProvider locale={locale}>
      {window.location.pathname === '/signed-in' ? <SignedInPage /> : <SignInPage />}
    </I18nProvider>
  </StrictMode>,
);
