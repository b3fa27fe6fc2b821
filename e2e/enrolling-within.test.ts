import type { Answer } from '@nimble-latch/api';
import { createClient } from '@nimble-latch/api/client';
import type { Page } from 'playwright-core';
import * as oidc from 'openid-client';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { createPlanner } from '../packages/standins/src/berths/server.js';
import { createTraffic } from '../packages/standins/src/traffic/server.js';
import { freePort } from '../scripts/lib/private-mariadb.mjs';
import { accessible, openPage, withPasskeys } from './support/browser.js';
import { Installation, outcomes, PASSWORD, Phone } from './support/installation.js';
import { CONSOLE, publish, rulebookOf } from './support/rulebooks.js';
import { RelyingParty, Visitor } from './support/visitor.js';

let inst: Installation;
let berths: RelyingParty;
let application: string;
let address: string;
let whole: { id: string; secret: string; issuer: string };
const BACK = 'https://berths.wexmoor.example/signed-in';
const HOUSE = '{ rule: In the house, at: { applications: [Enrolment] }, from: { networks: [house] }, then: let in }';
const asking = (more = '') =>
  `{ rule: Berths, at: { applications: [Berth Planner] }, then: { ask for: [password + totp, webauthn(verified)] }${more} }`;
const GRACE = ', grace: { days: 14, last day: 2099-01-01 }';

beforeAll(async () => {
  inst = await Installation.start(2, { NLATCH_TRUSTED_PROXIES: '127.0.0.1' });
  await inst.owner.call('networks.add', { body: { name: 'house', ranges: ['127.0.0.0/8', '::1/128'] } });
  address = `http://localhost:${await freePort()}`;
  application = (await inst.owner.call('applications.add', { body: { name: 'Berth Planner' } })).id;
  const { connection, key } = await inst.owner.call('connections.add', {
    params: { id: application },
    body: { kind: 'oidc', oidc: { redirectUris: [BACK, `${address}/signed-in`], endUris: [`${address}/`] } },
  });
  whole = { id: connection.id, secret: key!, issuer: connection.oidc!.issuer };
  berths = await RelyingParty.connect(whole.issuer, whole.id, whole.secret, BACK);
  await rules([CONSOLE, HOUSE, asking()]);
});
afterAll(async () => await inst.stop());

/** Publishes rules, and waits until both nodes go by them: within three seconds. */
async function rules(some: readonly string[]): Promise<void> {
  await publish(inst.owner, rulebookOf([...some]));
  await new Promise((resolve) => setTimeout(resolve, 3_200));
}
const add = async (loginName: string) => {
  const { id } = await inst.owner.call('people.add', { body: { displayName: loginName, loginNames: [loginName] } });
  await inst.owner.call('people.setPassword', { params: { id }, body: { password: PASSWORD } });
  return id;
};
const anybody = (node = 0) => createClient({ server: inst.nodes[node]!.url });
const visitor = (node = 0) => new Visitor(inst.nodes[node]!.url);

/** Somebody at the application whose password is all that they have. */
async function without(loginName: string, who = visitor(), more: Record<string, string> = {}, pushed = false) {
  const asked = await berths.request(more, pushed);
  const url = new URL(asked.url);
  const begun = await who.begin(`${url.pathname}${url.search}`, loginName);
  const proved = await who.prove(begun, 'password', PASSWORD);
  const { request, handle } = begun;
  const { id } = proved.signIn!;
  return {
    who,
    asked,
    request,
    id,
    handle: handle!,
    signIn: proved.signIn!,
    redirect: proved.redirect,
    enrol: async (by = who) =>
      await by.post<Answer<'pages.enrol'>>(`/pages/sign-ins/${id}/enrolment`, { request, handle }),
    putOff: async (by = who) =>
      await by.post<Answer<'pages.putOff'>>(`/pages/sign-ins/${id}/put-off`, { request, handle }),
    goOn: async (right: string, by = who) =>
      await by.post<Answer<'pages.begin'>>('/pages/sign-ins', { request, after: { id, handle, right } }),
  };
}
async function enrolApp(right: string, node = 0): Promise<Phone> {
  const begun = await anybody(node).call('own.beginTotp', { body: { right } });
  const phone = new Phone(begun.keyUri);
  await anybody(node).call('own.proveTotp', {
    params: { id: begun.authenticator.id },
    body: { right, codes: [phone.next()] },
  });
  return phone;
}

