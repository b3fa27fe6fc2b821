import type { Browser, Page } from 'playwright-core';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { accessible, intoConsole, openPage } from './support/browser.js';
import { connectedApplication, Installation, personWithApp } from './support/installation.js';

let inst: Installation;
let browser: Browser;
let page: Page;
let complaints: string[];
beforeAll(async () => {
  inst = await Installation.start();
  ({ browser, page, complaints } = await openPage());
  await intoConsole(page, inst.url);
});
afterAll(async () => {
  await browser.close();
  await inst.stop();
});

describe('the console', () => {
  it('has no accessibility violation on any page, light or dark, wide or 360 px, and scrolls sideways on none', async () => {
    const owner = inst.owner;
    const { id } = await personWithApp(owner, 'tobias.renn');
    const group = await owner.call('groups.add', { body: { name: 'harbour-control' } });
    const berths = await connectedApplication(owner, 'Berth Planner');
    const signIn = await inst
      .client(inst.url, berths.key)
      .call('signIns.begin', { body: { loginName: 'tobias.renn' } });
    const imported = await owner.call('imports.receive', {
      query: { kind: 'people', fileName: 'crew.csv' },
      file: new Blob(['Name,Login,Mail\nWren Ash,wren.ash,\nNo Mail,no.mail,not a mail\n']),
    });
    const { rules } = imported;
    await owner.call('imports.check', {
      params: { id: imported.id },
      body: { columns: ['name', 'login-name', 'mail'], rules, saveAs: 'crew' },
    });
    const token = await owner.call('stock.add', {
      body: { serial: 'WX-9001', maker: 'Gullwing', secret: 'GEZDGNBVGY3TQOJQGEZDGNBVGY3TQOJQ' },
    });
    const pages = [
      '/',
      '/stock',
      `/stock/${token.id}`,
      '/stock/print',
      '/imports?kind=tokens',
      '/imports',
      `/imports/${imported.id}`,
      '/people',
      `/people/${id}`,
      '/groups',
      `/groups/${group.id}`,
      '/applications',
      `/applications/${berths.id}`,
      '/walk-through',
      '/sign-ins',
      `/sign-ins/${signIn.id}`,
      ...['/trail', '/administrators'],
      ...['', '/codes', '/passwords', '/risk', '/invitations', '/passes'].map((subject) => `/settings${subject}`),
      ...['/invitations', '/passes', '/methods', '/networks', '/key-domain', '/key-models', '/system', '/account'],
      '/nowhere',
    ];
    // Colours do not depend on the width, nor the layout on the theme.
    for (const [colorScheme, width] of [
      ['light', 1280],
      ['dark', 360],
    ] as const) {
      await page.emulateMedia({ colorScheme });
      await page.setViewportSize({ width, height: 800 });
      for (const path of pages) {
        await page.goto(inst.url + path);
        await page.locator('main h1, main strong').first().waitFor();
        await page.waitForFunction(
          () => !document.querySelector('[aria-busy=true]') && document.fonts.status === 'loaded',
        );
        expect(
          await page.evaluate(() => document.documentElement.scrollWidth - window.innerWidth),
          `${path} at ${width}`,
        ).toBeLessThanOrEqual(0);
        await accessible(page, `${path} ${colorScheme} ${width}`, colorScheme === 'dark');
      }
    }
    expect(complaints).toEqual([]);
  }, 600_000);
});
