import type { Browser, Page } from 'playwright-core';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { accessible, fromMenu, intoConsole, openPage } from './support/browser.js';
import { connectedApplication, Installation, PASSWORD, personWithApp } from './support/installation.js';

let inst: Installation;
let base: string;
let browser: Browser;
let page: Page;
let complaints: string[];
let berths: Awaited<ReturnType<typeof connectedApplication>>;
beforeAll(async () => {
  inst = await Installation.start();
  base = inst.url.replace('127.0.0.1', 'localhost');
  berths = await connectedApplication(inst.owner, 'Berth Planner', { claims: ['password-checked'] });
  ({ browser, page, complaints } = await openPage());
  await intoConsole(page, base);
});
afterAll(async () => {
  await browser.close();
  await inst.stop();
});

const PASS = /([A-Z]{4}-){3}[A-Z]{4}/;
const tryOn = async (loginName: string, value: string) => {
  const app = inst.client(inst.url, berths.key);
  const { id } = await app.call('signIns.begin', { body: { loginName, claims: { passwordChecked: true } } });
  return (await app.call('signIns.prove', { params: { id }, body: { kind: 'code', value } })).state;
};

describe('a pass, in the console', () => {
  it('is two clicks from the page of a person; shown once, read aloud, listed, withdrawn', async () => {
    const { id } = await personWithApp(inst.owner, 'nell.harrow');
    await page.goto(`${base}/people/${id}`);
    await page.getByRole('button', { name: 'Give a pass' }).click();
    await page.getByText('You may give passes for').waitFor();
    await accessible(page, 'giving a pass');
    await page.getByRole('button', { name: 'Give it' }).click();
    const dialog = page.getByRole('dialog', { name: 'The pass of nell.harrow' });
    await dialog.getByText('With it they get in at: Berth Planner').waitFor();
    await accessible(page, 'a pass that was given');
    const code = PASS.exec(await dialog.innerText())![0];
    for (const group of code.split('-')) {
      const said = dialog.getByRole('listitem').filter({ hasText: new RegExp(`^${group[0]}`) });
      expect(await said.count()).toBeGreaterThan(0);
    }
    // On paper is the dialog alone, and of it what its holder needs.
    await page.emulateMedia({ media: 'print' });
    await dialog.getByText('Keep this to yourself').waitFor();
    expect(await page.getByRole('button').count()).toBe(0);
    expect(await page.getByRole('heading', { name: 'nell.harrow', exact: true }).count()).toBe(0);
    await page.emulateMedia({ media: 'screen' });
    expect(await tryOn('nell.harrow', code)).toBe('let-in');
    await dialog.getByRole('button', { name: 'I have kept it' }).click();
    await page.reload();
    const passes = page.getByRole('grid', { name: 'Temporary passes' });
    await passes.getByText('1 of 5').waitFor();
    expect(await page.content()).not.toContain(code);
    // It is no thing on the keyring, which is for what lasts.
    const keyring = page.getByRole('region', { name: 'Keyring' });
    await keyring.getByText('Authenticator app', { exact: true }).waitFor();
    expect(await keyring.getByText('temporary pass').count()).toBe(0);

    await page.getByRole('link', { name: 'Passes' }).click();
    // The page of the person has a button of the same name, until the other page has come.
    await page.getByRole('heading', { level: 1, name: 'Passes' }).waitFor();
    await page.getByRole('button', { name: 'Withdraw nell.harrow' }).click();
    await page.getByText('It was used 1 time. All sessions of nell.harrow end with it').waitFor();
    await page.getByRole('button', { name: 'Withdraw', exact: true }).click();
    await page.getByText('No pass is open.').waitFor();
    expect(await tryOn('nell.harrow', code)).toBe('asking');
    await page.goto(`${base}/passes?state=ended&by=me`);
    await page.getByText('withdrawn').first().waitFor();
    expect(complaints).toEqual([]);
  });

  it('goes as far as its giver may: what is refused is said beside the form, and nothing typed is lost', async () => {
    const { id } = await personWithApp(inst.owner, 'otto.brand');
    await page.goto(`${base}/settings/passes`);
    const owner = page.getByRole('region', { name: 'owner' });
    await owner.getByLabel('Longest life, hours').fill('6');
    await owner.getByLabel('Most open of one giver').fill('1');
    await page.getByRole('button', { name: 'Save' }).click();
    await page.getByText('Saved. Every node follows within seconds.').waitFor();
    await page.goto(`${base}/people/${id}`);
    await page.getByRole('button', { name: 'Give a pass' }).click();
    await page.getByText('for 6 hours and 50 uses at most').waitFor();
    // What is beyond one's bounds is not offered.
    await page.getByRole('button', { name: /Lasts/ }).click();
    expect(await page.getByRole('option').allInnerTexts()).toEqual(['1 hour', '4 hours', '6 hours']);
    await page.getByRole('option', { name: '4 hours' }).click();
    await inst.owner.call('passes.give', { params: { id }, body: { reason: 'before', hours: 1 } });
    await page.getByRole('button', { name: 'Give it' }).click();
    await page.getByText('You have given as many passes as you may at a time: 1.').waitFor();
    expect(await page.getByRole('button', { name: /Lasts/ }).innerText()).toContain('4 hours');
    await page.getByRole('button', { name: 'Cancel' }).click();
  });
});

describe('recovery codes, in a browser', () => {
  it('are made for somebody on their keyring, and by somebody at our page, who is told how many are left', async () => {
    const { id, phone } = await personWithApp(inst.owner, 'mira.voss');
    await page.goto(`${base}/people/${id}`);
    await fromMenu(page, 'mira.voss', 'Recovery codes', 'Other kinds');
    await page.getByRole('button', { name: 'Make the codes' }).click();
    const dialog = page.getByRole('dialog', { name: 'Recovery codes of mira.voss' });
    await dialog.getByRole('listitem').nth(9).waitFor();
    await accessible(page, 'recovery codes');
    const [, second] = await dialog.getByRole('listitem').allInnerTexts();
    await dialog.getByRole('button', { name: 'I have kept it' }).click();
    await page.getByText('10 of 10 left').waitFor();

    const own = await (await browser.newContext({ viewport: { width: 360, height: 740 } })).newPage();
    own.setDefaultTimeout(60_000);
    const signIn = async (typed: string, letters: boolean) => {
      await own.goto(`${base}/enrol`);
      await own.getByLabel('Login name').fill('mira.voss');
      await own.keyboard.press('Enter');
      await own.getByLabel('Password').fill(PASSWORD);
      await own.keyboard.press('Enter');
      if (letters) await own.getByRole('button', { name: 'I have a pass or a recovery code' }).click();
      await own.getByLabel(letters ? 'Pass or recovery code' : 'Code', { exact: true }).fill(typed);
      await own.keyboard.press('Enter');
      await own.getByRole('heading', { name: 'Hello, mira.voss' }).waitFor();
    };
    await signIn(second!.trim().toLowerCase(), true);
    await own.getByText('9 codes left').waitFor();
    await accessible(own, 'one’s own page, with recovery codes');
    await own.getByRole('button', { name: 'Make recovery codes' }).click();
    await own.getByRole('listitem').nth(9).waitFor();
    await accessible(own, 'one’s own recovery codes');
    await own.getByRole('button', { name: 'I have kept it' }).click();
    await own.getByText('10 codes left').waitFor();
    await signIn(phone.next(), false);
    await own.context().close();
  });
});
