import type { Browser, Page } from 'playwright-core';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { accessible, fromMenu, intoConsole, openPage, unfold } from './support/browser.js';
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
/** What stands in the editor; all of it is in sight of so small a text. */
const typed = async () => (await text().locator('.cm-line').allTextContents()).join('\n');
/** Puts something else in place of all of it, as somebody does who pastes. */
async function write(all: string): Promise<void> {
  await text().press('Control+a');
  await text().evaluate((area, pasted) => {
    const clipboardData = new DataTransfer();
    clipboardData.setData('text/plain', pasted);
    area.dispatchEvent(new ClipboardEvent('paste', { clipboardData, bubbles: true, cancelable: true }));
  }, all);
}
const part = (title: string) => page.locator('details', { has: page.getByRole('heading', { name: title }) });
/** The kept draft’s outcome, as it stands while it is folded. */
const comesTo = async (title: string) => await part(title).locator('summary').textContent();
const atCursor = async () =>
  await page.evaluate(() => {
    const { anchorNode, anchorOffset } = getSelection()!;
    return anchorNode?.textContent?.slice(anchorOffset);
  });
const dialog = () => page.getByRole('dialog');
const ruleNames = async () => await page.locator('section[aria-labelledby=as-sentences] strong').allTextContents();

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
    expect(await typed()).toContain('- rule: Wages\n');
    expect(await typed()).toContain('ask for: [password + totp, "webauthn(verified, device-bound)"]');
    // Nobody has a second factor on the first day: the comment above a rule is still there, and goes with it.
    await fromMenu(page, 'Wages', 'Up');
    await expect.poll(ruleNames).toEqual(['Wages', 'The console', 'Otherwise']);
    expect(await typed()).toMatch(/# Nobody has a second factor on the first day.*\n\s+- rule: The console/);
    // By text: what is typed stands among the sentences; what is wrong is told by its place.
    await write((await typed()).replace('rule: Wages', 'rule: Pay'));
    await expect.poll(ruleNames).toEqual(['Pay', 'The console', 'Otherwise']);
    await write((await typed()).replace('form: 1', 'form: 9'));
    await page.getByText('line 2, column 7: this release reads form 1').waitFor();
    await page.getByRole('button', { name: 'Go there' }).click();
    await expect.poll(atCursor).toBe('9');
    // It is underlined where it stands, and said there.
    expect(await page.locator('.cm-lintRange-error').allTextContents()).toEqual(['9']);
    await page.keyboard.press('Delete');
    await page.keyboard.type('1');
    await expect.poll(ruleNames).toEqual(['Pay', 'The console', 'Otherwise']);
  });

  it('has its rules moved and taken out by the keyboard, each step to be taken back', async () => {
    // As one drags, without a pointer: picked up, over the next one, put down.
    await page.getByRole('row', { name: 'Pay' }).focus();
    await page.keyboard.press('Tab');
    expect(await page.evaluate(() => document.activeElement?.getAttribute('aria-label'))).toBe('Move Pay');
    await page.keyboard.press('Enter');
    const spot = page.locator(':focus');
    await expect.poll(async () => await spot.getAttribute('aria-roledescription')).toBe('drop indicator');
    for (let tries = 0; (await spot.getAttribute('aria-label')) !== 'Insert after The console' && tries < 5; tries++)
      await page.keyboard.press('ArrowDown');
    await page.keyboard.press('Enter');
    await expect.poll(ruleNames).toEqual(['The console', 'Pay', 'Otherwise']);
    // In the text it is one step, which is taken back there.
    await text().press('Control+z');
    await expect.poll(ruleNames).toEqual(['Pay', 'The console', 'Otherwise']);
    await fromMenu(page, 'Pay', 'Remove');
    await expect.poll(ruleNames).toEqual(['The console', 'Otherwise']);
    await page.getByRole('button', { name: 'Undo' }).click();
    await expect.poll(ruleNames).toEqual(['Pay', 'The console', 'Otherwise']);
  });

  it('marks the same rule on both sides', async () => {
    const marked = async () => (await page.locator('.cm-marked').allTextContents()).join('\n');
    await page.getByRole('row', { name: 'The console' }).focus();
    await page.keyboard.press('Enter');
    await expect.poll(marked).toMatch(/^ +- rule: The console/);
    await text().getByText('rule: Pay').click();
    await expect.poll(marked).toMatch(/^ +- rule: Pay/);
    expect(await page.locator('section[aria-labelledby=as-sentences] .marked strong').allTextContents()).toEqual([
      'Pay',
    ]);
  });

  it('suggests keys, words and names of what there is, where they fit', async () => {
    const before = await typed();
    const choose = async (begin: string, option: string) => {
      await page.keyboard.type(begin);
      await page.locator('.cm-completionLabel').getByText(option, { exact: true }).waitFor();
      // What has only just come up under somebody's fingers takes no key yet.
      await page.waitForTimeout(100);
      await page.keyboard.press('Enter');
    };
    await write('form: 1\nrules:\n  - rule: Aids\n    ');
    await text().press('Control+End');
    await choose('who', 'who');
    await choose('{ gro', 'groups');
    await choose('[pil', 'pilots');
    await page.keyboard.type('] }\n');
    await choose('the', 'then');
    await choose('ref', 'refuse');
    await page.keyboard.type('\n');
    await page.keyboard.press('Home');
    await choose('other', 'otherwise');
    await choose('let', 'let in');
    expect((await typed()).trimEnd()).toBe(
      'form: 1\nrules:\n  - rule: Aids\n    who: { groups: [pilots] }\n    then: refuse\notherwise: let in',
    );
    await expect.poll(ruleNames).toEqual(['Aids', 'Otherwise']);
    await write(before);
    await expect.poll(ruleNames).toEqual(['Pay', 'The console', 'Otherwise']);
  });

  it('is reviewed before it is published, with names, and asks a second administrator where it locks out', async () => {
    await page.getByText('not kept yet').waitFor();
    await write(
      'form: 1\nrules:\n  - { rule: Closed, at: { applications: [Payroll] }, then: refuse }\notherwise: { ask whoever has one: [password + totp] }\n',
    );
    await expect.poll(ruleNames).toEqual(['Closed', 'Otherwise']);
    await page.getByRole('button', { name: 'Keep the draft' }).click();
    await expect.poll(async () => await comesTo('Whom it locks out')).toContain('1 person');
    await unfold(page, 'Whom it locks out');
    await page.getByText('1 person who gets in today.').waitFor();
    await page.getByRole('link', { name: 'ada.quay' }).waitFor();
    await unfold(page, 'What changes');
    const changes = part('What changes');
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
    await write((await typed()).replace('then: refuse', 'then: { ask for: [password + totp] }'));
    await expect.poll(async () => await page.getByText('ask for password + totp').count()).toBeGreaterThan(0);
    await page.getByRole('button', { name: 'Keep the draft' }).click();
    await expect.poll(async () => await comesTo('Whom it locks out')).toContain('nobody');
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
