// @vitest-environment happy-dom
import { ROUTE_IDS, ROUTES, type Answer, type Language, type RouteId, type RouteSpec } from '@nimble-latch/api';
import { answerOf, ID, routeOf, type Making } from '@nimble-latch/api/testing';
import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { cleanup, render, waitFor, within } from '@testing-library/react';
import { I18nProvider } from 'react-aria-components';
import { MemoryRouter } from 'react-router';
import { afterEach, beforeAll, beforeEach, describe, expect, it, vi } from 'vitest';
import { AREAS } from './areas.js';

/**
 * Every page of the console against answers that the contract allows: with all that they may have, with as little as they must, while
 * they are waited for, and where there are none; in each language.
 */

/** How long a page may take to come up on a machine that is busy with others. */
const PATIENT = { timeout: 20_000 };

type Answering = Making | 'never' | 'failing';
let how: Answering;
const asked = new Set<RouteId>();
/** Whether the page wants anything of the service. */
const asksForSomething = () => [...asked].some((route) => route !== 'overview.waiting');

const PROBLEM = {
  type: 'urn:nimble-latch:internal',
  status: 500,
  code: 'internal',
  title: 'Something went wrong.',
  detail: '',
  remedy: 'Try again in a moment.',
  facts: {},
};

/** Somebody who may do everything. */
const session = (): Answer<'session.show'> => ({
  ...(answerOf('session.show', { few: false, turn: 0 }) as Answer<'session.show'>),
  calls: [...ROUTE_IDS],
  limited: false,
  hasFactor: true,
  hasPassword: true,
});

function answer(route: RouteId): Promise<Response> {
  if (route === 'session.show') return Promise.resolve(Response.json(session()));
  asked.add(route);
  if (how === 'never') return new Promise(() => undefined);
  if (how === 'failing')
    return Promise.resolve(
      new Response(JSON.stringify(PROBLEM), {
        status: PROBLEM.status,
        headers: { 'content-type': 'application/problem+json' },
      }),
    );
  const made = answerOf(route, how);
  const spec: RouteSpec = ROUTES[route];
  return Promise.resolve(
    new Response(typeof made === 'string' ? made : JSON.stringify(made), {
      headers: { 'content-type': spec.media ?? 'application/json', etag: '"1"' },
    }),
  );
}

beforeEach(() => {
  asked.clear();
  vi.stubGlobal(
    'fetch',
    async (address: string | URL, { method = 'GET' }: RequestInit = {}) =>
      await answer(routeOf(method, String(new URL(String(address), 'http://localhost:8470')))),
  );
  // Of what comes by itself nothing comes.
  vi.stubGlobal(
    'EventSource',
    class extends EventTarget {
      close() {}
    },
  );
});
afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

/** Addresses of all pages, with an id where they have one. */
const PATHS = AREAS.flatMap(({ pages }) => pages.map(({ path }) => `/${path.replaceAll(/:\w+/g, ID)}`));

/** Pages that ask for nothing but names to choose from before somebody has said what. */
const SILENT: ReadonlySet<string> = new Set(['/explain', '/walk-through']);

const MAKINGS: readonly (readonly [string, Making])[] = [
  ['all that an answer may have', { few: false, turn: 0 }],
  ['the other forms of it', { few: false, turn: 1 }],
  ['as little as it must have', { few: true, turn: 0 }],
];

describe.each<Language>(['en', 'de'])('in %s', (language) => {
  let App: () => React.ReactNode;
  let words: { readonly loading: string };
  beforeAll(async () => {
    localStorage.setItem('nimble-latch.language', language);
    vi.resetModules();
    ({ App } = await import('./app.js'));
    ({ words } = await import('./frame/messages/index.js'));
  });

  /** Opens a page as somebody who is signed in, and answers its main part. */
  async function open(path: string): Promise<HTMLElement> {
    const queries = new QueryClient({ defaultOptions: { queries: { retry: false, staleTime: 5_000 } } });
    const { container } = render(
      <QueryClientProvider client={queries}>
        <I18nProvider locale={language === 'en' ? 'en-GB' : language}>
          <MemoryRouter initialEntries={[path]}>
            <App />
          </MemoryRouter>
        </I18nProvider>
      </QueryClientProvider>,
    );
    return await waitFor(() => within(container).getByRole('main'), PATIENT);
  }

  /** Waits until nothing is waited for any more. */
  const settled = async (main: () => HTMLElement) =>
    await waitFor(() => {
      expect(main().getAttribute('aria-busy')).not.toBe('true');
      expect(main().querySelector('[aria-busy=true]')).toBeNull();
      expect(main().querySelector('h1')?.textContent).toBeTruthy();
    }, PATIENT);
  const shown = () => document.querySelector<HTMLElement>('main')!;

  describe.each(PATHS)('%s', (path) => {
    // What does not hang on the words is looked at in one language.
    it.each(language === 'en' ? MAKINGS : MAKINGS.slice(0, 1))('shows %s', async (_, making) => {
      how = making;
      await open(path);
      await settled(shown);
      const text = shown().textContent;
      // What was not put in, what is no word, and what is no time. (`{name}` is what a template of a mail says.)
      expect(text.replaceAll('{name}', '')).not.toMatch(/\{\w+[,}]|undefined|\[object |NaN|Invalid Date/);
    });

    if (language !== 'en' || SILENT.has(path)) return;

    it('says that it waits, for whoever looks and whoever hears', async () => {
      how = 'never';
      await open(path);
      await waitFor(() => expect(asksForSomething()).toBe(true), PATIENT);
      await waitFor(() =>
        expect(document.querySelector('[aria-busy=true] [role=status]')?.textContent).toBe(words.loading),
      );
    });

    it('says what went wrong where the service can’t answer', async () => {
      how = 'failing';
      await open(path);
      await waitFor(() => expect(asksForSomething()).toBe(true), PATIENT);
      await waitFor(() => expect(shown().textContent).toContain(PROBLEM.title), PATIENT);
    });
  });
});
