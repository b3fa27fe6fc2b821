import type { FastifyInstance } from 'fastify';
import type { CDPSession } from 'playwright-core';
import { afterAll, afterEach, beforeAll, describe, expect, it } from 'vitest';
import { createPlanner } from '../packages/standins/src/berths/server.js';
import { createTraffic } from '../packages/standins/src/traffic/server.js';
import { freePort } from '../scripts/lib/private-mariadb.mjs';
import { accessible, intoConsole, openPage, type OpenPage } from './support/browser.js';
import { Installation, PASSWORD, personWithApp } from './support/installation.js';
import { publish, rulebookOf } from './support/rulebooks.js';

const WAYS = '[password + totp, password + webauthn, webauthn(verified)]';

let inst: Installation;
let planner: FastifyInstance;
let address: string;
let traffic: FastifyInstance;
let tower: string;
let ada: Awaited<ReturnType<typeof personWithApp>>;
let open: OpenPage;
/** The browser's own authenticators, simulated over its DevTools protocol. */
let keys: CDPSession;

beforeAll(async () => {
  inst = await Installation.start();
  ada = await personWithApp(inst.owner, 'ada.quay');
  address = `http://localhost:${await freePort()}`;
  const { id } = await inst.owner.call('applications.add', { body: { name: 'Berth Planner' } });
  const { connection, key } = await inst.owner.call('connections.add', {
    params: { id },
    body: { kind: 'oidc', oidc: { redirectUris: [`${address}/signed-in`], endUris: [`${address}/`] } },
  });
  const whole = { id: connection.id, secret: key!, issuer: connection.oidc!.issuer };
  planner = createPlanner({ issuer: whole.issuer, address, whole, secondStep: whole });
  await planner.listen({ host: '127.0.0.1', port: Number(new URL(address).port) });
  tower = `http://localhost:${await freePort()}`;
  const { id: log, version } = await inst.owner.call('applications.add', { body: { name: 'Vessel Traffic' } });
  await inst.owner.call('applications.setOrigins', {
    params: { id: log },
    body: { origins: [tower] },
    ifMatch: version,
  });
  const connected = await inst.owner.call('connections.add', { params: { id: log }, body: {} });
  traffic = createTraffic({ service: inst.url, address: tower, key: connected.key! });
  await traffic.listen({ host: '127.0.0.1', port: Number(new URL(tower).port) });
  const console_ = `{ rule: Console, at: { applications: [Console] }, then: { ask whoever has one: ${WAYS} } }`;
  await publish(inst.owner, rulebookOf([console_], `{ ask for: ${WAYS} }`));
  open = await openPage();
  keys = await open.page.context().newCDPSession(open.page);
  await keys.send('WebAuthn.enable', { enableUI: false });
});
afterAll(async () => {
  await open.browser.close();
  await planner.close();
  await traffic.close();
  await inst.stop();
});

type Options = Parameters<CDPSession['send']>[1] & object;
async function plugIn(options: Partial<Record<string, unknown>> = {}): Promise<string> {
  const { authenticatorId } = await keys.send('WebAuthn.addVirtualAuthenticator', {
    options: {
      protocol: 'ctap2',
      transport: 'internal',
      hasResidentKey: true,
      hasUserVerification: true,
      isUserVerified: true,
      automaticPresenceSimulation: true,
      ...options,
    },
  } as Options as never);
  plugged.add(authenticatorId);
  return authenticatorId;
}
const plugged = new Set<string>();
const take = async (authenticatorId: string) => {
  plugged.delete(authenticatorId);
  await keys.send('WebAuthn.removeVirtualAuthenticator', { authenticatorId });
};
/** Whether somebody touches what is plugged in. Where a name is asked for, a passkey would answer at once, which not every test wants. */
const touching = async (enabled: boolean) => {
  for (const authenticatorId of plugged)
    await keys.send('WebAuthn.setAutomaticPresenceSimulation', { authenticatorId, enabled });
};

