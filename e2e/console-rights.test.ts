import { ROLES } from '@nimble-latch/api';
import type { Browser, Page } from 'playwright-core';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { administrator } from './support/administrators.js';
import { intoConsole, openPage } from './support/browser.js';
import { Installation, personWithApp } from './support/installation.js';

let inst: Installation;
let browser: Browser;
let page: Page;
let quay: string;
let inside: string;
let outside: string;
beforeAll(async () => {
  inst = await Installation.start();
  quay = (await inst.owner.call('groups.add', { body: { name: 'Quay crew' } })).id;
  await inst.owner.call('groups.add', { body: { name: 'Harbour masters' } });
  await inst.owner.call('applications.add', { body: { name: 'Berth Planner' } });
  inside = (await personWithApp(inst.owner, 'cora.crane')).id;
  outside = (await personWithApp(inst.owner, 'theo.tower')).id;
  await inst.owner.call('groups.join', { params: { id: quay, personId: inside } });
  ({ browser, page } = await openPage());
});
afterAll(async () => {
  await browser?.close();
  await inst?.stop();
});

/** Signs in as somebody, and answers what the service refused to whatever was opened by `look`. */
async function refusedTo(loginName: string, look: () => Promise<void>): Promise<string[]> {
  await page.context().clearCookies();
  await page.goto('about:blank');
  const refused: string[] = [];
  const note = (response: { status: () => number; url: () => string }) => {
    if (response.status() === 403) refused.push(`${loginName} at ${page.url()}: ${new URL(response.url()).pathname}`);
  };
  await intoConsole(page, inst.url, loginName, /Overview|People/);
  page.on('response', note);
  await look();
  page.off('response', note);
  return refused;
}

/** Opens every line of the rail, and each page that one comes to from there. */
async function walkEverything(person: string): Promise<void> {
  const lines = page.getByRole('navigation', { name: 'Areas' }).getByRole('link');
  const settled = async (what: string) => {
    await page.locator('main h1').waitFor();
    await page.locator('[aria-busy=true]').first().waitFor({ state: 'detached' });
    expect(await page.getByRole('alert').count(), what).toBe(0);
  };
  const many = await lines.count();
  expect(many).toBeGreaterThan(4);
  for (let at = 0; at < many; at++) {
    await lines.nth(at).click();
    await settled(page.url());
  }
  for (const path of [`/people/${person}`, `/groups/${quay}`]) {
    await page.goto(inst.url + path);
    await settled(path);
    await unfoldAll();
    await settled(path);
    await page.waitForLoadState('networkidle');
  }
}

/** Opens every part of the page that is folded. */
async function unfoldAll(): Promise<void> {
  const folded = page.locator('details:not([open]) > summary');
  while ((await folded.count()) > 0) await folded.first().click();
}

/** All that is offered on the page: buttons, and what stands in menus. */
async function buttons(): Promise<string[]> {
  await unfoldAll();
  const main = page.locator('main');
  const seen = (await main.getByRole('button').allTextContents()).map((text) => text.trim());
  for (const menu of await main.locator('button[aria-haspopup=true]').all()) {
    await menu.click();
    seen.push(...(await page.getByRole('menuitem').allTextContents()));
    await page.keyboard.press('Escape');
  }
  return seen;
}

describe('the console of each role', () => {
  it('opens nothing that is refused to it, whatever page of its own it goes to', async () => {
    for (const role of ROLES.filter((one) => one !== 'owner')) {
      await administrator(inst, `plain.${role}`, role);
      expect(await refusedTo(`plain.${role}`, async () => await walkEverything(inside))).toEqual([]);
    }
    await administrator(inst, 'limited.custodian', 'custodian', [quay]);
    expect(await refusedTo('limited.custodian', async () => await walkEverything(inside))).toEqual([]);
  });

  it('offers a help desk what it may do for somebody, and nothing else: no button, no line, no target of the palette', async () => {
    await administrator(inst, 'hilda.desk', 'help-desk');
    expect(
      await refusedTo('hilda.desk', async () => {
        await page.goto(`${inst.url}/people/${inside}`);
        await page.getByRole('button', { name: 'Try a code' }).first().waitFor();
        const offered = await buttons();
        for (const button of ['Suspend', 'Report lost']) expect(offered).toContain(button);
        for (const button of [
          'Edit',
          'Delete',
          'Deactivate',
          'Set a password',
          'Revoke',
          'Give a role',
          'Add an authenticator app',
        ])
          expect(offered, button).not.toContain(button);
        // An administrator is left to owners.
        const { rows } = await inst.owner.call('people.list', { query: { q: 'ines' } });
        await page.goto(`${inst.url}/people/${rows[0]!.id}`);
        await page.getByRole('heading', { name: 'Ines Marlow' }).waitFor();
        await page.waitForLoadState('networkidle');
        expect(await buttons()).not.toContain('Suspend');
        expect(await buttons()).not.toContain('Invite');
        await page.keyboard.press('Control+k');
        await page
          .getByRole('menuitem', { name: /^People/ })
          .first()
          .waitFor();
        const targets = await page.getByRole('menuitem').allTextContents();
        expect(targets.join()).toContain('Invite people to enrol');
        for (const target of ['Add a person', 'Draft of the rulebook', 'Settings', 'Walk-through', 'From files'])
          expect(
            targets.some((one) => one.startsWith(target)),
            target,
          ).toBe(false);
        await page.keyboard.press('Escape');
      }),
    ).toEqual([]);
  });

  it('that ends at groups shows no names and no sizes of others', async () => {
    await administrator(inst, 'quay.custodian', 'custodian', [quay]);
    expect(
      await refusedTo('quay.custodian', async () => {
        await page.goto(`${inst.url}/groups`);
        await page.getByText('Quay crew').waitFor();
        expect(await page.getByText('Harbour masters').count()).toBe(0);
        await page.goto(`${inst.url}/people`);
        await page.getByText('cora.crane').first().waitFor();
        expect(await page.getByText('theo.tower').count()).toBe(0);
        expect(await buttons()).not.toContain('Add a person');
      }),
    ).toEqual([]);
    expect(outside).not.toBe(inside);
  });
});
