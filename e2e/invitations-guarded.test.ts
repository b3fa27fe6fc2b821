import type { Answer } from '@nimble-latch/api';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { administrator, withSignature } from './support/administrators.js';
import { Installation } from './support/installation.js';
import { inviting, mailOf } from './support/inviting.js';
import { startPost, type Post } from './support/mailbox.js';
import { CONSOLE, publish, rulebookOf } from './support/rulebooks.js';

let inst: Installation;
let post: Post;
let at: ReturnType<typeof inviting>;
beforeAll(async () => {
  post = await startPost();
  inst = await Installation.start(2, post.environment);
  at = inviting(inst, post);
  await publish(inst.owner, rulebookOf([CONSOLE]));
});
afterAll(async () => {
  await inst.stop();
  await post.stop();
});

const settings = async (change: (now: Answer<'settings.show'>['settings']) => Answer<'settings.show'>['settings']) => {
  const { settings: now, version } = await inst.owner.call('settings.show');
  await inst.owner.call('settings.edit', { body: change(now), ifMatch: version });
};

describe('a guarded first enrolment', () => {
  const setFirst = async (group: string, first: 'in-person' | 'countersigned') => {
    const { rows, version } = await inst.owner.call('methods.show');
    const kept = rows.filter((row) => row.group !== group).map(({ group: of, cells }) => ({ group: of, cells }));
    const totp = { ...rows.at(-1)!.cells.totp!, parameters: { first } };
    await inst.owner.call('methods.edit', {
      body: { rows: [{ group, cells: { totp } }, ...kept], lockedOut: 0 },
      ifMatch: version,
    });
    // Nodes follow within three seconds.
    await new Promise((resolve) => setTimeout(resolve, 3_500));
  };

  it('in person is opened by no invitation and no password, wherever it comes from, and by a pass of the desk', async () => {
    const group = await inst.owner.call('groups.add', { body: { name: 'vaults' } });
    const id = await at.add('vault.keeper');
    await inst.owner.call('groups.join', { params: { id: group.id, personId: id } });
    await at.invite({ ids: [id] });
    const before = await at.rightBy(await at.codeFor('vault.keeper'));
    await setFirst(group.id, 'in-person');
    // Invited before it was so.
    await expect(at.anybody(1).call('own.beginTotp', { body: { right: before } })).rejects.toMatchObject({
      code: 'method-not-offered',
    });
    await inst.owner.call('invitations.withdraw', { params: { id: (await at.latest(id)).id } });
    expect((await at.invite({ ids: [id] })).outcomes).toEqual({ 'in-person': 1 });
    await inst.owner.call('networks.add', { body: { name: 'house', ranges: ['127.0.0.0/8'] } });
    await publish(
      inst.owner,
      rulebookOf([
        CONSOLE,
        '{ rule: In the house, at: { applications: [Enrolment] }, from: { networks: [house] }, then: let in }',
      ]),
    );
    const byName = async () =>
      await at.anybody().call('own.begin', { body: { place: 'enrolment', loginName: 'vault.keeper' } });
    await expect.poll(async () => (await at.prove(await byName())).right).not.toBeNull();
    const inHouse = (await at.prove(await byName())).right!;
    await expect(at.anybody().call('own.beginTotp', { body: { right: inHouse } })).rejects.toMatchObject({
      code: 'method-not-offered',
      problem: expect.objectContaining({ facts: expect.objectContaining({ why: 'in-person' }) }),
    });
    await publish(inst.owner, rulebookOf([CONSOLE]));
    const { code } = await inst.owner.call('passes.give', {
      params: { id },
      body: { reason: 'at the desk', purpose: 'enrol' },
    });
    await expect.poll(async () => (await at.prove(await byName())).signIn.state).toBe('asking');
    const begun = await byName();
    await at.prove(begun);
    const { right } = await at.prove(begun, code, 'code');
    await at.proveApp(right!, await at.beginApp(right!));
  });

  it('countersigned waits for a second administrator, for exactly these people', async () => {
    const group = await inst.owner.call('groups.add', { body: { name: 'treasury' } });
    const id = await at.add('treasurer');
    await inst.owner.call('groups.join', { params: { id: group.id, personId: id } });
    await setFirst(group.id, 'countersigned');
    const second = await administrator(inst, 'second.custodian', 'custodian');
    const who = { ids: [id] };
    const preview = await inst.owner.call('invitationRounds.preview', { body: { who, methods: ['totp'] } });
    expect(preview).toMatchObject({ outcomes: { invited: 1 }, countersigned: 1 });
    const body = { who, methods: ['totp' as const], expect: 1 };
    const asked = await inst.owner.call('invitationRounds.begin', { body }).catch((error: unknown) => error);
    expect(asked).toMatchObject({ code: 'signature-needed' });
    expect(await at.latest(id)).toBeUndefined();
    const { rows } = await second.client.call('signatures.list');
    const request = rows.find(({ action }) => action === 'first-enrolment')!;
    await second.client.call('signatures.give', { params: { id: request.id } });
    const other = await at.add('treasurer.other');
    await inst.owner.call('groups.join', { params: { id: group.id, personId: other } });
    await expect(
      inst.owner.call('invitationRounds.begin', { body: { ...body, who: { ids: [id, other] }, expect: 2 } }),
    ).rejects.toMatchObject({ code: 'signature-needed' });
    const round = await inst.owner.call('invitationRounds.begin', { body });
    expect((await at.finished(round.id)).outcomes).toEqual({ invited: 1 });
    const right = await at.rightBy(await at.codeFor('treasurer'));
    await at.proveApp(right, await at.beginApp(right));
  });
});

