import { createClient } from '@nimble-latch/api/client';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { accessible, openPage } from './support/browser.js';
import { connectedApplication, Installation, PASSWORD, personWithApp } from './support/installation.js';
import { inviting, mailOf } from './support/inviting.js';
import { startPost, type Post } from './support/mailbox.js';
import { CONSOLE, publish, rulebookOf } from './support/rulebooks.js';

let inst: Installation;
let post: Post;
let berths: Awaited<ReturnType<typeof connectedApplication>>;
beforeAll(async () => {
  post = await startPost();
  inst = await Installation.start(2, post.environment);
  berths = await connectedApplication(inst.owner, 'Berth Planner', { claims: ['password-checked'] });
  await publish(inst.owner, rulebookOf([CONSOLE]));
});
afterAll(async () => {
  await inst.stop();
  await post.stop();
});

const anybody = (node = 0) => createClient({ server: inst.nodes[node]!.url });
const LINK = /\/not-me#(nln_[a-z2-7_]+)/;
const codeOf = (letter: string) => LINK.exec(letter)![1]!;
const setMail = async (id: string, mail: string | null) => {
  const { version } = await inst.owner.call('people.show', { params: { id } });
  await inst.owner.call('people.edit', { params: { id }, body: { mail }, ifMatch: version });
};
/** Somebody with an app, who has had the notice of it. */
async function holder(name: string) {
  const person = await personWithApp(inst.owner, name, { mail: mailOf(name) });
  return { ...person, code: codeOf(await post.letter(mailOf(name), /new authenticator/)) };
}
const outcome = async (loginName: string, node = 0) => {
  const client = inst.client(inst.nodes[node]!.url, berths.key);
  return (await client.call('signIns.begin', { body: { loginName, claims: { passwordChecked: true } } })).state;
};
const stateOf = async (id: string, method = 'totp') =>
  (await inst.owner.call('keyring.show', { params: { id } })).authenticators.find((one) => one.method === method)!
    .state;

