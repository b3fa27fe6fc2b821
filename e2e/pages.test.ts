import type { FastifyInstance } from 'fastify';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { createPlanner } from '../packages/standins/src/berths/server.js';
import { freePort } from '../scripts/lib/private-mariadb.mjs';
import { afterWaiting } from './support/administrators.js';
import { accessible, openPage, type OpenPage } from './support/browser.js';
import { Installation, PASSWORD, personWithApp, Phone } from './support/installation.js';
import { CONSOLE, publish, rulebookOf } from './support/rulebooks.js';

let inst: Installation;
let planner: FastifyInstance;
let address: string;
let ada: Awaited<ReturnType<typeof personWithApp>>;
let open: OpenPage;

beforeAll(async () => {
  inst = await Installation.start(1, { NLATCH_TRUSTED_PROXIES: '127.0.0.1' });
  ada = await personWithApp(inst.owner, 'ada.quay');
  const { id } = await inst.owner.call('people.add', { body: { displayName: 'Plain', loginNames: ['plain'] } });
  await inst.owner.call('people.setPassword', { params: { id }, body: { password: PASSWORD } });
  await inst.owner.call('networks.add', { body: { name: 'abroad', ranges: ['203.0.113.0/24'], country: 'FR' } });
  address = `http://localhost:${await freePort()}`;
  const { id: berths } = await inst.owner.call('applications.add', { body: { name: 'Berth Planner' } });
  const connect = async (claims: 'password-checked'[]) => {
    const { connection, key } = await inst.owner.call('connections.add', {
      params: { id: berths },
      body: { kind: 'oidc', claims, oidc: { redirectUris: [`${address}/signed-in`], endUris: [`${address}/`] } },
    });
    return { id: connection.id, secret: key!, issuer: connection.oidc!.issuer };
  };
  const whole = await connect([]);
  planner = createPlanner({
    issuer: whole.issuer,
    address,
    whole,
    secondStep: await connect(['password-checked']),
  });
  await planner.listen({ host: '127.0.0.1', port: Number(new URL(address).port) });
  await publish(
    inst.owner,
    rulebookOf([
      CONSOLE,
      '{ rule: Not from abroad, at: { applications: [Berth Planner] }, from: { networks: [abroad] }, then: refuse }',
      '{ rule: Berths, at: { applications: [Berth Planner] }, then: { ask for: [password + totp] }, remember browser: 14 days }',
    ]),
  );
  open = await openPage();
});
afterAll(async () => {
  await open.browser.close();
  await planner.close();
  await inst.stop();
});

/** No part of the page is wider than the window. */
const fits = async () =>
  expect(await open.page.evaluate(() => document.documentElement.scrollWidth - window.innerWidth)).toBeLessThanOrEqual(
    0,
  );