describe('a standing invitation', () => {
  it('comes to whoever joins from then on, once, and to whoever has no address as soon as they have one', async () => {
    const group = await inst.owner.call('groups.add', { body: { name: 'starters' } });
    const there = await at.add('starter.there');
    const join = async (personId: string) =>
      await inst.owner.call('groups.join', { params: { id: group.id, personId } });
    await join(there);
    const body = { group: group.id, methods: ['totp' as const] };
    expect(await inst.owner.call('standingInvitations.preview', { body })).toEqual({
      people: 1,
      outcomes: { invited: 1 },
    });
    // Somebody whose first enrolment is guarded may join some day: a second administrator agrees to it now.
    const second = await administrator(inst, 'standing.custodian', 'custodian');
    const begin = async () => await inst.owner.call('standingInvitations.begin', { body });
    const standing = await withSignature(second.client, begin);
    await expect(inst.owner.call('standingInvitations.begin', { body })).rejects.toMatchObject({ code: 'name-taken' });
    const [joins, mailless] = [await at.add('starter.joins'), await at.add('starter.mailless', { mail: null })];
    await join(joins);
    await join(mailless);
    const now = async () => {
      await at.jobNow('invite-new');
      const { rows } = await inst.owner.call('standingInvitations.list');
      return rows.find(({ id }) => id === standing.id)!;
    };
    await expect.poll(now, { interval: 300 }).toMatchObject({ invited: 1, passedOver: 0, waiting: 1 });
    await at.codeFor('starter.joins');
    expect(await at.latest(there)).toBeUndefined();
    const { version } = await inst.owner.call('people.show', { params: { id: mailless } });
    await inst.owner.call('people.edit', {
      params: { id: mailless },
      body: { mail: mailOf('starter.mailless') },
      ifMatch: version,
    });
    await expect.poll(now, { interval: 300 }).toMatchObject({ invited: 2, waiting: 0 });
    // Leaving and coming back is not joining anew.
    await inst.owner.call('groups.leave', { params: { id: group.id, personId: joins } });
    await join(joins);
    await inst.owner.call('invitations.withdraw', { params: { id: (await at.latest(joins)).id } });
    await now();
    await new Promise((resolve) => setTimeout(resolve, 1_500));
    expect((await at.latest(joins)).state).toBe('withdrawn');
    await inst.owner.call('standingInvitations.end', { params: { id: standing.id } });
    expect((await inst.owner.call('standingInvitations.list')).rows).toEqual([]);
  });
});

describe('what letters say', () => {
  it('is the installation’s own text, with fields that are there and lead somewhere, and nothing that a name could add', async () => {
    const text = { subject: '{organisation}: {name}', body: 'Hello {name}.\n{page} {code}\nUntil {until}.' };
    const preview = await inst.owner.call('invitations.previewText', { body: { language: 'en', text } });
    expect(preview.subject).toContain('Ines Marlow');
    expect(preview.body).toMatch(/enrol ACFH-JKLM/);
    for (const [body, field] of [
      ['{link} {password}', '{password}'],
      ['{link} {mail of somebody else}', '{mail of somebody else}'],
      ['{link} {', '{'],
      ['nowhere', 'link'],
    ])
      await expect(
        inst.owner.call('invitations.previewText', { body: { language: 'en', text: { subject: 'a', body: body! } } }),
      ).rejects.toMatchObject({ code: 'invalid-input', message: expect.stringContaining(field!) });
    await settings((now) => ({ ...now, invitations: { ...now.invitations, texts: { en: text, de: null } } }));
    // A name with a field of its own, as it may come from anywhere.
    const id = await at.add('injector', { displayName: 'Eve {code} Bcc: x@evil.example' });
    await at.invite({ ids: [id] });
    const letter = await post.letter(mailOf('injector'), /Hello/);
    expect(letter).toContain('Hello Eve {code} Bcc: x@evil.example.');
    const [received] = post.letters.list(mailOf('injector'));
    expect(received!.to).toEqual([mailOf('injector')]);
    expect(received!.subject).toContain('Eve {code} Bcc: x@evil.example');
    await settings((now) => ({ ...now, invitations: { ...now.invitations, texts: { en: null, de: null } } }));
  });
});