describe('enrolling inside a sign-in', () => {
  it('goes on into the application with what was proved and enrolled, without signing in anew', async () => {
    const id = await add('new.here');
    const at = await without('new.here');
    expect(at.signIn.state).toBe('enrol-first');
    const { right, grace } = await at.enrol();
    expect(grace).toBeNull();
    await enrolApp(right!, 1);
    const back = await at.goOn(right!);
    expect(back.signIn).toMatchObject({ state: 'let-in', way: 'password + totp' });
    const tokens = await berths.tokens(new URL(back.redirect!), at.asked);
    expect(tokens.claims()).toMatchObject({ amr: ['pwd', 'otp', 'mfa'], sub: expect.any(String) as string });
    const { rows } = await inst.owner.call('activity.list', { query: { person: id } });
    expect(rows.map((row) => `${row.state} ${row.application?.name ?? ''}`)).toEqual([
      'let-in Berth Planner',
      'let-in Enrolment',
      'enrol-first Berth Planner',
    ]);
    // Once: neither goes on a second time, nor enrols more by it.
    expect(await at.goOn(right!)).toMatchObject({ code: 'request-gone' });
    await expect(anybody(1).call('own.beginTotp', { body: { right: right! } })).rejects.toMatchObject({
      code: 'request-gone',
    });
  });

  it('goes on once, of two that go on at the same moment, also for a request that was pushed', async () => {
    await add('twice.on');
    const at = await without('twice.on', visitor(), {}, true);
    const { right } = await at.enrol();
    await enrolApp(right!);
    const ends = await outcomes([at.goOn(right!), at.goOn(right!, at.who)]);
    const how = ends.map((one) =>
      typeof one === 'string' ? one : ((one as { code?: string }).code ?? one.signIn?.state),
    );
    expect(how.sort()).toEqual(['let-in', 'request-gone']);
  });

  it('is nobody else’s: bound to its sign-in, its request, its person and what was enrolled by it', async () => {
    await add('rightful');
    await add('thief');
    const [mine, theirs] = [await without('rightful'), await without('thief')];
    const [{ right }, { right: other }] = [await mine.enrol(), await theirs.enrol()];
    // Nothing was enrolled yet: there is nothing to go on with.
    expect(await mine.goOn(right!)).toMatchObject({ code: 'request-gone' });
    await enrolApp(right!);
    expect(await theirs.goOn(right!)).toMatchObject({ code: 'request-gone' });
    expect(await mine.goOn(other!)).toMatchObject({ code: 'request-gone' });
    const forged = await mine.who.post(`/pages/sign-ins/${theirs.id}/enrolment`, {
      request: mine.request,
      handle: mine.handle,
    });
    expect(forged).toMatchObject({ code: 'not-found' });
    const crossed = await mine.who.post('/pages/sign-ins', {
      request: theirs.request,
      after: { id: mine.id, handle: mine.handle, right },
    });
    expect(crossed).toMatchObject({ code: 'request-gone' });
    // A right that was got by a sign-in of its own goes on nowhere.
    const alone = await anybody().call('own.begin', { body: { place: 'enrolment', loginName: 'rightful' } });
    const { right: elsewhere } = await anybody().call('own.prove', {
      params: { id: alone.signIn.id },
      body: { kind: 'password', value: PASSWORD, handle: alone.handle },
    });
    expect(await mine.goOn(elsewhere!)).toMatchObject({ code: 'request-gone' });
    expect((await mine.goOn(right!)).signIn?.state).toBe('let-in');
  });

  it('asks for what else the rule wants, and is refused where the rules do not let anybody enrol so', async () => {
    await add('elsewhere');
    await rules([CONSOLE, asking()]);
    const at = await without('elsewhere');
    expect(at.signIn.state).toBe('enrol-first');
    // By the rules as delivered a password alone enrols nothing.
    expect(await at.enrol()).toEqual({ right: null, grace: null });
    const strict = await inst.owner.call('groups.add', { body: { name: 'strict' } });
    const personId = await add('more.wanted');
    await inst.owner.call('groups.join', { params: { id: strict.id, personId } });
    await rules([
      CONSOLE,
      HOUSE,
      '{ rule: Strict, who: { groups: [strict] }, at: { applications: [Berth Planner] }, then: ask for phishing-resistant }',
      asking(),
    ]);
    const more = await without('more.wanted');
    const { right } = await more.enrol();
    await enrolApp(right!);
    const back = await more.goOn(right!);
    // What was enrolled is not what this rule asks for.
    expect(back).toMatchObject({ redirect: null, signIn: { state: 'enrol-first' } });
    await rules([CONSOLE, HOUSE, asking()]);
  });

  it('ends with what is found out: a sign-in that was not the person’s enrols nothing and goes nowhere', async () => {
    await add('found.out');
    const at = await without('found.out');
    const { right } = await at.enrol();
    await enrolApp(right!);
    await inst.owner.call('activity.judge', { params: { id: at.id }, body: { verdict: 'confirmed' } });
    expect(await at.goOn(right!)).toMatchObject({ code: 'request-gone' });
  });
});

