import type { Browser, Page } from 'playwright-core';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { intoConsole, openPage } from './support/browser.js';
import { Installation } from './support/installation.js';

let inst: Installation;
let base: string;
let browser: Browser;
let page: Page;
let complaints: string[];
beforeAll(async () => {
  inst = await Installation.start();
  base = inst.url.replace('127.0.0.1', 'localhost');
  ({ browser, page, complaints } = await openPage());
  await intoConsole(page, base);
});
afterAll(async () => {
  await browser.close();
  await inst.stop();
});

describe('the console', () => {
  it('has its areas in groups that fold and stay so, and settings by subject, of which one is saved without the others', async () => {
    await page.goto(`${base}/people`);
    const rail = page.getByRole('navigation', { name: 'Areas' });
    await rail.getByRole('link', { name: 'Rulebook' }).waitFor();
    await rail.getByRole('button', { name: 'Rules' }).click();
    await expect.poll(() => rail.getByRole('link', { name: 'Rulebook' }).count()).toBe(0);
    await page.reload();
    await rail.getByRole('link', { name: 'Hardware tokens' }).waitFor();
    expect(await rail.getByRole('link', { name: 'Rulebook' }).count()).toBe(0);
    // Where somebody is stays in sight.
    await page.goto(`${base}/methods`);
    await page.getByRole('heading', { name: 'Methods' }).waitFor();
    expect(await rail.getByRole('link', { name: 'Methods' }).getAttribute('aria-current')).toBe('page');
    await page.goto(`${base}/settings/key-models`);
    await page.getByRole('heading', { name: 'Models of keys' }).waitFor();
    expect(new URL(page.url()).pathname).toBe('/key-models');
    await rail.getByRole('button', { name: 'Rules' }).click();
    await rail.getByRole('link', { name: 'Rulebook' }).waitFor();

    const { settings: before } = await inst.owner.call('settings.show');
    await rail.getByRole('link', { name: 'Settings' }).click();
    await page.getByLabel('Organisation').fill('Port of Wexmoor');
    // Somebody else saves another subject meanwhile: what they set is not written over.
    const { version } = await inst.owner.call('settings.show');
    const risk = { ...before.risk, 'odd-hour': 0.7 };
    await inst.owner.call('settings.edit', { body: { ...before, risk }, ifMatch: version });
    await page.getByRole('button', { name: 'Save' }).click();
    await page
      .getByText(/Somebody changed it/)
      .first()
      .waitFor();
    expect((await inst.owner.call('settings.show')).settings).toEqual({ ...before, risk });
    await page.reload();
    await page.getByLabel('Organisation').fill('Port of Wexmoor');
    await page.getByRole('button', { name: 'Save' }).click();
    await expect
      .poll(async () => (await inst.owner.call('settings.show')).settings.organisation)
      .toBe('Port of Wexmoor');
    expect((await inst.owner.call('settings.show')).settings).toEqual({
      ...before,
      risk,
      organisation: 'Port of Wexmoor',
    });
    await page.getByRole('link', { name: 'Passwords' }).click();
    await page.getByLabel(/word/i).fill('harbour, quay,');
    await page.getByRole('button', { name: 'Save' }).click();
    await expect
      .poll(async () => (await inst.owner.call('settings.show')).settings.password.blockedWords)
      .toEqual(['harbour', 'quay']);
    const last = await inst.owner.call('settings.show');
    expect(last.settings).toEqual({
      ...before,
      risk,
      organisation: 'Port of Wexmoor',
      password: { blockedWords: ['harbour', 'quay'] },
    });
    expect(complaints).toEqual([]);
  });

  it.each(['people', 'sign-ins', 'trail', 'passes', 'invitations', 'stock', 'disputes'])(
    'tells what the address of %s says that it does not know, and nothing of what it does',
    async (area) => {
      const told = page.getByText('does not go by it');
      await page.goto(`${base}/${area}?state=banana&colour=red`);
      await told.getByText('state=banana, colour=red').waitFor();
      await page.goto(`${base}/${area}`);
      await page.getByRole('main').getByRole('heading', { level: 1 }).waitFor();
      expect(await told.count()).toBe(0);
    },
  );

  it('knows its own addresses', async () => {
    for (const address of [
      '/people?coverage=nothing&seen=never&q=quay',
      '/sign-ins?state=refused&since=2026-10-31',
      '/trail?area=person',
      '/passes?state=ended&by=me',
      '/invitations?state=stuck',
      '/stock?state=in-stock&q=1',
      '/disputes?state=settled',
    ]) {
      await page.goto(`${base}${address}`);
      await page.getByRole('main').getByRole('heading', { level: 1 }).waitFor();
      expect([address, await page.getByText('does not go by it').allTextContents()]).toEqual([address, []]);
    }
    expect(complaints).toEqual([]);
  });
});