describe('somebody whom the Berth Planner sends to sign in', () => {
  it('says who they are, proves it by keyboard alone, and is in; the browser is remembered', async () => {
    const { page } = open;
    await page.goto(address);
    await page.getByRole('link', { name: 'Sign in' }).click();
    await page.getByRole('heading', { name: 'Sign in to Berth Planner' }).waitFor();
    await accessible(page, 'name');
    await page.keyboard.type('ada.quay');
    await page.keyboard.press('Enter');
    await page.getByLabel('Password').waitFor();
    await accessible(page, 'password');
    await page.keyboard.type('not this one');
    await page.keyboard.press('Enter');
    await page.getByRole('alert').getByText('That was not right.').waitFor();
    await page.keyboard.type(PASSWORD);
    await page.keyboard.press('Enter');
    await page.getByLabel('Code').waitFor();
    // What was begun goes on after the tab was read anew.
    await page.reload();
    await page.getByLabel('Code').waitFor();
    await accessible(page, 'code');
    await page.keyboard.type(ada.phone.next());
    await page.keyboard.press('Tab');
    await page.keyboard.press('Space');
    expect(await page.getByRole('checkbox', { name: /ask for this again.*14 days/ }).isChecked()).toBe(true);
    await page.keyboard.press('Tab');
    await page.keyboard.press('Enter');
    await page.waitForURL(`${address}/`);
    await page.getByText('Signed in: ada.quay').waitFor();
    expect(await page.locator('dl').innerText()).toContain('["pwd","otp","mfa"]');
  });

  it('sees where they are signed in, narrow and dark, signs out, and next time is asked for the password alone', async () => {
    const { page } = open;
    await page.setViewportSize({ width: 360, height: 740 });
    await page.emulateMedia({ colorScheme: 'dark' });
    await page.goto(`${inst.url.replace('127.0.0.1', 'localhost')}/signed-in`);
    await page.getByText('You are signed in as ada.quay').waitFor();
    await page.getByText('Chrome, Linux').waitFor();
    await accessible(page, 'signed in');
    await fits();
    await page.goto(address);
    await page.getByRole('link', { name: 'Sign out' }).click();
    await page.getByRole('heading', { name: 'Sign out in this browser?' }).waitFor();
    await accessible(page, 'sign out');
    await page.getByRole('button', { name: 'Sign out' }).click();
    await page.waitForURL(`${address}/`);
    await page.getByRole('link', { name: 'Sign in' }).click();
    await page.getByRole('button', { name: 'Deutsch' }).click();
    await page.getByRole('heading', { name: 'Bei Berth Planner anmelden' }).waitFor();
    await accessible(page, 'Name');
    await page.getByLabel('Anmeldename').fill('ada.quay');
    await page.keyboard.press('Enter');
    await page.getByLabel('Passwort').fill(PASSWORD);
    await fits();
    await page.keyboard.press('Enter');
    await page.getByText('Signed in: ada.quay').waitFor();
  });

  it('with the planner’s own password proves the second step only; without one is told what is missing', async () => {
    const page = await (await open.browser.newContext({ locale: 'en-GB' })).newPage();
    const sendAs = async (name: string) => {
      await page.goto(address);
      await page.getByLabel('Login name').fill(name);
      await page.getByLabel('Password').fill('tide tables');
      await page.getByRole('button', { name: 'Sign in' }).click();
    };
    await sendAs('ada.quay');
    await page.getByLabel('Code').waitFor();
    expect(await page.getByRole('button', { name: 'Somebody else?' }).count()).toBe(0);
    await page.reload();
    await page.getByLabel('Code').fill(ada.phone.next());
    await page.keyboard.press('Enter');
    await page.getByText('Signed in: ada.quay').waitFor();
    await page.goto(`${address}/sign-out`);
    await sendAs('plain');
    await page.getByRole('heading', { name: 'Something is missing first' }).waitFor();
    await accessible(page, 'missing');
    await page.getByRole('link', { name: 'Back to Berth Planner' }).click();
    await page.getByRole('alert').getByText('Not signed in').waitFor();
    await page.context().close();
  });

  it('from another place is refused after the first proof, and the planner hears of it', async () => {
    const context = await open.browser.newContext({ locale: 'en-GB' });
    const page = await context.newPage();
    // As a gateway in front of the service says where somebody is.
    await page.route(`${inst.url.replace('127.0.0.1', 'localhost')}/**`, async (route) => {
      await route.continue({ headers: { ...route.request().headers(), 'x-forwarded-for': '203.0.113.9' } });
    });
    await page.goto(address);
    await page.getByRole('link', { name: 'Sign in' }).click();
    await page.getByLabel('Login name').fill('ada.quay');
    await page.keyboard.press('Enter');
    await page.getByLabel('Password').fill(PASSWORD);
    await page.keyboard.press('Enter');
    await page.getByRole('heading', { name: 'You were not let in' }).waitFor();
    await accessible(page, 'refused');
    await page.getByRole('link', { name: 'Back to Berth Planner' }).click();
    await page.getByRole('alert').getByText('Not signed in').waitFor();
    await context.close();
  });

  it('without anything that a rule asks for is told until when they get in all the same', async () => {
    const lastDay = new Date(Date.now() + 5 * 86_400_000).toISOString().slice(0, 10);
    await publish(
      inst.owner,
      rulebookOf([
        CONSOLE,
        `{ rule: Berths, at: { applications: [Berth Planner] }, then: { ask for: [password + totp] }, grace: { days: 14, last day: ${lastDay} } }`,
      ]),
    );
    const context = await open.browser.newContext({ locale: 'en-GB' });
    const page = await context.newPage();
    await page.goto(address);
    await page.getByRole('link', { name: 'Sign in' }).click();
    await page.getByLabel('Login name').fill('plain');
    await page.keyboard.press('Enter');
    await page.getByLabel('Password').fill(PASSWORD);
    await page.keyboard.press('Enter');
    await page.getByRole('heading', { name: 'You are in, for now' }).waitFor();
    await accessible(page, 'grace');
    await page.getByText('cannot be from here').waitFor();
    await page.keyboard.press('Enter');
    await page.getByText('Signed in: Plain').waitFor();
    await context.close();
    const { rows } = await inst.owner.call('rulebook.graces');
    expect(rows).toMatchObject([{ person: { displayName: 'Plain' }, rule: 'Berths', over: false, coverage: 'weak' }]);
  });

  it('without anything sets it up themselves where a rule lets them, on a phone, and comes in with it', async () => {
    await inst.owner.call('networks.add', { body: { name: 'house', ranges: ['198.51.100.0/24'] } });
    const text = rulebookOf([
      CONSOLE,
      '{ rule: In the house, at: { applications: [Enrolment] }, from: { networks: [house] }, then: let in }',
      '{ rule: Berths, at: { applications: [Berth Planner] }, then: { ask for: [password + totp] } }',
    ]);
    await afterWaiting(inst, async () => await publish(inst.owner, text, 2));
    const context = await open.browser.newContext({
      locale: 'en-GB',
      viewport: { width: 360, height: 780 },
      colorScheme: 'dark',
      extraHTTPHeaders: { 'x-forwarded-for': '203.0.113.7' },
    });
    const page = await context.newPage();
    const asPlain = async () => {
      await page.getByLabel('Login name').fill('plain');
      await page.keyboard.press('Enter');
      await page.getByLabel('Password').fill(PASSWORD);
      await page.keyboard.press('Enter');
    };
    await page.goto(address);
    await page.getByRole('link', { name: 'Sign in' }).click();
    await asPlain();
    await page.getByRole('link', { name: 'Set it up yourself' }).click();
    await page.getByRole('heading', { name: 'Set up an authenticator' }).waitFor();
    await accessible(page, 'enrol: who');
    await asPlain();
    // From elsewhere a password is not enough.
    await page.getByText('You cannot set anything up from here').waitFor();
    await context.setExtraHTTPHeaders({ 'x-forwarded-for': '198.51.100.9' });
    await page.getByRole('button', { name: 'Begin again' }).click();
    await asPlain();
    await page.getByRole('heading', { name: 'Hello, Plain' }).waitFor();
    await accessible(page, 'enrol: offers');
    await page.getByLabel('What is the phone called?').fill('Old faithful');
    await page.getByRole('button', { name: 'Set up an app that shows codes' }).click();
    const uri = (await page.getByRole('link', { name: 'The app is on this device' }).getAttribute('href'))!;
    await accessible(page, 'enrol: picture');
    expect(await page.evaluate(() => document.documentElement.scrollWidth - window.innerWidth)).toBeLessThanOrEqual(0);
    const phone = new Phone(uri);
    await page.getByLabel('Code').fill('000000');
    await page.keyboard.press('Enter');
    await page.getByRole('alert').waitFor();
    await page.getByLabel('Code').fill(phone.next());
    await page.keyboard.press('Enter');
    await page.getByRole('heading', { name: 'Done' }).waitFor();
    await page.getByText('Old faithful').waitFor();
    await accessible(page, 'enrol: done');
    await page.getByRole('button', { name: 'Open Old faithful' }).click();
    await accessible(page, 'enrol: one thing');
    await page.getByRole('button', { name: 'Choose a PIN' }).click();
    await page.getByLabel('PIN').fill('1111');
    await page.keyboard.press('Enter');
    await page.getByRole('alert').waitFor();
    await page.getByLabel('PIN').fill('290817');
    await accessible(page, 'enrol: PIN');
    await page.keyboard.press('Enter');
    await page.getByText('The PIN is set.').waitFor();
    await page.goto(address);
    await page.getByRole('link', { name: 'Sign in' }).click();
    await asPlain();
    await page.getByLabel('Code').fill(phone.next());
    await page.keyboard.press('Enter');
    await page.getByText('you can type it right before the code').waitFor();
    await accessible(page, 'sign-in: PIN');
    await page.getByLabel('PIN').fill('290817');
    await page.keyboard.press('Enter');
    await page.getByText('Signed in: Plain').waitFor();
    await context.close();
  });

  it('is told what cannot go on', async () => {
    const { page, complaints } = open;
    await page.setViewportSize({ width: 1280, height: 800 });
    const server = inst.url.replace('127.0.0.1', 'localhost');
    await page.goto(`${server}/oidc/authorize?client_id=nobody`);
    await page.getByText('nicht bekannt').waitFor();
    await page.goto(`${server}/sign-in#AAAA`);
    await page.reload();
    await page.getByText('abgelaufen oder schon verwendet').waitFor();
    await accessible(page, 'problem');
    expect(complaints).toEqual([]);
  });
});