describe('days of grace, at our pages', () => {
  const lastDay = async (id: string) =>
    await inst.sql(
      "UPDATE graces SET begun_at = UTC_TIMESTAMP(3) - INTERVAL 13 DAY - INTERVAL 1 HOUR WHERE person_id = UNHEX(REPLACE(?, '-', ''))",
      [id],
    );

  it('are put off by the person, counted once each, and not on the last day where they can enrol', async () => {
    await rules([CONSOLE, HOUSE, asking(GRACE)]);
    const id = await add('puts.off');
    const first = await without('puts.off');
    expect(first).toMatchObject({ signIn: { state: 'let-in', reason: 'grace' }, redirect: null });
    expect((await first.enrol()).grace).toMatchObject({ putOff: 0, mayPutOff: true });
    const { redirect } = await first.putOff();
    expect((await berths.tokens(new URL(redirect), first.asked)).claims()).toMatchObject({ amr: ['pwd'] });
    // A second press counts no second time, and brings nobody in again.
    expect(await first.putOff()).toMatchObject({ code: 'request-gone' });
    const second = await without('puts.off', visitor(1));
    const offered = await second.enrol();
    expect(offered.grace).toMatchObject({ putOff: 1, mayPutOff: true });
    await second.putOff();
    const graces = await inst.owner.call('rulebook.graces');
    expect(graces.rows).toMatchObject([{ person: { displayName: 'puts.off' }, putOff: 2, over: false }]);
    await lastDay(id);
    const third = await without('puts.off');
    const { right, grace } = await third.enrol();
    expect(grace).toMatchObject({ putOff: 2, mayPutOff: false });
    expect(await third.putOff()).toMatchObject({ code: 'last-day' });
    await enrolApp(right!);
    expect((await third.goOn(right!)).signIn).toMatchObject({ state: 'let-in', way: 'password + totp' });
    const { rows } = await inst.owner.call('trail.list', { query: { person: id, action: 'enrolment.put-off' } });
    expect(rows).toHaveLength(2);
  });

  it('take no browser that was left open for whoever is at it: to enrol, or say later, it is proved anew', async () => {
    const id = await add('left.open');
    const first = await without('left.open');
    const again = async () => {
      const asked = await berths.request();
      const url = new URL(asked.url);
      return await first.who.begin(`${url.pathname}${url.search}`);
    };
    const soon = await again();
    expect(soon.signIn).toMatchObject({ state: 'let-in', reason: 'grace' });
    const soonEnrols = await first.who.post<Answer<'pages.enrol'>>(`/pages/sign-ins/${soon.signIn!.id}/enrolment`, {
      request: soon.request,
      handle: soon.handle,
    });
    expect(soonEnrols.right).not.toBeNull();
    await inst.sql(
      "UPDATE browser_sessions SET proofs = JSON_SET(proofs, '$[0].at', ?) WHERE person_id = UNHEX(REPLACE(?, '-', ''))",
      [new Date(Date.now() - 20 * 60_000).toISOString(), id],
    );
    const later = await again();
    expect(later).toMatchObject({ redirect: null, signIn: { state: 'asking', prompt: { kind: 'password' } } });
    const proved = await first.who.prove(later, 'password', PASSWORD);
    expect(proved.signIn).toMatchObject({ state: 'let-in', reason: 'grace' });
  });

  it('last to their end for whoever cannot enrol from where they are; and nobody is asked where nothing is shown', async () => {
    const id = await add('far.away');
    await rules([CONSOLE, asking(GRACE)]);
    const at = await without('far.away');
    await lastDay(id);
    expect(await at.enrol()).toMatchObject({ right: null, grace: { mayPutOff: true } });
    expect((await at.putOff()).redirect).toContain('code=');
    // The same browser, without a page: what the session has is enough as long as the days last.
    const silent = await berths.request({ prompt: 'none' });
    const url = new URL(silent.url);
    const opened = await at.who.open(`${url.pathname}${url.search}`);
    const begun = 'request' in opened ? await at.who.beginWith(opened.request) : undefined;
    expect(begun?.redirect ?? ('elsewhere' in opened ? opened.elsewhere.href : '')).toContain('code=');
    await expect(oidc.fetchUserInfo(berths.config, 'none', oidc.skipSubjectCheck)).rejects.toBeDefined();
  });
});

