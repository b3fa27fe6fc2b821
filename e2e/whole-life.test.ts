import { createClient } from '@nimble-latch/api/client';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Page } from 'playwright-core';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { nlatchWithin } from './support/client.js';
import { openPage, withPasskeys, type OpenPage } from './support/browser.js';
import { connectedApplication, Installation, PASSWORD, Phone } from './support/installation.js';
import { LINK, mailOf } from './support/inviting.js';
import { startPost, type Post } from './support/mailbox.js';
import { CONSOLE, publish, rulebookOf } from './support/rulebooks.js';

/** One person from the invitation to "this was not me": administrators by the client, the person in a browser. */
let inst: Installation;
let post: Post;
let open: OpenPage;
let berths: Awaited<ReturnType<typeof connectedApplication>>;
const dir = mkdtempSync(join(tmpdir(), 'nlatch-'));
beforeAll(async () => {
  post = await startPost();
  inst = await Installation.start(1, post.environment);
  berths = await connectedApplication(inst.owner, 'Berth Planner', { claims: ['password-checked'] });
  await publish(
    inst.owner,
    rulebookOf(
      [
        CONSOLE,
        '{ rule: Setting up, at: { applications: [Enrolment] }, then: { ask whoever has one: [password + totp, webauthn(verified), password + recovery, password + pass] } }',
      ],
      '{ ask for: [password + totp, webauthn(verified), password + pass] }',
    ),
  );
  open = await openPage();
});
afterAll(async () => {
  await open.browser.close();
  await inst.stop();
  await post.stop();
  rmSync(dir, { recursive: true, force: true });
});

const nlatch = async (...args: string[]) => {
  const ran = await nlatchWithin(args, {
    env: { PATH: process.env['PATH']!, HOME: dir, NLATCH_TOKEN: inst.ownerToken, NLATCH_SERVER: inst.url, TZ: 'UTC' },
    input: '',
  });
  expect(ran, args.join(' ')).toMatchObject({ code: 0 });
  return ran.out;
};
const MAIL = mailOf('wren.vale');
const state = async () => {
  const client = inst.client(inst.url, berths.key);
  return (await client.call('signIns.begin', { body: { loginName: 'wren.vale', claims: { passwordChecked: true } } }))
    .state;
};
const address = (path: string) => `${inst.url.replace('127.0.0.1', 'localhost')}${path}`;
async function signIn(page: Page, secret: string): Promise<void> {
  await page.goto(address('/enrol'));
  await page.getByLabel('Login name').fill('wren.vale');
  await page.keyboard.press('Enter');
  await page.getByLabel('Password').fill(PASSWORD);
  await page.keyboard.press('Enter');
  if (/^\d/.test(secret)) {
    const another = page.getByRole('button', { name: /^Use another way: Code$/ });
    await page.getByLabel('Code').or(another).first().waitFor();
    if (await another.isVisible()) await another.click();
    await page.getByLabel('Code').fill(secret);
  } else {
    const have = page.getByRole('button', { name: 'I have a pass or a recovery code' });
    // The passkey is asked for first: this is another device.
    const another = page.getByRole('button', { name: /^Use another way: Code$/ });
    await have.or(another).first().waitFor();
    if (await another.isVisible()) await another.click();
    await have.click();
    await page.getByRole('textbox').fill(secret);
  }
  await page.keyboard.press('Enter');
  await page.getByRole('heading', { name: 'Hello, Wren Vale' }).waitFor();
}
async function setUpApp(page: Page, name: string): Promise<Phone> {
  await page.getByLabel('What is the phone called?').fill(name);
  await page.getByRole('button', { name: /Set up (an app that shows codes|another one)/ }).click();
  const phone = new Phone((await page.getByRole('link', { name: 'The app is on this device' }).getAttribute('href'))!);
  await page.getByLabel('Code').fill(phone.next());
  await page.keyboard.press('Enter');
  await page.getByRole('heading', { name: 'Done' }).waitFor();
  return phone;
}