/** Goes to where people enrol, and proves who they are by password and code. */
async function toEnrol() {
  const { page } = open;
  await touching(false);
  await page.goto(`${inst.url}/enrol`);
  await page.getByLabel('Login name').fill('ada.quay');
  await page.keyboard.press('Enter');
  await page.getByLabel('Password').fill(PASSWORD);
  await page.keyboard.press('Enter');
  await page.getByLabel('Code').fill(ada.phone.next());
  await page.keyboard.press('Enter');
  await page.getByRole('heading', { name: 'Hello, ada.quay' }).waitFor();
  await touching(true);
}
const setUp = async (label: string) => {
  await toEnrol();
  await open.page.getByRole('button', { name: 'Set up a passkey or security key' }).click();
  // A second one of a kind has a number.
  await open.page.getByText(new RegExp(`${label}( \\d+)? works and can be used from now on`)).waitFor();
};
/** Goes to the Berth Planner, nobody being signed in, and says who it is. */
async function toBerths() {
  const { page } = open;
  await toWho();
  await page.getByLabel('Login name').fill('ada.quay');
  await page.keyboard.press('Enter');
  await page.getByLabel('Password').waitFor();
  await touching(true);
}
/** Goes to the Berth Planner, nobody being signed in, as far as the page that asks who it is. */
async function toWho() {
  const { page } = open;
  await touching(false);
  await page.context().clearCookies();
  await page.goto(address);
  await page.getByRole('link', { name: 'Sign in' }).click();
  await offered();
}
/** Passkeys are offered, and the browser has been asked for those beneath the field: it is answered only if somebody touches one from here on. */
async function offered() {
  await open.page.getByRole('button', { name: 'Sign in with a passkey' }).waitFor();
  await open.page.evaluate(async () => await PublicKeyCredential.isConditionalMediationAvailable());
}
const toKey = async () => {
  await open.page.getByRole('button', { name: 'Use another way: Passkey or security key' }).click();
  await open.page.getByRole('button', { name: 'Use the passkey or key' }).waitFor();
};
const press = async () => await open.page.getByRole('button', { name: 'Use the passkey or key' }).click();
const amr = async () => {
  await open.page.waitForURL(`${address}/`);
  await open.page.getByText('Signed in: ada.quay').waitFor();
  return await open.page.locator('dl').innerText();
};
/** As a second factor, verified all the same. */
const afterPassword = async () => {
  const { page } = open;
  await toBerths();
  await page.getByLabel('Password').fill(PASSWORD);
  await page.keyboard.press('Enter');
  await page.getByLabel('Code').waitFor();
  await toKey();
  await press();
  expect(await amr()).toContain('["pwd","hwk","user","mfa"]');
};

afterEach(async () => {
  for (const one of plugged) await take(one);
});

describe('a passkey of this device', () => {
  it('is set up by oneself, once, and every refusal of the browser is told in plain words', async () => {
    const { page } = open;
    await toEnrol();
    await accessible(page, 'enrol: key offered');
    const start = page.getByRole('button', { name: 'Set up a passkey or security key' });
    const device = await plugIn();
    await start.click();
    await page.getByText('Passkey of this device works and can be used from now on.').waitFor();
    await accessible(page, 'enrol: key done');
    await start.click();
    await page.getByRole('alert').getByText('This key is registered for you already.').waitFor();
    await take(device);
    const { authenticators } = await inst.owner.call('keyring.show', { params: { id: ada.id } });
    expect(authenticators.filter(({ method, state }) => method === 'webauthn' && state === 'active')).toMatchObject([
      { label: 'Passkey of this device', webauthn: { verified: true, synced: false, rpId: 'localhost' } },
    ]);
  });

  it('signs in where an application sends somebody, in place of the password, or after it with a touch', async () => {
    const device = await plugIn();
    const { page } = open;
    await setUp('Passkey of this device');
    await toBerths();
    await toKey();
    await accessible(page, 'key asked for');
    await page.setViewportSize({ width: 360, height: 740 });
    await page.emulateMedia({ colorScheme: 'dark' });
    expect(await page.evaluate(() => document.documentElement.scrollWidth - window.innerWidth)).toBeLessThanOrEqual(0);
    await accessible(page, 'key asked for, narrow and dark', true);
    await page.setViewportSize({ width: 1280, height: 800 });
    await page.emulateMedia({ colorScheme: 'light' });
    // The key is there, and was wiped since.
    await keys.send('WebAuthn.clearCredentials', { authenticatorId: device });
    await press();
    await page.getByRole('alert').getByText('Nothing came from a key').waitFor();
    await take(device);

    const fresh = await plugIn();
    await setUp('Passkey of this device');
    await toBerths();
    await toKey();
    await press();
    expect(await amr()).toContain('["hwk","user","mfa"]');
    await afterPassword();
    await take(fresh);
  });

  it('that came from a copy is refused, and administrators see it', async () => {
    const { page } = open;
    const original = await plugIn({ transport: 'usb' });
    await setUp('Security key');
    const { credentials } = await keys.send('WebAuthn.getCredentials', { authenticatorId: original });
    await toBerths();
    await toKey();
    await press();
    await amr();
    await take(original);
    const copy = await plugIn({ transport: 'usb' });
    await keys.send('WebAuthn.addCredential', {
      authenticatorId: copy,
      credential: { ...credentials[0]!, signCount: 0 },
    });
    await toBerths();
    await toKey();
    await press();
    await page.getByRole('alert').getByText('That was not right.').waitFor();
    await take(copy);
    const { rows } = await inst.owner.call('trail.list', { query: { person: ada.id } });
    expect(rows.map(({ action }) => action)).toContain('authenticator.copied');
  });
});