describe('“this was not me”', () => {
  it('suspends what was changed and nothing else, on every node at once, ends what is open, and alarms', async () => {
    const una = await holder('una.vale');
    await inst.owner.call('recovery.make', { params: { id: una.id } });
    expect(await outcome('una.vale', 1)).toBe('asking');
    const shown = await anybody().call('own.showNotice', { body: { code: una.code } });
    expect(shown).toMatchObject({ kind: 'authenticator.proved', effect: 'suspended', disputed: false });
    // Looking changes nothing, however often.
    await anybody(1).call('own.showNotice', { body: { code: una.code } });
    expect(await stateOf(una.id)).toBe('active');
    expect(await anybody(1).call('own.dispute', { body: { code: una.code } })).toMatchObject({ effect: 'suspended' });
    expect(await outcome('una.vale', 0)).toBe('enrol-first');
    expect(await stateOf(una.id)).toBe('suspended');
    expect(await stateOf(una.id, 'recovery')).toBe('active');
    expect(await stateOf(una.id, 'password')).toBe('active');
    await post.letter(mailOf('una.vale'), /was suspended/);
    const { rows } = await inst.owner.call('disputes.list', { query: {} });
    expect(rows.filter(({ person }) => person.id === una.id)).toMatchObject([
      { kind: 'authenticator.proved', effect: 'suspended', from: '127.0.0.1', settled: null },
    ]);
    expect((await inst.owner.call('overview.show')).openDisputes).toBe(rows.length);
    const { rows: told } = await inst.owner.call('trail.list', {
      query: { person: una.id, action: 'change.disputed' },
    });
    expect(told[0]).toMatchObject({ actor: { kind: 'person', name: 'una.vale' }, details: { effect: 'suspended' } });

    // Said again it comes to the same, and tells nobody twice; what is taken back into use stays so.
    const authenticator = (await inst.owner.call('keyring.show', { params: { id: una.id } })).authenticators.find(
      ({ method }) => method === 'totp',
    )!;
    await inst.owner.call('authenticators.resume', { params: { id: authenticator.id } });
    expect(await anybody().call('own.dispute', { body: { code: una.code } })).toMatchObject({ effect: 'suspended' });
    expect(await stateOf(una.id)).toBe('active');
    const settled = await inst.owner.call('disputes.settle', {
      params: { id: rows[0]!.id },
      body: { why: 'it was her second phone' },
    });
    expect(settled.settled).toMatchObject({ why: 'it was her second phone' });
    await expect(
      inst.owner.call('disputes.settle', { params: { id: rows[0]!.id }, body: { why: 'again' } }),
    ).rejects.toMatchObject({ code: 'wrong-state' });
  });

  it('has one winner where it is said on two nodes at once, and one alarm', async () => {
    const kit = await holder('kit.both');
    const all = await Promise.all(
      [0, 1, 0, 1].map(async (node) => await anybody(node).call('own.dispute', { body: { code: kit.code } })),
    );
    expect(all.map(({ effect }) => effect)).toEqual(Array(4).fill('suspended'));
    const { rows } = await inst.owner.call('trail.list', { query: { person: kit.id, action: 'change.disputed' } });
    expect(rows).toHaveLength(1);
  });

  it('sets aside whatever it was: a password, recovery codes, a pass; an invitation is withdrawn', async () => {
    const nia = await holder('nia.all');
    const told = async (having: RegExp) => codeOf(await post.letter(mailOf('nia.all'), having));
    const { pass } = await inst.owner.call('passes.give', {
      params: { id: nia.id },
      body: { reason: 'at home', hours: 1, untilFactor: false },
    });
    await inst.owner.call('recovery.make', { params: { id: nia.id } });
    const session = await rightOf('nia.all', nia.phone.next());
    for (const [having, of] of [
      [/temporary pass was made/, async () => (await passOf(pass.id)).state],
      [/new recovery codes/, async () => await stateOf(nia.id, 'recovery')],
      [/password was changed/, async () => await stateOf(nia.id, 'password')],
    ] as const) {
      expect(await anybody().call('own.dispute', { body: { code: await told(having) } })).toMatchObject({
        effect: 'suspended',
      });
      expect(await of()).toBe('suspended');
    }
    // Whoever was in by any of it is out.
    await expect(anybody(1).call('own.show', { body: { right: session } })).rejects.toMatchObject({
      code: 'request-gone',
    });
    expect(await stateOf(nia.id)).toBe('active');

    const at = inviting(inst, post);
    const oda = await at.add('oda.letter');
    const round = await at.invite({ ids: [oda] }, { via: 'letter' });
    await inst.owner.call('invitationRounds.print', { params: { id: round.id } });
    const code = codeOf(await post.letter(mailOf('oda.letter'), /comes on paper/));
    expect(await anybody().call('own.dispute', { body: { code } })).toMatchObject({ effect: 'withdrawn' });
    expect((await at.latest(oda)).state).toBe('withdrawn');
  });

  it('tells where there is nothing to set aside', async () => {
    const pia = await holder('pia.gone');
    const { authenticators } = await inst.owner.call('keyring.show', { params: { id: pia.id } });
    const { id } = authenticators.find(({ method }) => method === 'totp')!;
    await inst.owner.call('authenticators.revoke', { params: { id } });
    const code = codeOf(await post.letter(mailOf('pia.gone'), /taken off/));
    expect(await anybody().call('own.dispute', { body: { code } })).toMatchObject({ effect: 'told' });
    // The notice of the app itself has nothing left to suspend.
    expect((await anybody().call('own.showNotice', { body: { code: pia.code } })).effect).toBe('told');
  });

  it('goes to the address before a change of it too, so that whoever changes it hides nothing', async () => {
    const lea = await holder('lea.moved');
    await setMail(lea.id, 'someone@elsewhere.example');
    const [old, fresh] = [mailOf('lea.moved'), 'someone@elsewhere.example'];
    const toOld = await post.letter(old, /mail address was changed/);
    await post.letter(fresh, /mail address was changed/);
    // Once more, which does not shake the first one off.
    await setMail(lea.id, 'third@elsewhere.example');
    await inst.owner.call('recovery.make', { params: { id: lea.id } });
    const letter = await post.letter(old, /new recovery codes/);
    await post.letter('third@elsewhere.example', /new recovery codes/);
    expect(post.letters.list(fresh).some(({ text }) => text.includes('new recovery codes'))).toBe(false);
    expect(await anybody().call('own.dispute', { body: { code: codeOf(letter) } })).toMatchObject({
      effect: 'suspended',
    });
    expect(await anybody().call('own.dispute', { body: { code: codeOf(toOld) } })).toMatchObject({ effect: 'told' });
    // After its days it hears nothing more.
    await inst.sql('UPDATE former_mails SET until = UTC_TIMESTAMP(3) - INTERVAL 1 SECOND', []);
    await inst.owner.call('recovery.make', { params: { id: lea.id } });
    await expect
      .poll(
        () => post.letters.list('third@elsewhere.example').filter(({ text }) => text.includes('new recovery')).length,
      )
      .toBe(2);
    expect(post.letters.list(old).filter(({ text }) => text.includes('new recovery'))).toHaveLength(1);
  });

  it('reaches the address before one that a file brought, which tells nobody of itself', async () => {
    const max = await holder('max.file');
    const fresh = 'max@elsewhere.example';
    const { id, columns, rules } = await inst.owner.call('imports.receive', {
      query: { kind: 'people', fileName: 'max.csv' },
      file: new Blob([`Name,Login,Mail\nmax.file,max.file,${fresh}\n`]),
    });
    const params = { id };
    const meanings = columns.map(({ meaning }) => meaning);
    await inst.owner.call('imports.check', { params, body: { columns: meanings, rules, saveAs: null } });
    const at = async (wanted: string) => {
      const show = async () => await inst.owner.call('imports.show', { params });
      await expect.poll(async () => (await show()).state).toBe(wanted);
      return await show();
    };
    const { version } = await at('checked');
    await inst.owner.call('imports.apply', { params, body: {}, ifMatch: version });
    await at('done');
    await inst.owner.call('recovery.make', { params: { id: max.id } });
    await post.letter(fresh, /new recovery codes/);
    await post.letter(mailOf('max.file'), /new recovery codes/);
    for (const address of [fresh, mailOf('max.file')])
      expect(post.letters.list(address).some(({ text }) => text.includes('mail address was changed'))).toBe(false);
  });

  it('is of no use to whoever guesses, comes late, from another origin, or brings another kind of secret', async () => {
    const rex = await holder('rex.guess');
    const spoilt = `${rex.code.slice(0, -4)}${rex.code.endsWith('aaaa') ? 'bbbb' : 'aaaa'}`;
    const other = rex.code.replace(/^nln_/, 'nll_');
    for (const code of [spoilt, other, 'nln_', `${rex.code}a`, rex.code.toUpperCase()])
      for (const call of ['own.showNotice', 'own.dispute'] as const)
        await expect(anybody().call(call, { body: { code } }), code).rejects.toMatchObject({ code: 'notice-gone' });
    const foreign = await fetch(`${inst.url}/api/v1/own/notices/dispute`, {
      method: 'POST',
      headers: { 'content-type': 'application/json', origin: 'https://evil.example' },
      body: JSON.stringify({ code: rex.code }),
    });
    expect(foreign.status).toBe(403);
    expect(await stateOf(rex.id)).toBe('active');
    // A scanner of mails opens the link: it gets the page, and no more.
    expect((await fetch(`${inst.url}/not-me`, { headers: { accept: 'text/html' } })).status).toBe(200);
    expect((await fetch(`${inst.url}/api/v1/own/notices/dispute`)).status).toBe(404);
    expect(await stateOf(rex.id)).toBe('active');
    await inst.sql(
      'UPDATE change_notices SET until = UTC_TIMESTAMP(3) - INTERVAL 1 SECOND WHERE person_id = UNHEX(?)',
      [rex.id.replaceAll('-', '')],
    );
    await expect(anybody().call('own.dispute', { body: { code: rex.code } })).rejects.toMatchObject({
      code: 'notice-gone',
    });
  });

  it('is said on a page that a phone shows, which changes nothing until the button is pressed', async () => {
    const ivy = await holder('ivy.page');
    const { browser, complaints } = await openPage();
    try {
      const context = await browser.newContext({ viewport: { width: 360, height: 780 }, locale: 'de-DE' });
      const page = await context.newPage();
      page.setDefaultTimeout(60_000);
      await page.goto(`${inst.url.replace('127.0.0.1', 'localhost')}/not-me#${ivy.code}`);
      await page.getByRole('heading', { name: 'Waren Sie das nicht?' }).waitFor();
      await accessible(page, 'a change that was not me');
      expect(await stateOf(ivy.id)).toBe('active');
      await page.getByRole('button', { name: 'Das war ich nicht' }).click();
      await page.getByText('Es ist ausgesetzt').waitFor();
      await accessible(page, 'what was set aside');
      expect(await stateOf(ivy.id)).toBe('suspended');
      await page.reload();
      await page.getByText('Es ist ausgesetzt').waitFor();
      await page.goto(`${inst.url.replace('127.0.0.1', 'localhost')}/not-me`);
      await page.getByText('Der Link ist nicht ganz').waitFor();
      expect(complaints).toEqual([]);
    } finally {
      await browser.close();
    }
  });
});

async function rightOf(loginName: string, code: string): Promise<string> {
  const { signIn, handle } = await anybody().call('own.begin', { body: { place: 'enrolment', loginName } });
  const prove = async (kind: 'password' | 'code', value: string) =>
    await anybody().call('own.prove', { params: { id: signIn.id }, body: { kind, value, handle } });
  await prove('password', PASSWORD);
  return (await prove('code', code)).right!;
}
const passOf = async (id: string) =>
  (await inst.owner.call('passes.list', { query: { limit: 200 } })).rows.find((row) => row.id === id)!;