describe('somebody new at the Berth Planner', () => {
  /** What they do on the page for enrolling, by method, and what the planner hears of it. */
  const KINDS = [
    {
      method: 'an app that shows codes',
      name: 'first.day',
      amr: '["pwd","otp","mfa"]',
      setUp: async (page: Page) => {
        await page.getByRole('button', { name: 'Set up an app that shows codes' }).click();
        const app = page.getByRole('link', { name: 'The app is on this device' });
        const phone = new Phone((await app.getAttribute('href'))!);
        await page.getByLabel('Code').fill(phone.next());
        await page.keyboard.press('Enter');
      },
    },
    {
      method: 'a passkey',
      name: 'first.key',
      amr: '["pwd","hwk","user","mfa"]',
      setUp: async (page: Page) => {
        await withPasskeys(page);
        await page.getByRole('button', { name: 'Set up a passkey or security key' }).click();
      },
    },
  ];
  it.each(KINDS)('puts it off twice, enrols $method on the last day, and is back in the planner', async (kind) => {
    const { name, setUp, amr } = kind;
    await rules([CONSOLE, HOUSE, asking(GRACE)]);
    const planner = createPlanner({ issuer: whole.issuer, address, whole, secondStep: whole });
    await planner.listen({ host: '127.0.0.1', port: Number(new URL(address).port) });
    const { browser, complaints } = await openPage();
    try {
      const id = await add(name);
      const context = await browser.newContext({ locale: 'en-GB', viewport: { width: 360, height: 780 } });
      const page = await context.newPage();
      page.setDefaultTimeout(60_000);
      const come = async () => {
        await context.clearCookies();
        await page.goto(address);
        await page.getByRole('link', { name: 'Sign in' }).click();
        await page.getByLabel('Login name').fill(name);
        await page.keyboard.press('Enter');
        await page.getByLabel('Password').fill(PASSWORD);
        await page.keyboard.press('Enter');
      };
      for (const times of [0, 1]) {
        await come();
        await page.getByRole('heading', { name: 'You are in, for now' }).waitFor();
        await page.getByText('You get in without it until').waitFor();
        if (times > 0) await page.getByText(`Put off so far: ${times} time`).waitFor();
        await accessible(page, 'grace, to be put off');
        await page.getByRole('button', { name: 'Later, go on to Berth Planner' }).click();
        await page.getByText(`Signed in: ${name}`).waitFor();
      }
      await inst.sql(
        "UPDATE graces SET begun_at = begun_at - INTERVAL 13 DAY - INTERVAL 1 HOUR WHERE person_id = UNHEX(REPLACE(?, '-', ''))",
        [id],
      );
      await come();
      await page.getByRole('heading', { name: 'Today it has to be set up' }).waitFor();
      expect(await page.getByText('You get in without it').count()).toBe(0);
      await page.getByText('It is the last day').waitFor();
      expect(await page.getByRole('button', { name: /Later/ }).count()).toBe(0);
      await accessible(page, 'the last day');
      await page.getByRole('button', { name: 'Set it up now' }).click();
      await setUp(page);
      await page.getByText('Now a spare').waitFor();
      await accessible(page, 'back to the application');
      await page.getByRole('button', { name: 'Go on to Berth Planner' }).click();
      await page.getByText(`Signed in: ${name}`).waitFor();
      expect(await page.locator('dl').innerText()).toContain(amr);
      expect(complaints).toEqual([]);
    } finally {
      await browser.close();
      await planner.close();
    }
  });
});