describe('the whole life of somebody', () => {
  it('goes from the invitation to what was not them', async () => {
    const { page, complaints } = open;
    // Added and invited; the letter comes, and a scanner of mails opens it first.
    await nlatch('person', 'add', 'Wren Vale', '--login', 'wren.vale', '--mail', MAIL);
    const { rows: people } = await inst.owner.call('people.list', { query: { loginName: 'wren.vale' } });
    const { id } = people[0]!;
    await inst.owner.call('people.setPassword', { params: { id }, body: { password: PASSWORD } });
    expect(await state()).toBe('enrol-first');
    await nlatch('invitation', 'send', 'wren.vale', '--method', 'totp', '--method', 'webauthn', '-y');
    const link = /(http:\/\/\S+\/enrol#[A-Z-]{29})/.exec(await post.letter(MAIL, LINK))![1]!;
    expect((await fetch(link, { headers: { accept: 'text/html' } })).status).toBe(200);
    expect(await nlatch('invitation', 'list', '--of', 'wren.vale')).toContain('sent');

    // An app, then a passkey as the second, and recovery codes on paper.
    await page.goto(link);
    await page.getByRole('button', { name: 'Begin' }).click();
    await page.getByLabel('Password').fill(PASSWORD);
    await page.keyboard.press('Enter');
    const old = await setUpApp(page, 'Old phone');
    expect(await nlatch('invitation', 'list', '--of', 'wren.vale', '--state', 'done')).toContain('Wren Vale');
    const notice = await post.letter(MAIL, /new authenticator was added/);
    await withPasskeys(page);
    await page.getByRole('button', { name: 'Set up a passkey or security key' }).click();
    await page.getByText('Set up a second one').waitFor();
    await page.getByRole('button', { name: 'Make recovery codes' }).click();
    await page.getByRole('heading', { name: 'Your recovery codes' }).waitFor();
    const codes = await page.getByRole('listitem').allInnerTexts();
    expect(codes.length).toBeGreaterThanOrEqual(8);
    await page.getByRole('button', { name: 'I have kept it' }).click();
    expect(await state()).toBe('asking');
    expect(
      (await inst.owner.call('keyring.show', { params: { id } })).authenticators.map(({ method }) => method).sort(),
    ).toEqual(['password', 'recovery', 'totp', 'webauthn']);

    // The phone is lost, and reported from another device by a code from the sheet of paper.
    const other = await (
      await open.browser.newContext({ viewport: { width: 360, height: 780 }, locale: 'en-GB' })
    ).newPage();
    other.setDefaultTimeout(60_000);
    await signIn(other, codes[0]!);
    await other.getByRole('button', { name: 'Open Old phone' }).click();
    await other.getByRole('button', { name: 'It is lost' }).click();
    await other.getByRole('button', { name: 'Yes, stop it now' }).click();
    await other.getByRole('heading', { name: 'Nobody gets in with it' }).waitFor();
    await post.letter(MAIL, /was suspended/);
    const { authenticators } = await inst.owner.call('keyring.show', { params: { id } });
    expect(authenticators.find(({ method }) => method === 'totp')!.state).toBe('suspended');

    // The help desk gives a pass; with it, something new.
    const given = await nlatch('pass', 'give', 'wren.vale', '--why', 'phone lost', '--for', 'both', '--keep');
    const pass = /^ {2}((?:[A-Z]{4}-){3}[A-Z]{4})$/m.exec(given)![1]!;
    await signIn(other, pass);
    const fresh = await setUpApp(other, 'New phone');
    expect(await nlatch('pass', 'list', '--of', 'wren.vale')).toContain('used 1 of');
    // By the new one the old one is taken off for good.
    await signIn(other, fresh.next());
    await other.getByRole('button', { name: 'Open Old phone' }).click();
    await other.getByRole('button', { name: 'Remove it' }).click();
    await other.getByRole('button', { name: 'Yes, remove it' }).click();
    await other.getByText('Old phone is removed.').waitFor();

    // What the mailbox holds of all that, and one of them was not them.
    for (const what of [
      /new authenticator was added/,
      /new recovery codes/,
      /recovery codes was used/,
      /was suspended/,
      /temporary pass was made/,
      /taken off/,
    ])
      await post.letter(MAIL, what);
    const mine = /(http:\/\/\S+\/not-me#nln_[a-z2-7_]+)/.exec(await post.letter(MAIL, /temporary pass was made/))![1]!;
    expect((await fetch(mine, { headers: { accept: 'text/html' } })).status).toBe(200);
    await other.goto(mine);
    await other.getByRole('button', { name: 'It was not me' }).click();
    await other.getByText('It is suspended').waitFor();
    expect(await nlatch('pass', 'list', '--of', 'wren.vale', '--state', 'suspended')).toContain('Wren Vale');
    expect(await nlatch('dispute', 'list')).toMatch(/Wren Vale +a temporary pass/);
    expect(await nlatch('overview')).toContain('nlatch dispute list');
    // The notice of the app that was lost has nothing left to set aside, and says so.
    await other.goto(/(http:\/\/\S+\/not-me#nln_[a-z2-7_]+)/.exec(notice)![1]!);
    await other.getByText('There is nothing more to set aside.').waitFor();
    const [open_] = (await inst.owner.call('disputes.list', { query: {} })).rows;
    await nlatch('dispute', 'settle', open_!.id, '--why', 'the help desk gave it, as asked');
    expect(await nlatch('dispute', 'list')).toContain('Nothing');

    // All of it stands on the trail, with who it was.
    const { rows: trail } = await inst.owner.call('trail.list', { query: { person: id, limit: 200 } });
    const actions = new Set(trail.map(({ action }) => action));
    for (const action of [
      'invitation.sent',
      'invitation.opened',
      'invitation.done',
      'authenticator.proved',
      'recovery.made',
      'carrier.lost',
      'authenticator.suspended',
      'pass.given',
      'authenticator.revoked',
      'change.disputed',
      'dispute.settled',
    ] as const)
      expect(actions, action).toContain(action);
    expect(old.next()).not.toBe(fresh.next());
    expect(complaints).toEqual([]);
    await expect(
      createClient({ server: inst.url }).call('own.begin', {
        body: { place: 'enrolment', invitation: link.split('#')[1]! },
      }),
    ).rejects.toMatchObject({ code: 'invitation-gone' });
  });
});
