import type { Browser, Page } from 'playwright-core';
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { openPage } from './support/browser.js';
import { Installation, PASSWORD } from './support/installation.js';

let inst: Installation;
let base: string;
let browser: Browser;
let page: Page;
let complaints: string[];
beforeAll(async () => {
  inst = await Installation.start();
  base = inst.url.replace('127.0.0.1', 'localhost');
  ({ browser, page, complaints } = await openPage());
});
afterAll(async () => {
  await browser.close();
  await inst.stop();
});
beforeEach(async () => {
  await page.unrouteAll();
  await page.context().clearCookies();
  await page.goto(base);
});

const named = async (name: string) => {
  await page.getByLabel('Login name').fill(name);
  await page.keyboard.press('Enter');
};

/** Signs in as far as the page lets one: by name, then by password. */
async function signIn(): Promise<void> {
  await named('ines.marlow');
  await page.getByLabel('Password').fill(PASSWORD);
  await page.keyboard.press('Enter');
  await page.getByRole('heading', { name: 'Overview' }).waitFor();
}

describe('signing in to the console', () => {
  it('tells a wrong proof where it was typed, empties the field, and goes on', async () => {
    await named('ines.marlow');
    const password = page.getByLabel('Password');
    await password.fill('not what it is');
    await page.keyboard.press('Enter');
    expect(await page.getByRole('alert').textContent()).toContain('not right');
    await expect.poll(async () => await password.inputValue()).toBe('');
    await password.fill(PASSWORD);
    await page.keyboard.press('Enter');
    await page.getByRole('heading', { name: 'Overview' }).waitFor();
  });

  it('tells of one that ended as it began, and asks for the name once more', async () => {
    // As a key that is nobody's, or one that a rule refuses, ends it at once.
    await page.route('**/api/v1/console/sign-ins', async (route) => {
      const answer = await route.fetch();
      const begun = (await answer.json()) as { signIn: object };
      const signIn = { ...begun.signIn, state: 'refused', prompt: null, reason: 'refused-by-rule' };
      await route.fulfill({ response: answer, json: { ...begun, signIn } });
    });
    await named('ines.marlow');
    expect(await page.getByRole('alert').textContent()).toContain('That did not work');
    await page.unrouteAll();
    await signIn();
  });

  it('that ended while somebody was typing says so, and begins again with the name', async () => {
    await named('ines.marlow');
    const password = page.getByLabel('Password');
    await password.waitFor();
    await inst.sql("UPDATE sign_ins SET data = JSON_SET(data, '$.expiresAt', 0) WHERE state = 'asking'");
    await password.fill(PASSWORD);
    await page.keyboard.press('Enter');
    await page.getByRole('alert').waitFor();
    await page.getByLabel('Login name').waitFor();
    expect(await password.count()).toBe(0);
    await signIn();
  });
});

describe('a walk-through', () => {
  it('asks as the sign-in does, but lets the browser fill in and keep nothing', async () => {
    await inst.owner.call('applications.add', { body: { name: 'Berths' }, idempotencyKey: crypto.randomUUID() });
    await signIn();
    await page.goto(`${base}/walk-through`);
    await page.getByLabel(/Login name/).fill('ines.marlow');
    await page.getByRole('button', { name: 'Begin' }).click();
    const password = page.getByLabel('Password', { exact: true });
    await password.waitFor();
    expect(await password.getAttribute('type')).toBe('password');
    expect(await password.getAttribute('autocomplete')).toBe('off');
    expect(await page.locator('input[autocomplete=username]').count()).toBe(0);
    await password.fill(PASSWORD);
    await page.getByRole('button', { name: 'Answer' }).click();
    // One proof is in the story, and the next thing is asked, or nothing any more.
    await expect.poll(async () => await password.count()).toBe(0);
    await page.getByText(/password: right/i).waitFor();
    expect(complaints.filter((one) => !one.includes('401') && !one.includes('Failed to load'))).toEqual([]);
  });
});