describe('an application with pages of its own', () => {
  it('brings people to where they enrol, and has them brought back to its own origin and no other', async () => {
    const tower = `http://localhost:${await freePort()}`;
    const { id, version } = await inst.owner.call('applications.add', { body: { name: 'Vessel Traffic' } });
    await inst.owner.call('applications.setOrigins', { params: { id }, body: { origins: [tower] }, ifMatch: version });
    const connected = await inst.owner.call('connections.add', { params: { id }, body: {} });
    // By the rules as they are: from the house one proof enrols.
    const traffic = createTraffic({ service: inst.url, address: tower, key: connected.key! });
    await traffic.listen({ host: '127.0.0.1', port: Number(new URL(tower).port) });
    const { browser, page, complaints } = await openPage();
    try {
      await add('at.tower');
      const client = inst.client(inst.url, connected.key!);
      const { id: signIn, enrolAt: none } = await client.call('signIns.begin', {
        body: { loginName: 'at.tower', carries: ['password'] },
      });
      // Nobody learns it before anything was proved.
      expect(none).toBeNull();
      const proof = { kind: 'password' as const, value: PASSWORD };
      const { state, enrolAt } = await client.call('signIns.prove', { params: { id: signIn }, body: proof });
      expect({ state, enrolAt }).toEqual({
        state: 'enrol-first',
        enrolAt: expect.stringMatching(new RegExp(`/enrol\\?for=${id}$`)) as string,
      });
      const { right } = await (async () => {
        const { signIn: own, handle } = await anybody().call('own.begin', {
          body: { place: 'enrolment', loginName: 'at.tower' },
        });
        return await anybody().call('own.prove', { params: { id: own.id }, body: { ...proof, handle } });
      })();
      for (const back of ['https://evil.example/', 'javascript:alert(1)', `${tower}.evil.example/`, 'not an address'])
        expect(
          (await anybody().call('own.show', { body: { right: right!, from: { application: id, back } } })).from,
          back,
        ).toEqual({ application: 'Vessel Traffic', back: null });

      await page.goto(tower);
      await page.getByLabel('Login name').fill('at.tower');
      await page.keyboard.press('Enter');
      await page.getByLabel('Password').fill(PASSWORD);
      await page.keyboard.press('Enter');
      await page.getByRole('link', { name: 'Set up what is asked for' }).click();
      await page.getByRole('heading', { name: 'Set up an authenticator' }).waitFor();
      await page.getByLabel('Login name').fill('at.tower');
      await page.keyboard.press('Enter');
      await page.getByLabel('Password').fill(PASSWORD);
      await page.keyboard.press('Enter');
      await page.getByRole('button', { name: 'Set up an app that shows codes' }).click();
      const phone = new Phone(
        (await page.getByRole('link', { name: 'The app is on this device' }).getAttribute('href'))!,
      );
      await page.getByLabel('Code').fill(phone.next());
      await page.keyboard.press('Enter');
      await page.getByRole('link', { name: 'Go on to Vessel Traffic' }).click();
      await page.waitForURL(`${tower}/`);
      expect(complaints).toEqual([]);
    } finally {
      await browser.close();
      await traffic.close();
    }
  });
});
