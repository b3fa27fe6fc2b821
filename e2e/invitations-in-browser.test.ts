import { execFile } from 'node:child_process';
import { promisify } from 'node:util';
import type { Browser, Page } from 'playwright-core';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { administrator } from './support/administrators.js';
import { accessible, intoConsole, openPage } from './support/browser.js';
import { Installation, PASSWORD, Phone } from './support/installation.js';
import { inviting, LINK, mailOf } from './support/inviting.js';
import { startPost, type Post } from './support/mailbox.js';
import { CONSOLE, publish, rulebookOf } from './support/rulebooks.js';

let inst: Installation;
let post: Post;
let at: ReturnType<typeof inviting>;
let base: string;
let browser: Browser;
let page: Page;
let complaints: string[];
beforeAll(async () => {
  post = await startPost({ scan: true });
  inst = await Installation.start(1, post.environment);
  at = inviting(inst, post);
  await publish(inst.owner, rulebookOf([CONSOLE]));
  base = inst.url.replace('127.0.0.1', 'localhost');
  ({ browser, page, complaints } = await openPage());
});
afterAll(async () => {
  await browser.close();
  await inst.stop();
  await post.stop();
});

/** Somebody's phone: its own browser, in their language, with what it has sent. */
async function phoneOf(language: string): Promise<{ phone: Page; sent: string[] }> {
  const context = await browser.newContext({ viewport: { width: 360, height: 780 }, locale: language });
  const phone = await context.newPage();
  phone.setDefaultTimeout(60_000);
  const sent: string[] = [];
  phone.on('request', (request) => void sent.push(`${request.method()} ${request.url()}`));
  return { phone, sent };
}
const begins = (sent: readonly string[]) => sent.filter((one) => one.startsWith('POST') && one.includes('/own/'));