describe('what a key is', () => {
  it('without a name: the browser offers passkeys where the name is typed, and the button asks for one', async () => {
    const { page } = open;
    const device = await plugIn();
    await setUp('Passkey of this device');
    await touching(true);
    await page.context().clearCookies();
    await page.goto(address);
    await page.getByRole('link', { name: 'Sign in' }).click();
    expect(await amr()).toContain('["hwk","user","mfa"]');
    await toWho();
    await accessible(page, 'who signs in, passkeys offered');
    await touching(true);
    await page.getByRole('button', { name: 'Sign in with a passkey' }).click();
    await amr();
    // One that is nobody’s here any more.
    const { authenticators } = await inst.owner.call('keyring.show', { params: { id: ada.id } });
    const newest = authenticators.findLast(({ method, state }) => method === 'webauthn' && state === 'active')!;
    await inst.owner.call('authenticators.revoke', { params: { id: newest.id } });
    await toWho();
    await touching(true);
    await page.getByRole('button', { name: 'Sign in with a passkey' }).click();
    await page.getByRole('alert').getByText('This key opens nothing here.').waitFor();
    await take(device);
  });

  it('one of U2F, or that keeps no name in itself, answers after the password, to its touch', async () => {
    const { page } = open;
    for (const options of [
      { protocol: 'u2f', transport: 'usb' },
      { transport: 'usb', hasResidentKey: false },
    ]) {
      const old = await plugIn({
        ...options,
        hasUserVerification: false,
        isUserVerified: false,
        hasResidentKey: false,
      });
      await setUp('Security key');
      await toBerths();
      await toKey();
      await press();
      await page.getByRole('alert').getByText('Nothing came from a key').waitFor();
      await afterPassword();
      await take(old);
    }
  });

  it('verified or not: where its holder cannot be verified, nothing comes of it without the password', async () => {
    const { page } = open;
    const device = await plugIn();
    await setUp('Passkey of this device');
    await keys.send('WebAuthn.setUserVerified', { authenticatorId: device, isUserVerified: false });
    await toWho();
    await touching(true);
    await page.getByRole('button', { name: 'Sign in with a passkey' }).click();
    await page.getByRole('alert').getByText('Nothing came from a key').waitFor();
    await take(device);
  });

  it('synced or not: what it is made as it stays, and that it was copied to elsewhere is noted', async () => {
    const { page } = open;
    const device = await plugIn({ defaultBackupEligibility: true, defaultBackupState: false });
    await setUp('Passkey of this device');
    const { credentials } = await keys.send('WebAuthn.getCredentials', { authenticatorId: device });
    const { credentialId } = credentials[0]!;
    const set = async (backupEligibility: boolean, backupState: boolean) =>
      await keys.send('WebAuthn.setCredentialProperties', {
        authenticatorId: device,
        credentialId,
        backupEligibility,
        backupState,
      });
    const signIn = async () => {
      await toBerths();
      await toKey();
      await press();
    };
    const backedUp = async () =>
      (
        await inst.sql<{ backed_up: number }>('SELECT backed_up FROM webauthn_credentials WHERE credential_id = ?', [
          Buffer.from(credentialId, 'base64'),
        ])
      )[0]!.backed_up;
    expect(await backedUp()).toBe(0);
    await set(true, true);
    await signIn();
    expect(await amr()).toContain('["swk","user","mfa"]');
    expect(await backedUp()).toBe(1);
    await set(false, false);
    await signIn();
    await page.getByRole('alert').getByText('That was not right.').waitFor();
    await take(device);
  });
});

