import type { Browser, Page } from 'playwright-core';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { chore } from '../scripts/lib/installation.mjs';
import { accessible as violatesNothing, fromMenu, openPage, unfold } from './support/browser.js';
import { connectedApplication, Installation, PASSWORD, Phone } from './support/installation.js';

let inst: Installation;
let browser: Browser;
let page: Page;
let complaints: string[];

beforeAll(async () => {
  inst = await Installation.prepare();
  await inst.startNode();
  ({ browser, page, complaints } = await openPage());
});
afterAll(async () => {
  await browser.close();
  await inst.stop();
});

const base = () => inst.nodes[0]!.url;
const accessible = async (what: string, looksOnly = false) => await violatesNothing(page, what, looksOnly);

describe('the console', () => {
  let ownPhone: Phone;

  it('is set up by the link on the first start; the owner adds an app, and is asked for it from then on', async () => {
    const link = /(http\S+set-up#\S+)/.exec(inst.nodes[0]!.said())![1]!;
    await page.goto(link);
    await page.getByRole('button', { name: 'Become the owner' }).waitFor();
    expect(page.url()).not.toContain('#');
    await accessible('set-up');
    await page.getByLabel('Your name').fill('Ines Marlow');
    await page.getByLabel('Login name').fill('ines.marlow');
    await page.getByLabel('Password').fill('short');
    await page.getByRole('button', { name: 'Become the owner' }).click();
    await page.getByRole('alert').filter({ hasText: 'fewer than 12 characters' }).waitFor();
    await page.getByLabel('Password').fill(PASSWORD);
    await page.getByRole('button', { name: 'Become the owner' }).click();
    await page.getByRole('link', { name: 'Add an authenticator app' }).click();
    await page.getByRole('button', { name: 'Show the QR picture' }).click();
    const key = (await page
      .locator('code')
      .filter({ hasText: /^([A-Z2-7]{4} ){7}/ })
      .textContent())!;
    await accessible('enrolling');
    ownPhone = new Phone(`otpauth://totp/x?secret=${key.replaceAll(' ', '')}`);
    await page.getByLabel('The code that it shows now').fill('000000');
    await page.getByRole('button', { name: 'Prove it', exact: true }).click();
    await page.getByRole('alert').filter({ hasText: 'That is not the code' }).waitFor();
    await page.getByLabel('The code that it shows now').fill(ownPhone.next());
    await page.getByRole('button', { name: 'Prove it', exact: true }).click();
    await page.getByRole('status').filter({ hasText: 'Authenticator app is active' }).waitFor();
    await page.getByRole('button', { name: 'Sign out' }).click();
    await page.getByLabel('Login name').fill('ines.marlow');
    await page.keyboard.press('Enter');
    await accessible('sign-in');
    await page.getByLabel('Password').fill('not my password');
    await page.keyboard.press('Enter');
    await page.getByRole('alert').filter({ hasText: 'The proof was not right' }).waitFor();
    await page.getByLabel('Password').fill(PASSWORD);
    await page.keyboard.press('Enter');
    await page.getByLabel('Code from your app').fill(ownPhone.next());
    await page.keyboard.press('Enter');
    await page.getByRole('heading', { name: 'Overview' }).waitFor();
  });

  it('takes people, groups, applications and a walk-through through their pages', async () => {
    inst.ownerToken = await chore(await inst.environment(), 'owner-token', '--for', 'ines.marlow');
    await page.getByRole('link', { name: 'People', exact: true }).click();
    await page.getByRole('button', { name: 'Add a person' }).click();
    await page.getByLabel('Name', { exact: true }).fill('Dagny Holm');
    await page.getByLabel('Login name', { exact: true }).fill('dagny.holm, not a name');
    await page.getByRole('dialog').getByRole('button', { name: 'Add a person' }).click();
    await page.getByText('must not contain spaces').waitFor();
    await page.getByLabel('Login name', { exact: true }).fill('dagny.holm, WEX\\DHolm');
    await page.getByRole('dialog').getByRole('button', { name: 'Add a person' }).click();
    await page.getByRole('heading', { name: 'Dagny Holm' }).waitFor();
    await accessible('person');
    await fromMenu(page, 'Dagny Holm', 'Set a password');
    await page.getByLabel('New password').fill(PASSWORD);
    await page.getByRole('dialog').getByRole('button', { name: 'Set a password' }).click();
    await page.getByText('The password is set').waitFor();

    await page.getByRole('link', { name: 'Applications', exact: true }).click();
    await page.getByRole('button', { name: 'Register an application' }).click();
    await page.getByLabel('Name', { exact: true }).fill('Berth Planner');
    await page.getByRole('dialog').getByRole('button', { name: 'Register an application' }).click();
    await page.getByRole('button', { name: 'Connect', exact: true }).click();
    await page.getByText('source-address: where the person is').click();
    await accessible('connecting');
    await page.getByRole('dialog').getByRole('button', { name: 'Connect', exact: true }).click();
    const key = (await page.getByRole('dialog').locator('code').textContent())!;
    expect(key).toMatch(/^nlk_/);
    await page.getByRole('button', { name: 'I have kept it' }).click();
    expect(await page.content()).not.toContain(key);
    const asked = await fetch(`${base()}/api/v1/sign-ins`, {
      method: 'POST',
      headers: { authorization: `Bearer ${key}`, 'content-type': 'application/json' },
      body: '{"loginName":"dagny.holm"}',
    });
    expect(asked.status).toBe(201);

    await page.getByRole('link', { name: 'Walk-through' }).click();
    await page.getByLabel('Login name of the person').fill('dagny.holm');
    await page.getByRole('button', { name: 'Begin', exact: true }).click();
    await page.getByLabel('Password', { exact: true }).fill(PASSWORD);
    await page.getByRole('button', { name: 'Answer' }).click();
    await page.getByText('must enrol first').waitFor();
    await accessible('walk-through');
    await page.getByRole('link', { name: 'Sign-ins', exact: true }).click();
    await page.getByRole('grid', { name: 'Sign-ins' }).getByText('nothing on the keyring to prove with').waitFor();
    await page.getByRole('link', { name: 'Trail' }).click();
    await page.getByText('Ines Marlow registered Berth Planner').waitFor();
  });

  it('asks for a fresh proof before a dangerous action, then goes on by itself', async () => {
    await connectedApplication(inst.nodes[0]!.owner, 'Spare').catch(() => undefined);
    await inst.sql('UPDATE sessions SET proved_at = proved_at - INTERVAL 20 MINUTE');
    await page.getByRole('link', { name: 'People', exact: true }).click();
    await page.getByRole('heading', { name: 'People', level: 1 }).waitFor();
    await page.getByRole('grid').getByText('Dagny Holm').click();
    await unfold(page, 'Rights, and the end');
    await page.getByRole('button', { name: 'Delete', exact: true }).click();
    await page.getByText('Deletes Dagny Holm with 1 active authenticator').waitFor();
    await page.getByRole('button', { name: 'Delete for good' }).click();
    const again = page.getByRole('dialog', { name: 'Is it still you?' });
    await again.getByRole('button', { name: 'Next' }).click();
    await again.getByLabel('Password').fill(PASSWORD);
    await page.keyboard.press('Enter');
    await again.getByLabel('Code from your app').fill(ownPhone.next());
    await page.keyboard.press('Enter');
    await page.getByRole('heading', { name: 'People' }).waitFor();
    expect(await page.getByRole('grid').getByText('Dagny Holm').count()).toBe(0);
  });

  it('speaks another language as soon as it is chosen, in the service’s own answers too', async () => {
    await page.goto(base());
    await page.getByRole('button', { name: /Language/ }).click();
    await page.getByRole('option', { name: 'Deutsch' }).click();
    await page.getByRole('heading', { name: 'Überblick' }).waitFor();
    expect(await page.evaluate(() => document.documentElement.lang)).toBe('de');
    await page.getByRole('link', { name: 'Personen', exact: true }).click();
    await page.getByRole('button', { name: 'Person hinzufügen' }).click();
    const dialog = page.getByRole('dialog');
    await dialog.getByLabel('Name', { exact: true }).fill('Runa Falk');
    await dialog.getByLabel('Anmeldename').fill('zwei wörter');
    await dialog.getByRole('button', { name: 'Person hinzufügen' }).click();
    await dialog.getByText('darf keine Leerzeichen, Steuerzeichen oder unsichtbaren Zeichen enthalten').waitFor();
    await accessible('people in German');
    await dialog.getByRole('button', { name: 'Abbrechen' }).click();
    await dialog.waitFor({ state: 'hidden' });
    await page.getByRole('button', { name: /Sprache/ }).click();
    await page.getByRole('option', { name: 'English' }).click();
    await page.getByRole('heading', { name: 'People' }).waitFor();
  });

  it('is served under a strict policy that nothing violated, and only under its own name', async () => {
    expect(complaints).toEqual([]);
    const index = await fetch(base(), { headers: { accept: 'text/html' } });
    const policy = index.headers.get('content-security-policy')!;
    expect(policy).toMatch(/^default-src 'none';script-src 'self';style-src 'self' 'nonce-[\w-]+';/);
    expect(policy).not.toContain('unsafe');
    const elsewhere = await fetch(base().replace('localhost', '127.0.0.1'), {
      headers: { accept: 'text/html' },
      redirect: 'manual',
    });
    expect([elsewhere.status, elsewhere.headers.get('location')]).toEqual([302, `${base()}/`]);
  });
});
