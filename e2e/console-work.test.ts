import type { Browser, Page } from 'playwright-core';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { administrator } from './support/administrators.js';
import { accessible, fromMenu, intoConsole, openPage, unfold } from './support/browser.js';
import { Fob } from './support/counters.js';
import { connectedApplication, Installation, PASSWORD, personWithApp, Phone } from './support/installation.js';

let inst: Installation;
let browser: Browser;
let page: Page;
let complaints: string[];
beforeAll(async () => {
  inst = await Installation.start();
  ({ browser, page, complaints } = await openPage());
  await connectedApplication(inst.owner, 'Berth Planner');
  await personWithApp(inst.owner, 'tobias.renn');
  await inst.owner.call('stock.add', {
    body: { serial: 'WX-9001', maker: 'Gullwing', secret: 'GEZDGNBVGY3TQOJQGEZDGNBVGY3TQOJQ' },
  });
  await intoConsole(page, inst.url);
});
afterAll(async () => {
  await browser.close();
  await inst.stop();
});

describe('the console', () => {
  it('gives a hardware token, proves it against its serial number, tries it, and reports it lost', async () => {
    const owner = inst.owner;
    const { id } = await owner.call('people.add', { body: { displayName: 'Crane Four', loginNames: ['crane.four'] } });
    const phone = new Phone(
      'otpauth://totp/x:y?secret=GEZDGNBVGY3TQOJQGEZDGNBVGY3TQOJQ&issuer=x&algorithm=SHA1&digits=6&period=30',
    );
    await page.goto(`${inst.url}/people/${id}`);
    await fromMenu(page, 'Crane Four', 'Give a token', 'Other kinds');
    const dialog = page.getByRole('dialog');
    await dialog.getByLabel('Serial number').fill('wx9999');
    await page.keyboard.press('Enter');
    await dialog.getByText('No token of this serial number is in stock').waitFor();
    await dialog.getByLabel('Serial number').fill('wx 9001');
    await page.keyboard.press('Enter');
    await page.getByText('WX-9001 is assigned').waitFor();
    // By its number alone, from anywhere; the palette waits until no other dialog is open.
    await expect.poll(() => page.getByRole('dialog').count()).toBe(0);
    await page.keyboard.press('Control+k');
    await page.getByRole('dialog').waitFor();
    await page.keyboard.type('wx 900');
    await page.getByRole('menuitem', { name: 'WX-9001' }).click();
    // The person's page, left until the token's has loaded, offers to prove it too.
    await page.getByRole('heading', { name: 'WX-9001' }).waitFor();
    await page.getByRole('button', { name: 'Prove it' }).click();
    await dialog.getByText('Hold the serial number on the back').waitFor();
    await dialog.getByLabel('The code that it shows now').fill(phone.next());
    await page.keyboard.press('Enter');
    await page.getByText('in use').first().waitFor();
    await page.getByRole('link', { name: 'Crane Four' }).click();
    await page.getByRole('button', { name: 'Try a code' }).click();
    await dialog.getByLabel('The code that it shows now').fill('000000');
    await page.keyboard.press('Enter');
    await dialog.getByText('Not a code of this one').waitFor();
    await accessible(page, 'a dialog of a device');
    await page.keyboard.press('Escape');
    await fromMenu(page, 'WX-9001', 'Report lost', 'Carrier');
    await dialog.getByText('Sets aside at once: WX-9001').waitFor();
    await dialog.getByRole('button', { name: 'Report lost' }).click();
    await page.getByText('It was found').waitFor();
    const { authenticators } = await owner.call('keyring.show', { params: { id } });
    expect(authenticators).toMatchObject([{ method: 'totp', state: 'suspended' }]);
  });

  it('shows a token that waits, gives its PIN once, keeps it to an application, and says what ends with it', async () => {
    const owner = inst.owner;
    const { id } = await owner.call('people.add', { body: { displayName: 'Crane Six', loginNames: ['crane.six'] } });
    await owner.call('people.setPassword', { params: { id }, body: { password: PASSWORD } });
    const fob = new Fob('WX-9100');
    await fob.into(owner, id);
    await page.goto(`${inst.url}/people/${id}`);
    const dialog = page.getByRole('dialog');
    await page.getByText('Given, and not proved yet').waitFor();
    await page.getByRole('button', { name: 'Prove it' }).click();
    await dialog.getByLabel('The code that it shows now').fill(fob.press());
    await page.keyboard.press('Enter');
    await page.getByText('next counter 1').waitFor();
    await fromMenu(page, 'WX-9100', 'PIN');
    await dialog.getByLabel('The PIN, 4 to 12 digits').fill('1234');
    await page.keyboard.press('Enter');
    await dialog.getByText('a row up or down').waitFor();
    await dialog.getByLabel('The PIN, 4 to 12 digits').fill('');
    await dialog.getByRole('button', { name: 'Give it' }).click();
    await dialog.getByText('it is not shown again').waitFor();
    const pin = /\b\d{6}\b/.exec(await dialog.innerText())![0];
    await accessible(page, 'a PIN that is shown once');
    await page.keyboard.press('Escape');
    await page.getByText('PIN given, to be changed').waitFor();
    expect(await page.content()).not.toContain(pin);
    await fromMenu(page, 'WX-9100', 'Where');
    await dialog.getByRole('button', { name: /everywhere/ }).click();
    await page.getByRole('option', { name: 'at these applications only' }).click();
    await dialog.getByText('Berth Planner').click();
    await accessible(page, 'where something may be used');
    await dialog.getByRole('button', { name: 'Keep this' }).click();
    await page.getByText('only at Berth Planner').waitFor();
    await fromMenu(page, 'WX-9100', 'Revoke');
    await dialog.getByText('Crane Six will have nothing left').waitFor();
    await dialog.getByText('Without it they get in no more at: Berth Planner').waitFor();
    await page.keyboard.press('Escape');
    // What goes with a token into somebody's hand.
    await owner.call('tokens.assign', {
      params: {
        id,
        tokenId: (
          await owner.call('stock.add', { body: { serial: 'WX-9101', secret: 'GEZDGNBVGY3TQOJQGEZDGNBVGY3TQOJQ' } })
        ).id,
      },
    });
    await page.goto(`${inst.url}/stock`);
    await page.getByRole('link', { name: 'Print' }).click();
    await page.getByRole('heading', { name: 'Labels and slips' }).waitFor();
    await page.goto(`${inst.url}/stock/print?what=slips`);
    await page.getByRole('heading', { name: 'For Crane Six' }).waitFor();
    await accessible(page, 'slips');
    await page.setViewportSize({ width: 360, height: 800 });
    expect(await page.evaluate(() => document.documentElement.scrollWidth - window.innerWidth)).toBeLessThanOrEqual(0);
    await page.setViewportSize({ width: 1280, height: 800 });
    await page.emulateMedia({ media: 'print' });
    expect(await page.getByRole('navigation').isVisible()).toBe(false);
    expect(await page.getByText('Received (date, signature)').first().isVisible()).toBe(true);
    await page.emulateMedia({ media: 'screen' });
    await page.goto(`${inst.url}/stock`);
    await page.getByRole('button', { name: 'Make a certificate' }).click();
    await dialog.getByLabel('The name in it').fill('Port of Wexmoor');
    await page.keyboard.press('Enter');
    await dialog.getByText('BEGIN CERTIFICATE').waitFor();
    await accessible(page, 'a certificate');
    await page.keyboard.press('Escape');
    await page.getByRole('button', { name: 'Retire', exact: true }).click();
    await dialog.getByRole('button', { name: 'Retire' }).click();
    await page.getByRole('grid', { name: 'Certificates for files' }).getByText('retired', { exact: true }).waitFor();
  });

  it('brings a file of people in: guessed, shown, mended, written, told', async () => {
    await page.goto(`${inst.url}/people`);
    await page.getByRole('link', { name: 'Bring in from a file' }).click();
    const chooser = page.waitForEvent('filechooser');
    await page.getByRole('button', { name: 'Choose a file' }).click();
    const text =
      'Staff no;Name;Login;Phone\n7;Perrin Vole;perrin.vole;020 7946 0018\n8;Lis Moor;lis.moor;\n8;Lis Twin;lis.twin;\n';
    await (await chooser).setFiles({ name: 'crew.csv', mimeType: 'text/csv', buffer: Buffer.from(text) });
    await page.getByRole('heading', { name: 'crew.csv' }).waitFor();
    await page.getByLabel('Keep this mapping as').fill('deck crew');
    await page.getByRole('button', { name: 'Check the rows' }).click();
    // A number without its country, and a staff number that is there twice.
    await page.getByRole('button', { name: 'refused: 2' }).waitFor();
    await page.getByText('for national numbers choose the country').waitFor();
    await page.getByText('is in line 3 already').waitFor();
    await page.getByLabel('Country of phone numbers').fill('gb');
    await page.getByRole('button', { name: 'Check again' }).click();
    await page.getByRole('button', { name: 'refused: 1' }).waitFor();
    await page.getByRole('button', { name: 'Write it' }).click();
    const dialog = page.getByRole('dialog');
    await dialog.getByText('People added: 2, changed: 0.').waitFor();
    // Said to leave the bad row out, since otherwise nothing is written.
    await dialog.getByRole('button', { name: 'Write it' }).click();
    await dialog.getByText('1 row is refused, so nothing was written.').waitFor();
    await dialog.getByText('leave those out').click();
    await dialog.getByRole('button', { name: 'Write it' }).click();
    await page.getByRole('heading', { name: 'What was done' }).waitFor();
    await page.getByRole('button', { name: 'new: 2' }).click();
    await page.getByRole('row', { name: /Perrin Vole/ }).waitFor();
    await accessible(page, 'an import that is done');
    await page.goto(`${inst.url}/people?q=perrin`);
    await page.getByRole('row', { name: 'Perrin Vole' }).waitFor();
  });

  it('changes many people at once, by their exact number, and takes it back', async () => {
    await inst.owner.call('groups.add', { body: { name: 'watch' } });
    await page.goto(`${inst.url}/people?q=moor`);
    await page.getByRole('row', { name: 'Lis Moor' }).waitFor();
    // By keyboard: into the list, the row ticked by Space.
    await page.getByRole('row', { name: 'Lis Moor' }).focus();
    await page.keyboard.press('Space');
    await page.getByText('People chosen: 1').waitFor();
    await page.getByRole('button', { name: 'Choose nobody' }).click();
    await page.getByRole('columnheader').first().locator('label').click();
    await page.getByText('1 person who fits is chosen').waitFor();
    await page.getByRole('button', { name: 'Add to a group' }).click();
    const dialog = page.getByRole('dialog');
    await dialog.getByRole('button', { name: /Group/ }).click();
    await page.getByRole('option', { name: 'watch' }).click();
    await dialog.getByRole('button', { name: 'Add to a group' }).click();
    await page.getByText('Added to watch: 1 of 1 person.').waitFor();
    await page.getByRole('row', { name: 'Lis Moor' }).getByText('watch').waitFor();
    await page.getByRole('button', { name: 'Undo' }).click();
    await page.getByText('Taken back.').waitFor();
    await expect.poll(() => page.getByRole('row', { name: 'Lis Moor' }).getByText('watch').count()).toBe(0);
  });

  it('asks a second administrator before somebody gets a role, and shows what that role may see', async () => {
    const second = await administrator(inst, 'sees.second', 'owner');
    const desk = await personWithApp(inst.owner, 'hilda.desk');
    await page.goto(`${inst.url}/people/${desk.id}`);
    const give = async () => {
      await unfold(page, 'Rights, and the end');
      await page.getByRole('button', { name: 'Give a role' }).click();
      const dialog = page.getByRole('dialog');
      await dialog.getByRole('button', { name: 'Give a role' }).click();
      return dialog;
    };
    const dialog = await give();
    await dialog.getByText('A second administrator has to agree first.').waitFor();
    await dialog.getByRole('link', { name: 'Look where it stands' }).click();
    await page.getByText('hilda.desk gets the role help desk, for everybody.').waitFor();
    const { rows } = await second.client.call('signatures.list', { query: { waiting: 'true' } });
    await second.client.call('signatures.give', { params: { id: rows[0]!.id } });
    await page.reload();
    await page.getByText('It is countersigned: do it again now.').waitFor();
    await page.goto(`${inst.url}/people/${desk.id}`);
    await give();
    await page.getByText('hilda.desk has the role help desk now.').waitFor();
    await page.goto(`${inst.url}/administrators`);
    await page.getByRole('grid', { name: 'Who holds a role' }).getByText('hilda.desk').waitFor();
    // Taken back, so that later pages are as they were.
    await inst.sql(
      "DELETE FROM role_grants WHERE person_id <> (SELECT person_id FROM login_names WHERE value = 'ines.marlow')",
    );
  });

  it('can be worked by keyboard alone', async () => {
    await page.goto(`${inst.url}/people`);
    await page.getByRole('grid').waitFor();
    /** Presses Tab until something of this role has the focus. */
    const tabTo = async (role: string, name?: string) => {
      for (let i = 0; i < 30; i++) {
        await page.keyboard.press('Tab');
        const there = await page.evaluate(
          ([wanted, text]) => {
            const focused = document.activeElement;
            const roles: Record<string, string> = { BUTTON: 'button', INPUT: 'textbox' };
            const own = focused?.getAttribute('role') ?? roles[focused?.tagName ?? ''];
            const labels = (focused?.getAttribute('aria-labelledby') ?? '').split(' ').filter(Boolean);
            const called = [...labels.map((id) => document.getElementById(id)), focused].map((one) => one?.textContent);
            return own === wanted && called.join(' ').includes(text!);
          },
          [role, name ?? ''],
        );
        if (there) return;
      }
      throw new Error(`Tab never came to ${role} ${name ?? ''}`);
    };
    // A filter by its first letters, and the list follows; then another takes it back.
    await page.getByLabel('Find people').focus();
    await tabTo('button', 'Covered by');
    await page.keyboard.press('ArrowDown');
    await page.getByRole('option', { name: /two factors/ }).waitFor();
    await page.keyboard.type('two');
    await page.keyboard.press('Enter');
    await expect.poll(() => page.url()).toContain('coverage=two-factors');
    await page.getByRole('button', { name: 'Clear all filters' }).waitFor();
    await tabTo('button', 'Clear');
    await page.keyboard.press('Enter');
    await expect.poll(() => new URL(page.url()).search).toBe('');
    // The palette opens anywhere, finds by any word, and leads there.
    await page.keyboard.press('Control+k');
    await page.getByRole('dialog').waitFor();
    await page.keyboard.type('renn');
    // At once: what is listed still belongs to the letters before, and Enter takes what comes first of those typed.
    await page.keyboard.press('Enter');
    await page.getByRole('heading', { name: 'tobias.renn' }).waitFor();
    await page.goto(`${inst.url}/people`);
    await page.getByRole('grid').waitFor();
    await page.keyboard.press('Control+k');
    await page.getByRole('dialog').waitFor();
    for (const letter of 'renn') {
      // Slowly: what came first after a letter is gone after the next.
      await page.keyboard.type(letter);
      await page.getByRole('dialog').getByRole('menu').waitFor();
      await page.waitForTimeout(300);
    }
    const found = page.getByRole('menuitem', { name: /tobias/i });
    await expect
      .poll(async () => await page.evaluate(() => document.activeElement?.getAttribute('aria-activedescendant')))
      .toBe(await found.getAttribute('id'));
    // What stands on somebody's phone, typed into their keyring, finds them.
    await page.keyboard.press('Enter');
    await page.getByRole('heading', { name: 'tobias.renn' }).waitFor();
    await page.getByRole('button', { name: /^Carrier .*phone$/i }).focus();
    await page.keyboard.press('Enter');
    await page.getByRole('menuitem', { name: 'Edit' }).waitFor();
    await page.keyboard.press('End');
    await page.keyboard.press('Enter');
    await page.getByRole('dialog').getByLabel('Serial number').fill('WX-77 01');
    await page.keyboard.press('Enter');
    await page.getByText('Serial number WX-77 01').waitFor();
    await page.keyboard.press('Control+k');
    await page.getByRole('dialog').waitFor();
    await page.keyboard.type('wx770');
    await page.getByRole('menuitem', { name: /tobias.*WX-77 01/i }).waitFor();
    await page.keyboard.press('Escape');
    await expect.poll(() => page.getByRole('dialog').count()).toBe(0);
    await page.goto(`${inst.url}/people`);
    await page.getByLabel('Find people').focus();
    await page.keyboard.type('tobias');
    await expect.poll(() => page.getByRole('row').count()).toBe(2);
    await tabTo('row');
    await page.keyboard.press('Enter');
    await page.getByRole('heading', { name: 'tobias.renn' }).waitFor();
    await page.getByRole('button', { name: 'Edit', exact: true }).first().focus();
    await page.keyboard.press('Enter');
    await page.getByRole('dialog').waitFor();
    await page.keyboard.press('Escape');
    await expect.poll(() => page.getByRole('dialog').count()).toBe(0);
    expect(await page.evaluate(() => document.activeElement?.textContent)).toBe('Edit');
  });

  it('had nothing to complain about', () => {
    expect(complaints).toEqual([]);
  });
});