describe('an application’s own page, on another origin', () => {
  it('has keys answer in the specification’s own forms: after the password, beneath the name, by a button', async () => {
    const { page } = open;
    const device = await plugIn();
    await setUp('Passkey of this device');
    const done = async (way: string) =>
      await page.getByRole('status').getByText(`Signed in: ada.quay by ${way}`).waitFor();
    const toTower = async () => {
      await touching(false);
      await page.goto(tower);
      await page.getByLabel('Login name').waitFor();
      await page.evaluate(async () => await PublicKeyCredential.isConditionalMediationAvailable());
      // The page has asked for what the browser offers beneath the field.
      await page.waitForTimeout(300);
      await touching(true);
    };
    await toTower();
    await page.getByLabel('Login name').fill('ada.quay');
    await page.keyboard.press('Enter');
    await page.getByLabel('Password').fill(PASSWORD);
    await page.keyboard.press('Enter');
    await page.getByLabel('Code').waitFor();
    await page.getByRole('button', { name: 'Use another way: webauthn' }).click();
    await press();
    await done('password + webauthn');
    await toTower();
    await page.getByRole('button', { name: 'Sign in with a passkey' }).click();
    await done('webauthn');
    await page.goto(tower);
    await done('webauthn');
    // Taken away, the origin is none any more: what is begun is refused before anybody is asked for a key.
    const { rows } = await inst.owner.call('applications.list', { query: { q: 'Vessel' } });
    const { id, version } = rows[0]!;
    await inst.owner.call('applications.setOrigins', { params: { id }, body: { origins: [] }, ifMatch: version });
    await page.goto(tower);
    await page.getByLabel('Login name').fill('ada.quay');
    await page.keyboard.press('Enter');
    await page.getByRole('alert').getByText('Something in the request is not as expected.').waitFor();
    await take(device);
  });
});

describe('a key in the console', () => {
  it('is enrolled at the desk for whoever it is handed to, and opens the console from then on', async () => {
    const { page, complaints } = open;
    await page.context().clearCookies();
    const desk = await plugIn({ transport: 'usb' });
    await touching(false);
    await intoConsole(page, inst.url);
    await touching(true);
    // An owner without a second factor is led to one.
    await page.getByRole('link', { name: 'Add a passkey or key' }).click();
    await page.getByRole('dialog').waitFor();
    await accessible(page, 'enrol a key');
    await page.getByLabel('What to call it').fill('Brass key');
    await page.getByRole('button', { name: 'Make the key' }).click();
    await page.getByText('Brass key is active.').waitFor();
    await page.getByText('not yet used by its holder').waitFor();
    await page.getByText('You have no second factor yet').waitFor({ state: 'detached' });
    await accessible(page, 'keyring with a key');
    await page.context().clearCookies();
    await touching(false);
    await page.goto(inst.url);
    await page.getByLabel('Login name').fill('ines.marlow');
    await page.keyboard.press('Enter');
    await touching(true);
    await page.getByRole('button', { name: /Passkey or security key/ }).click();
    await press();
    await page.getByRole('heading', { name: 'Overview' }).waitFor();
    // And without a name, by the button beside it.
    await page.context().clearCookies();
    await touching(false);
    await page.goto(inst.url);
    await offered();
    await accessible(page, 'console sign-in with passkeys offered');
    await touching(true);
    await page.getByRole('button', { name: 'Sign in with a passkey' }).click();
    await page.getByRole('heading', { name: 'Overview' }).waitFor();
    await take(desk);
    expect(complaints).toEqual([]);
  });
});
