import type { Browser, Page } from 'playwright-core';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { accessible, intoConsole, openPage } from './support/browser.js';
import { Installation } from './support/installation.js';

let inst: Installation;
let browser: Browser;
let page: Page;
beforeAll(async () => {
  inst = await Installation.start();
  for (const name of ['ada.quay', 'abel.quay', 'tobias.renn'])
    await inst.owner.call('people.add', { body: { displayName: name, loginNames: [name] } });
  for (const name of ['Quay crew', 'Pilots']) await inst.owner.call('groups.add', { body: { name } });
  ({ browser, page } = await openPage());
  await intoConsole(page, inst.url);
});
afterAll(async () => {
  await browser?.close();
  await inst?.stop();
});

/** What has the focus, as somebody would call it. */
const focused = async () =>
  await page.evaluate(() => {
    const one = document.activeElement as HTMLInputElement | null;
    return one?.id === 'page' ? 'page' : (one?.labels?.[0]?.textContent ?? one?.textContent ?? '').trim();
  });

describe('the keyboard', () => {
  it('gets past the rail by the first thing there is, and into the page after the palette', async () => {
    await page.goto(`${inst.url}/groups`);
    await page.getByRole('grid').waitFor();
    await page.keyboard.press('Tab');
    expect(await focused()).toBe('Go to the page');
    await page.keyboard.press('Enter');
    expect(await focused()).toBe('page');
    await page.keyboard.press('Tab');
    expect(await focused()).toBe('Add a passkey or key');
    await page.keyboard.press('Control+k');
    await page.getByRole('dialog').waitFor();
    await page.keyboard.type('renn');
    await page.keyboard.press('Enter');
    await page.getByRole('heading', { name: 'tobias.renn' }).waitFor();
    await expect.poll(focused).toBe('page');
  });

  it('is taken to the first field that is wrong, from where Escape closes the form', async () => {
    await page.goto(`${inst.url}/people?add=now`);
    const dialog = page.getByRole('dialog', { name: 'Add a person' });
    await dialog.getByLabel('Name', { exact: true }).fill('Nell Harrow');
    await dialog.getByLabel('Login name').fill('nell.harrow');
    await dialog.getByLabel('Phone').fill('by the harbour');
    await page.keyboard.press('Enter');
    await dialog.locator('[aria-invalid=true]').waitFor();
    await expect.poll(focused).toBe('Phone');
    await dialog.getByLabel('Phone').fill('');
    await dialog.getByLabel('Login name').fill('ada.quay');
    // From elsewhere, so that it is seen to go there.
    await dialog.getByLabel('Mail address').focus();
    await page.keyboard.press('Enter');
    await expect.poll(focused).toMatch(/Login name/);
    expect(await dialog.getByRole('alert').count()).toBe(0);
    // What is wrong with a field that the form does not have is told as a whole.
    const elsewhere = { code: 'invalid-input', status: 400, issues: [{ where: 'body.source', what: 'a source' }] };
    await page.route('**/api/v1/people', (route) =>
      route.fulfill({ status: 400, contentType: 'application/problem+json', body: JSON.stringify(elsewhere) }),
    );
    await page.keyboard.press('Enter');
    await dialog.getByRole('alert').getByText('source: a source').waitFor();
    await page.unrouteAll();
    await page.keyboard.press('Escape');
    await dialog.waitFor({ state: 'hidden' });
    expect((await inst.owner.call('people.list', { query: { q: 'nell' } })).rows).toEqual([]);
  });

  it('suggests names that come later than one types', async () => {
    await page.route('**/api/v1/groups?*', async (route) => {
      await new Promise((come) => setTimeout(come, 800));
      await route.continue();
    });
    await page.goto(`${inst.url}/people?add=now`);
    const groups = page.getByRole('combobox', { name: 'Groups to put them into' });
    await groups.pressSequentially('pil');
    await page.getByRole('option', { name: 'Pilots' }).waitFor();
    // Where none fits, none is in the way.
    await groups.pressSequentially('lage');
    await page.getByRole('listbox').waitFor({ state: 'hidden' });
    expect(await groups.inputValue()).toBe('pillage');
    await page.unrouteAll({ behavior: 'wait' });
  });

  it('adds somebody with all of their first day, and members to a group, one after the other', async () => {
    await page.goto(`${inst.url}/people?add=now`);
    const dialog = page.getByRole('dialog');
    await dialog.getByLabel('Name', { exact: true }).fill('Nell Harrow');
    await dialog.getByLabel('Login name').fill('nell.harrow');
    await dialog.getByLabel('Phone').fill('+44 20 7946 0123');
    const groups = dialog.getByRole('combobox', { name: 'Groups to put them into' });
    // A group that there is none of is told before anybody is added.
    await groups.fill('quay crew, nowhere');
    await dialog.getByLabel('Time zone').fill('Europe/Lisbon');
    await accessible(page, 'somebody new');
    await dialog.getByRole('button', { name: 'Add a person' }).click();
    await dialog.getByText('there is no group of this name').waitFor();
    expect((await inst.owner.call('people.list', { query: { q: 'nell' } })).rows).toEqual([]);
    await dialog.getByRole('button', { name: 'Take away nowhere' }).click();
    await groups.pressSequentially('pil');
    await page.getByRole('option', { name: 'Pilots' }).click();
    await dialog.getByRole('button', { name: 'Add a person' }).click();
    await page.getByRole('heading', { name: 'Nell Harrow' }).waitFor();
    const { rows } = await inst.owner.call('people.list', { query: { q: 'nell' } });
    expect(await inst.owner.call('people.show', { params: { id: rows[0]!.id } })).toMatchObject({
      phone: '+442079460123',
      timeZone: 'Europe/Lisbon',
      groups: expect.arrayContaining([
        expect.objectContaining({ name: 'Pilots' }),
        expect.objectContaining({ name: 'Quay crew' }),
      ]),
    });
    await page.goto(`${inst.url}/groups`);
    await page.getByText('Quay crew').click();
    await page.getByRole('button', { name: 'Add members' }).click();
    await page.keyboard.type('quay');
    await dialog.getByRole('button', { name: 'Add ada.quay' }).click();
    await dialog.getByText('added', { exact: true }).waitFor();
    await dialog.getByRole('button', { name: 'Add abel.quay' }).click();
    await expect.poll(async () => await dialog.getByText('added', { exact: true }).count()).toBe(2);
    await accessible(page, 'members of a group');
    await dialog.getByRole('button', { name: 'Close' }).click();
    await page.getByRole('heading', { name: 'Members (3)' }).waitFor();
  });
});
