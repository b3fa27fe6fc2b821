import type { Browser, Page } from 'playwright-core';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { accessible, intoConsole, openPage } from './support/browser.js';
import { connectedApplication, Installation, personWithApp } from './support/installation.js';

let inst: Installation;
let browser: Browser;
let page: Page;
let complaints: string[];
beforeAll(async () => {
  inst = await Installation.start();
  await personWithApp(inst.owner, 'ada.quay');
  await connectedApplication(inst.owner, 'Payroll');
  await inst.owner.call('groups.add', { body: { name: 'pilots' } });
  ({ browser, page, complaints } = await openPage());
  await intoConsole(page, inst.url);
  await page.getByRole('link', { name: 'Rulebook' }).click();
});
afterAll(async () => {
  await browser.close();
  await inst.stop();
});

const text = () => page.getByRole('textbox', { name: 'As text' });
const dialog = () => page.getByRole('dialog');
const ruleNames = async () => await page.locator('section[aria-labelledby=as-sentences] li strong').allTextContents();

describe('the rulebook in the console', () => {
  it('is changed as sentences and as text, which stay in step, with comments kept', async () => {
    await page.getByText('As delivered; nobody has published a rulebook yet.').waitFor();
    await page.getByRole('link', { name: 'Begin a draft' }).click();
    await expect.poll(ruleNames).toEqual(['The console', 'Otherwise']);
    // By sentences: a rule is added, and stands in the text.
    await page.getByRole('button', { name: 'Add a rule' }).click();
    await dialog().getByLabel('Name of the rule').fill('Wages');
    // Names are suggested as they are typed; what is typed and not chosen counts as well.
    await dialog().getByRole('combobox', { name: 'Applications' }).pressSequentially('pay');
    await page.getByRole('option', { name: 'Payroll' }).click();
    await dialog().getByRole('button', { name: 'Take away Payroll' }).waitFor();
    await dialog().getByRole('combobox', { name: 'Groups' }).fill('pilots');
    await dialog().getByText('anybody but these').first().click();
    await dialog().getByRole('button', { name: /Then/ }).click();
    await page.getByRole('option', { name: 'ask for one of these ways' }).click();
    await dialog().getByRole('combobox', { name: 'Ways' }).fill('password & totp');
    await dialog().getByRole('button', { name: 'Take it over' }).click();
    await dialog().getByText('expected a way such as password + totp').waitFor();
    await dialog().getByRole('combobox', { name: 'Ways' }).fill('password + totp, webauthn(verified, device-bound)');
    await accessible(page, 'a rule');
    await dialog().getByRole('button', { name: 'Take it over' }).click();
    await expect.poll(ruleNames).toEqual(['The console', 'Wages', 'Otherwise']);
    await page.getByText('Everybody, but not people in pilots · at Payroll').waitFor();
    const typed = await text().inputValue();
    expect(typed).toContain('- rule: Wages\n');
    expect(typed).toContain('ask for: [password + totp, "webauthn(verified, device-bound)"]');
    // Nobody has a second factor on the first day: the comment above a rule is still there, and goes with it.
    await page.getByRole('button', { name: 'Up Wages' }).click();
    await expect.poll(ruleNames).toEqual(['Wages', 'The console', 'Otherwise']);
    expect(await text().inputValue()).toMatch(
      /# Nobody has a second factor on the first day.*\n\s+- rule: The console/,
    );
    // By text: what is typed stands among the sentences; what is wrong is told by its place.
    await text().fill((await text().inputValue()).replace('rule: Wages', 'rule: Pay'));
    await expect.poll(ruleNames).toEqual(['Pay', 'The console', 'Otherwise']);
    await text().fill((await text().inputValue()).replace('form: 1', 'form: 9'));
    await page.getByText('line 2, column 7: this release reads form 1').waitFor();
    await page.getByRole('button', { name: 'Go there' }).click();
    expect(
      await text().evaluate((area: HTMLTextAreaElement) => area.value.slice(area.selectionStart).split('\n')[0]),
    ).toBe('9');
    await page.keyboard.press('Delete');
    await page.keyboard.type('1');
    await expect.poll(ruleNames).toEqual(['Pay', 'The console', 'Otherwise']);
  });

  it('is reviewed before it is published, with names, and asks a second administrator where it locks out', async () => {
    await page.getByText('not kept yet').waitFor();
    await text().fill(
      'form: 1\nrules:\n  - { rule: Closed, at: { applications: [Payroll] }, then: refuse }\notherwise: { ask whoever has one: [password + totp] }\n',
    );
    await expect.poll(ruleNames).toEqual(['Closed', 'Otherwise']);
    await page.getByRole('button', { name: 'Keep the draft' }).click();
    await page.getByText('1 person who gets in today.').waitFor();
    await page.getByRole('link', { name: 'ada.quay' }).waitFor();
    const changes = page.getByRole('region', { name: 'What changes' });
    await changes.getByText('Closed is new, at place 1').waitFor();
    await changes.getByText('As text, line by line').click();
    await changes.getByText('rule: Closed').waitFor();
    await accessible(page, 'a draft');
    await page.getByRole('button', { name: 'Publish' }).click();
    await dialog().getByText('It locks out 1 person who gets in today.').waitFor();
    await dialog().getByLabel('What changes, and why').fill('Closed over the holidays');
    await dialog().getByRole('button', { name: 'Publish' }).click();
    await dialog().getByText('A second administrator has to agree first.').waitFor();
    await dialog().getByRole('button', { name: 'Cancel' }).click();
    await text().fill((await text().inputValue()).replace('then: refuse', 'then: { ask for: [password + totp] }'));
    await expect.poll(async () => await page.getByText('ask for password + totp').count()).toBeGreaterThan(0);
    await page.getByRole('button', { name: 'Keep the draft' }).click();
    await page.getByText('Nobody who gets in today.').waitFor();
    await page.getByRole('button', { name: 'Publish' }).click();
    await dialog().getByLabel('What changes, and why').fill('Payroll by two factors');
    await dialog().getByRole('button', { name: 'Publish' }).click();
    await page.getByText('Version 1 is in force.').waitFor();
    await page.getByText('published by Ines Marlow').waitFor();
    await expect
      .poll(
        async () =>
          await page
            .getByRole('grid', { name: /Which node/ })
            .getByRole('gridcell')
            .nth(1)
            .textContent(),
      )
      .not.toBe('');
    await accessible(page, 'the rulebook');
  });

  it('explains what somebody meets, narrow and dark too', async () => {
    await page.getByRole('link', { name: 'Explain a sign-in' }).click();
    await page.getByLabel('Login name').fill('ada.quay');
    await page.getByRole('button', { name: 'Explain it' }).click();
    await page.getByText('The rule “Closed” decides: ask for password + totp.').waitFor();
    await page.getByText('password + totp: with').waitFor();
    for (const colorScheme of ['light', 'dark'] as const) {
      await page.emulateMedia({ colorScheme });
      await page.setViewportSize({ width: 360, height: 800 });
      await accessible(page, `an explanation, ${colorScheme}`);
      const wide = await page.evaluate(() => document.documentElement.scrollWidth);
      expect(wide).toBeLessThanOrEqual(360);
    }
    await page.goto(`${page.url().split('/explain')[0]}/rulebook/draft`);
    await page.getByRole('heading', { name: 'As text' }).waitFor();
    await accessible(page, 'the draft, narrow and dark');
    expect(await page.evaluate(() => document.documentElement.scrollWidth)).toBeLessThanOrEqual(360);
    expect(complaints).toEqual([]);
  });
});
