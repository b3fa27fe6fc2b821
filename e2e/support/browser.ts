import AxeBuilder from '@axe-core/playwright';
import { chromium, type Browser, type CDPSession, type Page } from 'playwright-core';
import { expect } from 'vitest';
import { PASSWORD } from './installation.js';

const FLAGS = [
  '--disable-background-networking',
  '--disable-component-update',
  '--disable-sync',
  '--no-first-run',
  ...(process.getuid?.() === 0 ? ['--no-sandbox'] : []),
];

export interface OpenPage {
  readonly browser: Browser;
  readonly page: Page;
  /** What the browser complained about: a violated policy, a script that failed. */
  readonly complaints: string[];
}

/** A headless Chromium with one page. */
export async function openPage(): Promise<OpenPage> {
  const browser = await chromium.launch({ executablePath: '/usr/bin/chromium', args: FLAGS });
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
export async function intoConsole(page: Page, base: string, loginName = 'ines.marlow'): Promise<void> {
  await page.goto(base);
  await page.getByLabel('Login name').fill(loginName);
  await page.keyboard.press('Enter');
  await page.getByLabel('Password').fill(PASSWORD);
  await page.keyboard.press('Enter');
  await page.getByRole('heading', { name: 'Overview' }).waitFor();
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
  const builder = new AxeBuilder({ page }).options({ resultTypes: ['violations'] }).setLegacyMode();
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
