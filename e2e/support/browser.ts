import AxeBuilder from '@axe-core/playwright';
import { chromium, type Browser, type BrowserContext, type CDPSession, type Page } from 'playwright-core';
import { expect } from 'vitest';
import { PASSWORD } from './installation.js';

const FLAGS = [
  '--disable-background-networking',
  '--disable-component-update',
  '--disable-sync',
  '--no-first-run',
  ...(process.getuid?.() === 0 ? ['--no-sandbox'] : []),
];

/** The browser without windows of its own, which takes less to start and to draw; and the whole one, which can be rung while a page is closed. */
const PROGRAMS = { windowless: '/usr/bin/chromium-headless-shell', whole: '/usr/bin/chromium' } as const;
type Program = keyof typeof PROGRAMS;

export interface OpenPage {
  readonly browser: Browser;
  readonly page: Page;
  /** What the browser complained about: a violated policy, a script that failed. */
  readonly complaints: string[];
}

/** The one Chromium of a worker, of each kind: starting one takes as long as many a test. They end with the worker. */
const running = new Map<Program, Promise<Browser>>();

async function launched(kind: Program): Promise<Browser> {
  const program = await chromium.launch({ executablePath: PROGRAMS[kind], args: FLAGS });
  // One that crashed is not met again by the next file.
  program.once('disconnected', () => running.delete(kind));
  return program;
}

/** A browser of a test file's own, as far as a page can tell: nothing is shared but the program. */
async function ownBrowser(kind: Program): Promise<Browser> {
  if (!running.has(kind)) running.set(kind, launched(kind));
  const program = await running.get(kind)!;
  const own: BrowserContext[] = [];
  const part: Pick<Browser, 'newContext' | 'close'> = {
    async newContext(options) {
      const context = await program.newContext(options);
      own.push(context);
      return context;
    },
    async close() {
      await Promise.all(own.map(async (context) => await context.close()));
    },
  };
  return part as Browser;
}

/** A headless Chromium with one page. */
export async function openPage(kind: Program = 'windowless'): Promise<OpenPage> {
  const browser = await ownBrowser(kind);
  const page = await (
    await browser.newContext({ viewport: { width: 1280, height: 800 }, reducedMotion: 'reduce' })
  ).newPage();
  const complaints: string[] = [];
  page.setDefaultTimeout(60_000);
  page.on('console', (message) => {
    if (message.type() === 'error' && !/status of 4\d\d/.test(message.text())) complaints.push(message.text());
  });
  page.on('pageerror', (error) => complaints.push(error.message));
  return { browser, page, complaints };
}

/** Signs in to the console by password, and waits for its first page. */
export async function intoConsole(
  page: Page,
  base: string,
  loginName = 'ines.marlow',
  first: string | RegExp = 'Overview',
): Promise<void> {
  await page.goto(base);
  await page.getByLabel('Login name').fill(loginName);
  await page.keyboard.press('Enter');
  await page.getByLabel('Password').fill(PASSWORD);
  await page.keyboard.press('Enter');
  await page.getByRole('heading', { name: first, level: 1 }).waitFor();
}

/** Takes something from what else can be done with a thing: from the menu behind the button that names the thing. */
export async function fromMenu(page: Page, about: string, choice: string, menu = 'More'): Promise<void> {
  await page.getByRole('button', { name: `${menu} ${about}`, exact: true }).click();
  await page.getByRole('menuitem', { name: choice, exact: true }).click();
}

/** Opens a part of a page that is folded. */
export async function unfold(page: Page, title: string): Promise<void> {
  const heading = page.getByRole('heading', { name: title });
  const part = page.locator('details', { has: heading });
  await part.waitFor();
  // It stays as somebody left it.
  if ((await part.getAttribute('open')) === null) await heading.click();
}

/** What of it depends on the theme and on the width; the rest is the same markup. */
const BY_LOOKS = ['color-contrast', 'target-size', 'link-in-text-block', 'scrollable-region-focusable'];

/**
 * Asserts that what the page shows violates nothing of WCAG 2.2 AA that can be told by a program.
 *
 * @param looksOnly only what another theme or width can change, of a page that was looked at as a whole
 */
export async function accessible(page: Page, what: string, looksOnly = false): Promise<void> {
  // What passes is of no interest, and telling it takes as long as finding what does not. There are no frames, for which a page of its own
  // would be opened each time.
  const options = {
    resultTypes: ['violations' as const],
    // 2.5.3, of which the library is not sure enough to look by itself.
    ...(looksOnly ? {} : { rules: { 'label-content-name-mismatch': { enabled: true } } }),
  };
  const builder = new AxeBuilder({ page }).options(options).setLegacyMode();
  const { violations } = await (
    looksOnly ? builder.withRules(BY_LOOKS) : builder.withTags(['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa'])
  ).analyze();
  expect(
    violations.map((one) => `${what}: ${one.id}: ${one.nodes.map((node) => node.target.join(' ')).join(', ')}`),
  ).toEqual([]);
}

/**
 * Builds a verifier of the platform into the browser of a page, with a finger that is always there.
 *
 * @returns by what it is spoken to, and taken out again
 */
export async function withPasskeys(page: Page): Promise<CDPSession & { readonly authenticatorId: string }> {
  const session = await page.context().newCDPSession(page);
  await session.send('WebAuthn.enable', { enableUI: false });
  const { authenticatorId } = await session.send('WebAuthn.addVirtualAuthenticator', {
    options: {
      protocol: 'ctap2',
      transport: 'internal',
      hasResidentKey: true,
      hasUserVerification: true,
      isUserVerified: true,
      automaticPresenceSimulation: true,
    },
  });
  return Object.assign(session, { authenticatorId });
}
