import type { BrowserContext, Page } from 'playwright-core';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { createPlanner } from '../packages/standins/src/berths/server.js';
import { freePort } from '../scripts/lib/private-mariadb.mjs';
import { accessible, openPage, type OpenPage } from './support/browser.js';
import { Installation, PASSWORD } from './support/installation.js';
import { CONSOLE, publish, rulebookOf } from './support/rulebooks.js';

let inst: Installation;
let open: OpenPage;
let base: string;
let address: string;
let planner: ReturnType<typeof createPlanner>;
beforeAll(async () => {
  inst = await Installation.start(1);
  base = inst.url.replace('127.0.0.1', 'localhost');
  address = `http://localhost:${await freePort()}`;
  const { id } = await inst.owner.call('applications.add', { body: { name: 'Berth Planner' } });
  const { connection, key } = await inst.owner.call('connections.add', {
    params: { id },
    body: { kind: 'oidc', oidc: { redirectUris: [`${address}/signed-in`], endUris: [`${address}/`] } },
  });
  const whole = { id: connection.id, secret: key!, issuer: connection.oidc!.issuer };
  planner = createPlanner({ issuer: whole.issuer, address, whole, secondStep: whole });
  await planner.listen({ host: '127.0.0.1', port: Number(new URL(address).port) });
  const { rows, version } = await inst.owner.call('methods.show');
  const push = { enrol: true, purposes: ['sign-in' as const, 'enrol' as const] };
  await inst.owner.call('methods.edit', {
    body: { rows: [{ group: null, cells: { ...rows.at(-1)!.cells, push } }], lockedOut: 0 },
    ifMatch: version,
  });
  await inst.owner.call('networks.add', { body: { name: 'quay', ranges: ['127.0.0.0/8', '::1/128'] } });
  await publish(
    inst.owner,
    rulebookOf([
      CONSOLE,
      '{ rule: Setting up, at: { applications: [Enrolment] }, then: let in }',
      '{ rule: Berths, at: { applications: [Berth Planner] }, then: { ask for: [password + push] } }',
    ]),
  );
  await new Promise((resolve) => setTimeout(resolve, 3_200));
  open = await openPage();
});
afterAll(async () => {
  await open.browser.close();
  await planner.close();
  await inst.stop();
});

/** A phone's own browser: what it keeps is its own. */
async function phoneOf(locale = 'en-GB'): Promise<{ context: BrowserContext; phone: Page }> {
  const context = await open.browser.newContext({ viewport: { width: 360, height: 740 }, locale });
  const phone = await context.newPage();
  phone.setDefaultTimeout(20_000);
  phone.on('console', (message) => {
    if (message.type() === 'error' && !/status of 4\d\d|ERR_INTERNET/.test(message.text()))
      open.complaints.push(message.text());
  });
  return { context, phone };
}

async function come(page: Page, loginName: string): Promise<string> {
  await page.goto(address);
  await page.getByRole('link', { name: 'Sign in' }).click();
  await page.getByLabel('Login name').fill(loginName);
  await page.keyboard.press('Enter');
  await page.getByLabel('Password').fill(PASSWORD);
  await page.keyboard.press('Enter');
  await page.getByText('Type this number on it:').waitFor();
  return /\b\d\d\b/.exec(await page.locator('code').innerText())![0];
}

