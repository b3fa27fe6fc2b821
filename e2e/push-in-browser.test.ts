import type { BrowserContext, Page } from 'playwright-core';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { createClient } from '@nimble-latch/api/client';
import { createPlanner } from '../packages/standins/src/berths/server.js';
import { makeBrowserKeys, opened } from '../packages/standins/src/push-service/message.js';
import { createPushService } from '../packages/standins/src/push-service/server.js';
import { freePort } from '../scripts/lib/private-mariadb.mjs';
import { accessible, openPage, withPasskeys, type OpenPage } from './support/browser.js';
import { Installation, PASSWORD } from './support/installation.js';
import { askByPush, followed, linkFor } from './support/phones.js';

let inst: Installation;
let open: OpenPage;
let base: string;
let address: string;
let planner: ReturnType<typeof createPlanner>;
beforeAll(async () => {
  inst = await Installation.start(1, { NLATCH_INTERNAL_ADDRESSES: 'localhost' });
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
  await inst.owner.call('networks.add', { body: { name: 'quay', ranges: ['127.0.0.0/8', '::1/128'] } });
  await askByPush(inst.owner);
  open = await openPage('whole');
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
  phone.setDefaultTimeout(60_000);
  phone.on('console', (message) => {
    if (message.type() === 'error' && !/status of 4\d\d|ERR_INTERNET/.test(message.text()))
      open.complaints.push(message.text());
  });
  return { context, phone };
}

/** Follows a link on a phone, answers its first request, and lets it be used. */
async function setUp(phone: Page, { link, prove }: Awaited<ReturnType<typeof linkFor>>): Promise<void> {
  await phone.goto(link);
  await phone.getByRole('button', { name: 'Set it up' }).click();
  await phone.getByRole('button', { name: 'Approve' }).click();
  await phone.getByText('This phone is set up.').waitFor();
  await prove();
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
    again.setDefaultTimeout(60_000);
    await again.goto(`${base}/pocket/`);
    await again.getByText('Nothing waits for you.').waitFor();
    await context.setOffline(true);
    await again.getByText('There is no connection.').waitFor();
    await context.setOffline(false);
    await again.getByText('Nothing waits for you.').waitFor();

    // Somebody else signs in: one press ends it, and it stands with the sign-in.
    const stranger = await (await open.browser.newContext({ locale: 'en-GB' })).newPage();
    stranger.setDefaultTimeout(60_000);
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

  it('rings while its page is closed, and says nothing of who asks', async () => {
    const pushService = createPushService(() => new Date());
    const port = await freePort();
    await pushService.listen({ host: '127.0.0.1', port });
    const begun = await linkFor(inst, 'nell.harrow', 'Nell');

    const { context, phone } = await phoneOf();
    await context.grantPermissions(['notifications'], { origin: base });
    // Browsers have a push service of their own, which this one takes the place of.
    const keys = makeBrowserKeys();
    let messages = '';
    await context.exposeFunction('subscribeAt', async (key: string) => {
      const made = await fetch(`http://localhost:${port}/subscriptions`, {
        method: 'POST',
        headers: { 'content-type': 'application/json' },
        body: JSON.stringify({ key }),
      });
      const { endpoint, messages: at } = (await made.json()) as { endpoint: string; messages: string };
      messages = at;
      const [p256dh, auth] = [keys.p256dh.toString('base64url'), keys.auth.toString('base64url')];
      return { endpoint, keys: { p256dh, auth } };
    });
    await context.addInitScript(() => {
      const kept = () => {
        const made = JSON.parse(localStorage.getItem('subscription') ?? 'null') as PushSubscriptionJSON | null;
        const unsubscribe = () => Promise.resolve(localStorage.removeItem('subscription')).then(() => true);
        return made && ({ toJSON: () => made, unsubscribe } as unknown as PushSubscription);
      };
      if (!('PushManager' in window)) return;
      PushManager.prototype.getSubscription = () => Promise.resolve(kept());
      PushManager.prototype.subscribe = async (options) => {
        const bytes = new Uint8Array(options!.applicationServerKey as ArrayBuffer);
        const key = btoa(String.fromCharCode(...bytes))
          .replaceAll('+', '-')
          .replaceAll('/', '_')
          .replaceAll('=', '');
        const { subscribeAt } = window as unknown as { subscribeAt: (key: string) => Promise<PushSubscriptionJSON> };
        localStorage.setItem('subscription', JSON.stringify(await subscribeAt(key)));
        return kept()!;
      };
    });
    await setUp(phone, begun);
    await phone.getByText('It can also ring while it is closed').waitFor();
    await accessible(phone, 'a phone that may ring');
    const session = await context.newCDPSession(phone);
    const registered = new Promise<string>((resolve) => {
      session.on('ServiceWorker.workerRegistrationUpdated', ({ registrations }) => {
        if (registrations[0]) resolve(registrations[0].registrationId);
      });
    });
    await session.send('ServiceWorker.enable');
    await phone.getByRole('button', { name: 'Ring when I am asked' }).click();
    await phone.getByText('This phone rings when somebody signs in as you').waitFor();
    await phone.reload();
    await phone.getByText('This phone rings when somebody signs in as you').waitFor();
    const registrationId = await registered;
    const shown = async () =>
      await phone.evaluate(async () => {
        const kept = await navigator.serviceWorker.getRegistration('/pocket/');
        return (await kept!.getNotifications()).map(({ title, body, tag }) => ({ title, body, tag }));
      });
    const deliver = async () => {
      let kept: readonly { body: string }[] = [];
      await expect
        .poll(async () => {
          kept = ((await (await fetch(messages)).json()) as { messages: typeof kept }).messages;
          return kept.length;
        })
        .toBe(1);
      const data = opened(Buffer.from(kept[0]!.body, 'base64url'), keys).toString();
      await session.send('ServiceWorker.deliverPushMessage', { origin: base, registrationId, data });
    };
    // In sight the page shows it by itself.
    const stranger = await (await open.browser.newContext({ locale: 'en-GB' })).newPage();
    stranger.setDefaultTimeout(60_000);
    const number = await come(stranger, 'nell.harrow');
    await deliver();
    await phone.getByLabel('The number that is shown').fill(number);
    await phone.getByRole('button', { name: 'Approve' }).click();
    await stranger.getByText('Signed in: Nell').waitFor();
    expect(await shown()).toEqual([]);
    // Gone from sight it rings, and is quiet once the page is looked at and nothing waits any more.
    await phone.goto(`${base}/sign-in`);
    const later = await (await open.browser.newContext({ locale: 'en-GB' })).newPage();
    later.setDefaultTimeout(60_000);
    await come(later, 'nell.harrow');
    await deliver();
    await expect.poll(shown).toEqual([{ title: 'Are you signing in?', body: 'Look who is asking.', tag: 'ask' }]);
    await phone.goto(`${base}/pocket/`);
    await phone.getByText('At Berth Planner').waitFor();
    await phone.getByRole('button', { name: 'Deny' }).click();
    await phone.getByText('Denied. Nobody gets in by this.').waitFor();
    await expect.poll(shown).toEqual([]);
    // What its push service has let go of, the page says, and mends.
    pushService.switches.refuse = 410;
    await inst.sql('DELETE FROM push_requests');
    await come(await (await open.browser.newContext({ locale: 'en-GB' })).newPage(), 'nell.harrow');
    await phone.getByRole('button', { name: 'Deny' }).click();
    await phone.getByText('This phone does not ring any more').waitFor();
    await phone.getByRole('button', { name: 'Ring when I am asked' }).click();
    await phone.getByRole('button', { name: 'Do not ring' }).click();
    await phone.getByText('It can also ring while it is closed').waitFor();
    expect(open.complaints).toEqual([]);
    await pushService.close();
  });

  it('has its holder verified by the screen lock, once it was set up with it', async () => {
    const begun = await linkFor(inst, 'ida.voss', 'Ida Voss');
    const { context, phone } = await phoneOf();
    const lock = await withPasskeys(phone);
    const finger = async (isUserVerified: boolean) => {
      const { credentials } = await lock.send('WebAuthn.getCredentials', { authenticatorId: lock.authenticatorId });
      await lock.send('WebAuthn.setUserVerified', { authenticatorId: lock.authenticatorId, isUserVerified });
      return credentials;
    };
    await phone.goto(begun.link);
    await phone.getByRole('button', { name: 'Set it up' }).click();
    await phone.getByText('This phone can ask for your fingerprint').waitFor();
    await phone.getByRole('button', { name: 'Approve without it' }).waitFor();
    await accessible(phone, 'a phone that can be unlocked');
    // Somebody else's finger: nothing is set up, and it can be tried again.
    await finger(false);
    await phone.getByRole('button', { name: 'Approve with screen lock' }).click();
    await phone.getByText('Your phone has not seen that it is you').waitFor();
    expect(await finger(true)).toEqual([]);
    await phone.getByRole('button', { name: 'Approve with screen lock' }).click();
    await phone.getByText('This phone is set up.').waitFor();
    expect(await finger(true)).toMatchObject([{ rpId: 'localhost', isResidentCredential: false }]);
    await begun.prove();
    const computer = await open.browser.newContext({ locale: 'en-GB' });
    const page = await computer.newPage();
    page.setDefaultTimeout(60_000);
    const number = await come(page, 'ida.voss');
    await phone.getByLabel('The number that is shown').fill(number);
    await finger(false);
    await phone.getByRole('button', { name: 'Approve' }).click();
    await phone.getByText('Your phone has not seen that it is you').waitFor();
    await finger(true);
    await phone.getByLabel('The number that is shown').fill(number);
    await phone.getByRole('button', { name: 'Approve' }).click();
    await page.getByText('Signed in: Ida Voss').waitFor();
    // What was answered stands there, for whoever did not do it.
    await phone.getByRole('heading', { name: 'Answered lately' }).waitFor();
    await phone.getByText('Approved at Berth Planner').waitFor();
    await accessible(phone, 'what was answered lately');
    expect(open.complaints).toEqual([]);
    await Promise.all([context.close(), computer.close()]);
  });

  it('opens without a network, and shows a code then, where the settings want one', async () => {
    const { rows, version } = await inst.owner.call('methods.show');
    const cells = rows.at(-1)!.cells;
    const push = { ...cells.push!, parameters: { codes: 'made' as const } };
    await inst.owner.call('methods.edit', {
      body: { rows: [{ group: null, cells: { ...cells, push } }], lockedOut: 0 },
      ifMatch: version,
    });
    await followed();
    const begun = await linkFor(inst, 'jon.reed', 'Jon');
    const { context, phone } = await phoneOf();
    await setUp(phone, begun);
    await phone.evaluate(async () => {
      await navigator.serviceWorker.ready;
      while (!(await caches.match('/pocket/'))) await new Promise((resolve) => setTimeout(resolve, 50));
    });
    await context.setOffline(true);
    await phone.close();
    const away = await context.newPage();
    away.setDefaultTimeout(60_000);
    await away.goto(`${base}/pocket/`);
    await away.getByText('There is no connection').waitFor();
    const code = (await away.locator('output').innerText()).replace(' ', '');
    expect(code).toMatch(/^\d{6}$/);
    await accessible(away, 'a phone without a network');
    const { authenticators, carriers } = await inst.owner.call('keyring.show', { params: { id: begun.id } });
    const codes = authenticators.find(({ method }) => method === 'totp')!;
    expect(codes).toMatchObject({ state: 'active', carrierId: carriers[0]!.id });
    // The very code may have proved it, and then it is used up.
    await inst.sql("UPDATE authenticators SET last_step = NULL WHERE method = 'totp'");
    expect(await inst.owner.call('authenticators.test', { params: { id: codes.id }, body: { code } })).toMatchObject({
      outcome: 'right',
    });
    // Back again it asks as before, and shows a code only to whoever wants one.
    await context.setOffline(false);
    await away.getByText('Nothing waits for you.').waitFor();
    await away.getByRole('button', { name: 'Show a code' }).waitFor();
    await context.close();
  });

  it('lets nobody in who signs in on it, in the same browser', async () => {
    const begun = await linkFor(inst, 'kit.rowe', 'Kit');
    const { context, phone } = await phoneOf();
    await setUp(phone, begun);
    const page = await context.newPage();
    page.setDefaultTimeout(60_000);
    const number = await come(page, 'kit.rowe');
    await phone.bringToFront();
    await phone.getByLabel('The number that is shown').fill(number);
    await phone.getByRole('button', { name: 'Approve' }).click();
    await phone.getByText('You sign in in this very browser').waitFor();
    expect(open.complaints).toEqual([]);
    await context.close();
  });

  it('is one of two that are both asked: whichever says something first has said it for both', async () => {
    const begun = await linkFor(inst, 'olga.two', 'Olga');
    const anybody = createClient({ server: base });
    const own = { right: begun.right };
    const second = await anybody.call('own.beginPush', { body: own });
    const provesSecond = async () =>
      await anybody.call('own.provePush', { params: { id: second.authenticator.id }, body: own });
    const [one, other] = [await phoneOf(), await phoneOf()];
    await setUp(one.phone, begun);
    await setUp(other.phone, { ...begun, link: second.link, prove: provesSecond });
    const computer = await open.browser.newContext({ locale: 'en-GB' });
    const page = await computer.newPage();
    page.setDefaultTimeout(60_000);

    const number = await come(page, 'olga.two');
    await one.phone.getByLabel('The number that is shown').waitFor();
    await other.phone.getByLabel('The number that is shown').fill(number);
    await other.phone.getByRole('button', { name: 'Approve' }).click();
    await page.getByText('Signed in: Olga').waitFor();
    await expect.poll(async () => await one.phone.getByLabel('The number that is shown').count()).toBe(0);
    expect(await one.phone.getByText('Approved at').count()).toBe(0);

    const stranger = await (await open.browser.newContext({ locale: 'en-GB' })).newPage();
    stranger.setDefaultTimeout(60_000);
    await come(stranger, 'olga.two');
    await other.phone.getByRole('button', { name: 'Deny' }).waitFor();
    await one.phone.getByRole('button', { name: 'Deny' }).click();
    await one.phone.getByText('Denied. Nobody gets in by this.').waitFor();
    await expect.poll(async () => await other.phone.getByRole('button', { name: 'Deny' }).count()).toBe(0);
    await expect.poll(async () => await stranger.getByText('Type this number on it:').count()).toBe(0);
    const { rows } = await inst.owner.call('activity.list', { query: { person: begun.id } });
    expect(rows[0]).toMatchObject({ state: 'refused', reason: 'denied' });
    expect(open.complaints).toEqual([]);
    await Promise.all([one.context.close(), other.context.close(), computer.close(), stranger.context().close()]);
  });

  it('is the phone of two accounts, each asked by itself', async () => {
    const { context, phone } = await phoneOf();
    for (const name of ['Una', 'Vera']) {
      const loginName = `${name.toLowerCase()}.two`;
      const begun = await linkFor(inst, loginName, name);
      await setUp(phone, begun);
    }
    const of = (name: string) => phone.getByRole('region', { name: new RegExp(`^${name}, `) });
    await of('Una').getByText('Nothing waits for you.').waitFor();
    const computer = await open.browser.newContext({ locale: 'en-GB' });
    const page = await computer.newPage();
    page.setDefaultTimeout(60_000);
    const number = await come(page, 'vera.two');
    await of('Vera').getByLabel('The number that is shown').fill(number);
    expect(await of('Una').getByLabel('The number that is shown').count()).toBe(0);
    await accessible(phone, 'a phone of two accounts');
    await of('Vera').getByRole('button', { name: 'Approve' }).click();
    await page.getByText('Signed in: Vera').waitFor();
    await of('Vera').getByText('Approved at Berth Planner').waitFor();
    expect(await of('Una').getByText('Approved at Berth Planner').count()).toBe(0);
    expect(open.complaints).toEqual([]);
    await Promise.all([context.close(), computer.close()]);
  });

  it('says which page it has, and fetches the one of now once, when nothing is asked', async () => {
    const { context, phone } = await phoneOf();
    await setUp(phone, await linkFor(inst, 'pia.page', 'Pia'));
    let pages = 0;
    const said = new Set<unknown>();
    phone.on('domcontentloaded', () => (pages += 1));
    await phone.route('**/api/v1/phones/requests', async (route) => {
      const { token } = route.request().postDataJSON() as { token: string };
      const answer = await route.fetch();
      const told = (await answer.json()) as { page: string };
      const { page } = JSON.parse(Buffer.from(token.split('.')[1]!, 'base64url').toString()) as { page: string };
      said.add(page === told.page);
      await route.fulfill({ response: answer, json: { ...told, page: 'the-one-of-tomorrow' } });
    });
    await expect.poll(() => pages).toBe(1);
    await phone.getByText('Nothing waits for you.').waitFor();
    // That it brought the same one again is not tried over and over.
    await new Promise((resolve) => setTimeout(resolve, 5_000));
    expect(pages).toBe(1);
    expect([...said]).toEqual([true]);
    expect(open.complaints).toEqual([]);
    await context.close();
  });

  it('speaks the language of its phone', async () => {
    const { phone } = await phoneOf('de-DE');
    await phone.goto(`${base}/pocket/`);
    await phone.getByRole('heading', { name: 'Anmeldungen zustimmen' }).waitFor();
    await accessible(phone, 'an empty phone, in German');
    expect(await phone.locator('html').getAttribute('lang')).toBe('de');
  });
});