describe('an invitation, in the browser', () => {
  it('goes out from the console with what would come of it shown first, and is done on a phone', async () => {
    const group = await inst.owner.call('groups.add', { body: { name: 'starters' } });
    const [id, held] = [
      await at.add('wenna.tide', { displayName: 'Wenna Tide', language: 'de' }),
      await at.add('mailless', { mail: null }),
    ];
    for (const personId of [id, held]) await inst.owner.call('groups.join', { params: { id: group.id, personId } });
    await intoConsole(page, base);
    await page.goto(`${base}/invitations`);
    await page.getByText('No invitation is open.').waitFor();
    await page.getByRole('button', { name: 'Invite people' }).click();
    const dialog = page.getByRole('dialog');
    await dialog.getByRole('button', { name: /Whom/ }).click();
    await page.getByRole('option', { name: 'starters' }).click();
    await dialog.getByText('1 without a mail address').waitFor();
    await accessible(page, 'inviting people');
    await dialog.getByRole('button', { name: 'Invite 1 person' }).click();
    await page.getByText('1 person is being invited.').waitFor();
    const letter = await post.letter(mailOf('wenna.tide'), LINK);
    const link = /http\S+#\S+/.exec(letter)![0];
    await expect.poll(() => post.scanned.some((one) => one === link)).toBe(true);

    const { phone, sent } = await phoneOf('de-DE');
    await phone.goto(link.replace('127.0.0.1', 'localhost'));
    await phone.getByText('Sie sind eingeladen').or(phone.getByText('Sie wurden eingeladen')).first().waitFor();
    await accessible(phone, 'an invitation that was opened');
    // Looking is not opening: not for whoever has the link in front of them either.
    expect(begins(sent)).toEqual([]);
    expect((await at.latest(id)).openedAt).toBeNull();
    expect(sent.filter((one) => one.includes(LINK.exec(letter)![1]!))).toEqual([]);
    await phone.getByRole('button', { name: 'Beginnen' }).click();
    await phone.getByLabel('Passwort').fill(PASSWORD);
    await phone.keyboard.press('Enter');
    await phone.getByRole('heading', { name: 'Guten Tag, Wenna Tide' }).waitFor();
    expect((await at.latest(id)).state).toBe('begun');
    expect(await phone.getByRole('button', { name: 'Wiederherstellungscodes machen' }).count()).toBe(0);
    await phone.getByRole('button', { name: 'Eine App einrichten, die Codes zeigt' }).click();
    const app = new Phone((await phone.getByRole('link', { name: /App ist auf diesem Gerät/ }).getAttribute('href'))!);
    await phone.getByLabel('Code', { exact: true }).fill(app.next());
    await phone.getByRole('button', { name: 'Fertig' }).click();
    // A spare comes next, before anything else.
    await phone.getByText('Nun etwas zum Ersatz').waitFor();
    await accessible(phone, 'a spare');
    expect(new URL(phone.url()).hash).toBe('');
    await phone.getByRole('button', { name: 'Wiederherstellungscodes machen' }).click();
    await phone.getByRole('heading', { name: 'Ihre Wiederherstellungscodes' }).waitFor();
    await phone.context().close();

    // The sending is told of as it ends; what becomes of it later, to whoever looks again.
    await page.getByRole('link', { name: '1 of 2' }).waitFor();
    await page.reload();
    await page.getByRole('link', { name: '1 done' }).waitFor();
    await page.getByRole('link', { name: '1 done' }).click();
    await page.getByRole('link', { name: 'Wenna Tide' }).waitFor();
    await accessible(page, 'invitations that are done');
    await page.getByRole('button', { name: '1 passed over' }).click();
    await page.getByRole('dialog').getByText('without a mail address').waitFor();
    await page.getByRole('button', { name: 'Close' }).click();
    expect(complaints).toEqual([]);
  });

  it('on paper is printed once from the console, and its code is typed', async () => {
    const id = await at.add('cato.wray', { displayName: 'Cato Wray' });
    await page.goto(`${base}/people/${id}`);
    await page.getByRole('button', { name: 'Invite', exact: true }).click();
    const dialog = page.getByRole('dialog');
    await dialog.getByRole('button', { name: /How it reaches them/ }).click();
    await page.getByRole('option', { name: /on paper/ }).click();
    await dialog.getByRole('button', { name: 'Invite 1 person' }).click();
    await expect.poll(async () => (await at.latest(id)).state).toBe('queued');
    await page.goto(`${base}/invitations`);
    await page.getByRole('button', { name: 'Print 1 letter' }).click();
    await page.getByRole('dialog').getByRole('button', { name: 'Print 1 letter' }).click();
    const letters = page.getByRole('dialog', { name: '1 letter to print' });
    await letters.getByText('Dear Cato Wray').waitFor();
    await accessible(page, 'letters');
    const code = /\b([A-Z]{4}-){5}[A-Z]{4}\b/.exec(await letters.innerText())![0];
    await page.emulateMedia({ media: 'print' });
    expect(await page.getByRole('button').count()).toBe(0);
    await page.emulateMedia({ media: 'screen' });
    await letters.getByRole('button', { name: 'I have kept it' }).click();
    await page
      .getByText('No invitation is open.')
      .or(page.getByRole('link', { name: 'Cato Wray' }))
      .first()
      .waitFor();
    expect(await page.getByRole('button', { name: /^Print/ }).count()).toBe(0);

    const { phone } = await phoneOf('en-GB');
    await phone.goto(`${base}/enrol`);
    await phone.getByRole('button', { name: 'I have an invitation' }).click();
    const field = phone.getByLabel('Code of the invitation');
    const other = (letter: string) => (letter === 'A' ? 'C' : 'A');
    await field.fill(`${code.slice(0, -1)}${other(code.at(-1)!)}`);
    await phone.keyboard.press('Enter');
    await phone.getByText('This invitation is of no use, or not any more.').waitFor();
    await accessible(phone, 'a code that is of no use');
    // With the whole link before it, in lower case.
    await field.fill(`${base}/enrol#${code.toLowerCase()}`);
    await phone.keyboard.press('Enter');
    await phone.getByLabel('Password').fill(PASSWORD);
    await phone.keyboard.press('Enter');
    await phone.getByRole('heading', { name: 'Hello, Cato Wray' }).waitFor();
    await phone.context().close();
    expect(complaints).toEqual([]);
  });

  it('by a merge file is made after somebody else’s yes, saved, and opened by what is shown once', async () => {
    const second = await administrator(inst, 'merge.custodian', 'custodian');
    const id = await at.add('edda.kell', { displayName: 'Edda Kell' });
    await page.goto(`${base}/people/${id}`);
    await page.getByRole('button', { name: 'Invite', exact: true }).click();
    const dialog = page.getByRole('dialog');
    await dialog.getByRole('button', { name: /How it reaches them/ }).click();
    await page.getByRole('option', { name: /a mail merge/ }).click();
    await dialog.getByRole('button', { name: 'Invite 1 person' }).click();
    await expect.poll(async () => (await at.latest(id)).state).toBe('queued');
    await page.goto(`${base}/invitations`);
    await page.getByRole('button', { name: 'Make the file of 1' }).click();
    await dialog.getByText('With their mail addresses').click();
    await accessible(page, 'making a merge file');
    await dialog.getByRole('button', { name: 'Make the file of 1' }).click();
    await dialog.getByRole('alert').getByText('second administrator').waitFor();
    const { rows } = await second.client.call('signatures.list');
    const request = rows.find(({ action }) => action === 'merge-file')!;
    await second.client.call('signatures.give', { params: { id: request.id } });
    await dialog.getByRole('button', { name: 'Make the file of 1' }).click();
    const made = page.getByRole('dialog', { name: 'A file of 1 invitation' });
    await made.waitFor();
    await accessible(page, 'a merge file that is made');
    const password = /\b([A-Z]{4}-){5}[A-Z]{4}\b/.exec(await made.innerText())![0];
    const [download] = await Promise.all([
      page.waitForEvent('download'),
      made.getByRole('button', { name: /^Save invitations-/ }).click(),
    ]);
    const { stdout } = await promisify(execFile)('bsdtar', ['--passphrase', password, '-xOf', await download.path()]);
    expect(stdout).toContain(mailOf('edda.kell'));
    await made.getByRole('button', { name: 'I have kept it' }).click();
    await page.getByRole('button', { name: 'Make the file anew' }).waitFor();
    expect(await page.content()).not.toContain(password);
    expect(complaints).toEqual([]);
  });

  it('says what letters say, in the settings, and refuses what is no field', async () => {
    await page.goto(`${base}/settings/invitations`);
    await page.getByText('Dear Ines Marlow,').waitFor();
    await accessible(page, 'what letters say');
    const text = page.getByLabel('Text', { exact: true });
    await text.fill('Hello {nam}, {link}');
    await page.getByText('{nam} is no field that can stand in a text').waitFor();
    await text.fill('Hello {name}, come to {link}');
    await page.getByText('Hello Ines Marlow, come to').waitFor();
    await page.getByRole('button', { name: 'Save' }).click();
    await page.getByRole('status').filter({ hasText: /saved/i }).waitFor();
    const { settings } = await inst.owner.call('settings.show');
    expect(settings.invitations.texts.en?.body).toBe('Hello {name}, come to {link}');
    expect(complaints).toEqual([]);
  });
});