describe('a phone that approves, in the browser', () => {
  it('is set up from the page for enrolling, asked by the planner, and answers by the number that is shown', async () => {
    const { page } = open;
    const { id } = await inst.owner.call('people.add', {
      body: { displayName: 'Tam Okoro', loginNames: ['tam.okoro'] },
    });
    await inst.owner.call('people.setPassword', { params: { id }, body: { password: PASSWORD } });
    await page.goto(`${base}/enrol`);
    await page.getByLabel('Login name').fill('tam.okoro');
    await page.keyboard.press('Enter');
    await page.getByLabel('Password').fill(PASSWORD);
    await page.keyboard.press('Enter');
    await page.getByRole('button', { name: 'Set up a phone that approves' }).click();
    const link = (await page.getByRole('link', { name: /This is the phone/ }).getAttribute('href'))!;
    await accessible(page, 'a phone to be set up');

    const { context, phone } = await phoneOf();
    const sent: string[] = [];
    phone.on('request', (request) => void sent.push(`${request.method()} ${request.url()}`));
    await phone.goto(link);
    await phone.getByRole('heading', { name: 'Set up this phone' }).waitFor();
    await accessible(phone, 'a phone that opened the link');
    // Opening it does nothing, and nobody is told what stands behind the number sign.
    expect(sent.filter((one) => one.startsWith('POST') || one.includes('nld_'))).toEqual([]);
    expect(phone.url()).not.toContain('nld_');
    await phone.getByRole('button', { name: 'Set it up' }).click();
    await phone.getByRole('button', { name: 'Approve' }).click();
    await phone.getByText('This phone is set up.').waitFor();
    await page.getByText('Your phone can be asked from now on.').waitFor();

    const number = await come(page, 'tam.okoro');
    await accessible(page, 'waiting for a phone');
    await phone.getByRole('heading', { name: 'Is it you who signs in?' }).waitFor();
    await phone.getByText('At Berth Planner').waitFor();
    await phone.getByText('from quay').waitFor();
    await accessible(phone, 'a question on the phone');
    await phone.getByLabel('The number that is shown').fill(number === '00' ? '01' : '00');
    await phone.getByRole('button', { name: 'Approve' }).click();
    await phone.getByRole('alert').getByText('That is not the number').waitFor();
    await phone.getByLabel('The number that is shown').fill(number);
    await phone.getByRole('button', { name: 'Approve' }).click();
    await phone.getByText('Done. Go on where you sign in.').waitFor();
    await page.getByText('Signed in: Tam Okoro').waitFor();
    expect(await page.locator('dl').innerText()).toContain('["pwd","swk","user","mfa"]');

    // The page is closed and opened again, without a network first: its key is still there, and it goes on by itself.
    await phone.close();
    const again = await context.newPage();
    again.setDefaultTimeout(20_000);
    await again.goto(`${base}/pocket/`);
    await again.getByText('Nothing waits for you.').waitFor();
    await context.setOffline(true);
    await again.getByText('There is no connection.').waitFor();
    await context.setOffline(false);
    await again.getByText('Nothing waits for you.').waitFor();

    // Somebody else signs in: one press ends it, and it stands with the sign-in.
    const stranger = await (await open.browser.newContext({ locale: 'en-GB' })).newPage();
    stranger.setDefaultTimeout(20_000);
    await come(stranger, 'tam.okoro');
    await again.getByRole('button', { name: 'It was not me' }).click();
    await again.getByText('your administrators hear of it. Change').waitFor();
    await stranger.getByRole('heading', { name: /./ }).first().waitFor();
    await expect.poll(async () => await stranger.getByText('Type this number on it:').count()).toBe(0);
    const { rows } = await inst.owner.call('activity.list', { query: { person: id } });
    expect(rows[0]).toMatchObject({ state: 'refused', reason: 'not-me' });

    // Revoked, the phone is told in plain words what to do.
    const { authenticators } = await inst.owner.call('keyring.show', { params: { id } });
    await inst.owner.call('authenticators.revoke', {
      params: { id: authenticators.find(({ method }) => method === 'push')!.id },
    });
    await again.getByText('This phone is not known here any more').waitFor();
    await again.getByRole('button', { name: 'Take it off this phone' }).click();
    await again.getByText('No account is set up on this phone.').waitFor();
    expect(open.complaints).toEqual([]);
  });

  it('speaks the language of its phone', async () => {
    const { phone } = await phoneOf('de-DE');
    await phone.goto(`${base}/pocket/`);
    await phone.getByRole('heading', { name: 'Anmeldungen zustimmen' }).waitFor();
    await accessible(phone, 'an empty phone, in German');
    expect(await phone.locator('html').getAttribute('lang')).toBe('de');
  });
});
