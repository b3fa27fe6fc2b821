import { createClient } from '@nimble-latch/api/client';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { administrator, afterWaiting } from './support/administrators.js';
import { Installation, outcomes, PASSWORD, personWithApp } from './support/installation.js';
import { codeIn, inviting, LINK, mailOf } from './support/inviting.js';
import { startPost, type Post } from './support/mailbox.js';
import { CONSOLE, publish, rulebookOf } from './support/rulebooks.js';

let inst: Installation;
let post: Post;
let at: ReturnType<typeof inviting>;
const BOUNCES = 'nobody@wexmoor.example';
beforeAll(async () => {
  post = await startPost({ refuse: [BOUNCES], scan: true });
  inst = await Installation.start(2, post.environment);
  at = inviting(inst, post);
  await publish(inst.owner, rulebookOf([CONSOLE]));
});
afterAll(async () => {
  await inst.stop();
  await post.stop();
});

const hex = (id: string) => id.replaceAll('-', '');

describe('an invitation', () => {
  it('is sent, opened by its reader and not by a scanner, begun by a first proof, used once, and told', async () => {
    const id = await at.add('tove.brandt', { displayName: 'Tove Brandt', language: 'de', timeZone: 'Europe/Berlin' });
    // Nothing but a password opens nothing, invited or not.
    const bare = async () =>
      await at.prove(await at.anybody().call('own.begin', { body: { place: 'enrolment', loginName: 'tove.brandt' } }));
    expect(await bare()).toMatchObject({ right: null, signIn: { state: 'enrol-first' } });
    const round = await at.invite({ ids: [id] });
    expect(round).toMatchObject({ people: 1, outcomes: { invited: 1 }, via: 'mail', days: 14 });
    const letter = await post.letter(mailOf('tove.brandt'), LINK);
    expect(letter).toContain('Guten Tag Tove Brandt');
    expect(letter).toContain('Code aus einer App');
    expect(await bare()).toMatchObject({ right: null });
    await expect.poll(async () => (await at.latest(id)).state).toBe('sent');
    // The scanner has been at the link; what follows the number sign is nothing that anybody was sent.
    await expect.poll(() => post.scanned.length).toBeGreaterThan(0);
    expect(await at.latest(id)).toMatchObject({ state: 'sent', openedAt: null });
    expect(inst.logs()).not.toContain(codeIn(letter));
    const begun = await at.bring(codeIn(letter).toLowerCase().replaceAll('-', ' '), 1);
    expect(begun.signIn.prompt?.kind).toBe('password');
    expect((await at.latest(id)).state).toBe('opened');
    const { right } = await at.prove(begun, PASSWORD, 'password', 1);
    expect((await at.latest(id)).state).toBe('begun');
    const shown = await at.anybody().call('own.show', { body: { right: right! } });
    expect(shown).toMatchObject({ displayName: 'Tove Brandt', invited: true });
    expect(shown.offers).toEqual([
      { method: 'totp', enrol: true, why: null },
      { method: 'webauthn', enrol: false, why: 'not-invited-to' },
      // Off as delivered, for whoever it is.
      { method: 'push', enrol: false, why: 'nothing-said' },
      { method: 'recovery', enrol: false, why: 'not-invited-to' },
    ]);
    for (const call of ['own.beginWebauthn', 'own.makeRecovery'] as const)
      await expect(at.anybody().call(call, { body: { right: right! } })).rejects.toMatchObject({
        code: 'method-not-offered',
      });
    await at.proveApp(right!, await at.beginApp(right!));
    const done = await at.latest(id);
    expect(done).toMatchObject({ state: 'done', reminders: 0, nextReminderAt: null });
    await post.letter(mailOf('tove.brandt'), /neues Nachweismittel/);
    // A spare by the same right; nothing more by the link.
    const again = await at.anybody().call('own.show', { body: { right: right! } });
    expect(again.offers.filter(({ enrol }) => !enrol).map(({ method }) => method)).toEqual(['push']);
    expect(again.invited).toBe(false);
    await at.anybody().call('own.makeRecovery', { body: { right: right! } });
    await expect(at.bring(codeIn(letter))).rejects.toMatchObject({ code: 'invitation-gone' });
    const { rows } = await inst.owner.call('trail.list', { query: { person: id, limit: 50 } });
    const told = rows.map(({ action }) => action).filter((action) => action.startsWith('invitation.'));
    expect(told.reverse()).toEqual(['invitation.sent', 'invitation.opened', 'invitation.begun', 'invitation.done']);
  });

  it('is in the place of a factor that somebody lacks, never of one that they have', async () => {
    const { id, phone } = await personWithApp(inst.owner, 'orla.finch');
    const { version } = await inst.owner.call('people.show', { params: { id } });
    await inst.owner.call('people.edit', { params: { id }, body: { mail: mailOf('orla.finch') }, ifMatch: version });
    await at.invite({ ids: [id] }, { methods: ['webauthn'] });
    const begun = await at.bring(await at.codeFor('orla.finch'));
    const half = await at.prove(begun);
    expect(half).toMatchObject({ right: null, signIn: { state: 'asking', prompt: { kind: 'code' } } });
    const { right } = await at.prove(begun, phone.next(), 'code');
    const { offers } = await at.anybody().call('own.show', { body: { right: right! } });
    expect(offers.filter(({ enrol }) => !enrol)).toEqual([{ method: 'push', enrol: false, why: 'nothing-said' }]);
    // A rule that refuses goes on refusing.
    const late = await at.add('late.comer');
    await at.invite({ ids: [late] });
    const code = await at.codeFor('late.comer');
    await publish(
      inst.owner,
      rulebookOf([CONSOLE, '{ rule: Closed, at: { applications: [Enrolment] }, then: refuse }']),
    );
    await expect
      .poll(async () => await at.prove(await at.bring(code)))
      .toMatchObject({ right: null, signIn: { state: 'refused', reason: 'refused-by-rule' } });
    await publish(inst.owner, rulebookOf([CONSOLE]));
    await expect.poll(async () => await at.rightBy(code, 1)).not.toBeNull();
  });

  it('brought to two browsers on two nodes at once enrols in one of them', async () => {
    for (let round = 0; round < 5; round++) {
      const name = `twice.${round}`;
      const id = await at.add(name);
      await at.invite({ ids: [id] });
      const code = await at.codeFor(name);
      const rights = await Promise.all([at.rightBy(code, 0), at.rightBy(code, 1)]);
      const apps = await Promise.all(rights.map(async (right, node) => await at.beginApp(right, node)));
      const ends = await outcomes(rights.map(async (right, node) => await at.proveApp(right, apps[node]!, node)));
      expect(ends.map((one) => (typeof one === 'string' ? one : 'enrolled')).sort()).toEqual([
        'enrolled',
        'request-gone',
      ]);
      const { authenticators } = await inst.owner.call('keyring.show', { params: { id } });
      expect(authenticators.filter(({ method, state }) => method === 'totp' && state === 'active')).toHaveLength(1);
      const loser = ends.indexOf('request-gone');
      await expect(at.anybody().call('own.show', { body: { right: rights[loser]! } })).rejects.toMatchObject({
        code: 'request-gone',
      });
    }
  });

  it('ends with its withdrawal, its time and its person, for whoever has begun by it too, on the other node', async () => {
    const ends: [string, (invitation: string, person: string) => Promise<unknown>][] = [
      ['with.drawn', async (one) => await inst.owner.call('invitations.withdraw', { params: { id: one } })],
      [
        'run.out',
        async (one) =>
          await inst.sql('UPDATE invitations SET valid_until = UTC_TIMESTAMP(3) WHERE id = UNHEX(?)', [hex(one)]),
      ],
      ['gone.home', async (_one, id) => await inst.owner.call('people.deactivate', { params: { id } })],
      ['sent.anew', async (one) => await inst.owner.call('invitations.sendAnew', { params: { id: one } })],
    ];
    for (const [name, end] of ends) {
      const id = await at.add(name);
      await at.invite({ ids: [id] });
      const code = await at.codeFor(name);
      const right = await at.rightBy(code);
      const app = await at.beginApp(right);
      await end((await at.latest(id)).id, id);
      await expect(at.bring(code, 1), name).rejects.toMatchObject({ code: 'invitation-gone' });
      if (name === 'sent.anew') continue;
      await expect(at.proveApp(right, app, 1), name).rejects.toMatchObject({ code: 'request-gone' });
      await expect(at.anybody(1).call('own.beginTotp', { body: { right } }), name).rejects.toMatchObject({
        code: 'request-gone',
      });
    }
    expect((await inst.owner.call('invitations.list', { query: { state: 'overdue' } })).rows).toHaveLength(1);
    expect((await inst.owner.call('invitations.list', { query: { state: 'withdrawn' } })).rows).toHaveLength(1);
  });

  it('that is guessed costs its source, and tells nothing of what there is', async () => {
    const own = await Installation.start(1, post.environment);
    try {
      const open = createClient({ server: own.nodes[0]!.url });
      const person = await own.owner.call('people.add', {
        body: { displayName: 'Nell', loginNames: ['nell'], mail: mailOf('nell.guessed') },
      });
      const { id } = await own.owner.call('invitationRounds.begin', {
        body: { who: { ids: [person.id] }, methods: ['totp'], expect: 1 },
      });
      const right = await at.codeFor('nell.guessed');
      const swapped = (letter: string) => (letter === 'A' ? 'C' : 'A');
      const wrong = `${right.slice(0, -1)}${swapped(right.at(-1)!)}`;
      const unknown = `${swapped(right[0]!)}${right.slice(1)}`;
      const told = async (invitation: string) => {
        const problem = await open
          .call('own.begin', { body: { place: 'enrolment', invitation } })
          .catch((e: unknown) => e);
        const { code, problem: body } = problem as { code: string; problem: { title: string; remedy: string } };
        return JSON.stringify([code, body.title, body.remedy]);
      };
      const answers = new Set([
        await told(wrong),
        await told(unknown),
        await told('not a code'),
        await told('A'.repeat(24)),
      ]);
      expect([...answers]).toHaveLength(1);
      expect([...answers][0]).toContain('invitation-gone');
      const many = await Promise.all(Array.from({ length: 70 }, async () => await told(wrong)));
      expect(many.filter((one) => one.includes('throttled')).length).toBeGreaterThan(0);
      // Spent is spent, for the right one too, until its window has passed: whoever guesses cannot tell.
      expect(await told(right)).toContain('throttled');
      expect(id).toBeDefined();
    } finally {
      await own.stop();
    }
  });
});

describe('a sending', () => {
  it('tells beforehand whom it would come to and why not, and does exactly that', async () => {
    const group = await inst.owner.call('groups.add', { body: { name: 'pilots' } });
    const ids = {
      ready: await at.add('pilot.ready'),
      mailless: await at.add('pilot.mailless', { mail: null }),
      held: (await personWithApp(inst.owner, 'pilot.held')).id,
      away: await at.add('pilot.away'),
      admin: (await administrator(inst, 'pilot.admin', 'auditor')).id,
      nothing: (
        await inst.owner.call('people.add', {
          body: { displayName: 'n', loginNames: ['pilot.nothing'], mail: mailOf('pilot.nothing') },
        })
      ).id,
      emergency: await at.add('pilot.emergency'),
    };
    await inst.owner.call('people.deactivate', { params: { id: ids.away } });
    for (const id of Object.values(ids))
      await inst.owner.call('groups.join', { params: { id: group.id, personId: id } });
    const marked = { params: { id: ids.emergency }, body: { emergency: true } };
    await afterWaiting(inst, async () => await inst.owner.call('people.markEmergency', marked));
    const who = { filter: { group: group.id } };
    const preview = await inst.owner.call('invitationRounds.preview', { body: { who, methods: ['totp'] } });
    expect(preview.people).toBe(7);
    expect(preview.withoutProof).toBe(1);
    expect(preview.outcomes).toMatchObject({
      invited: 2,
      deactivated: 1,
      'no-mail': 2,
      'already-held': 1,
      emergency: 1,
    });
    // All of the others are told by name, a page after the other.
    const passedOver: string[] = [];
    for (let cursor: string | undefined, first = true; first || cursor !== undefined; first = false) {
      const body = { who, methods: ['totp' as const] };
      const page = await inst.owner.call('invitationRounds.passedOver', { body, query: { limit: 2, cursor } });
      passedOver.push(...page.rows.map(({ displayName, outcome }) => `${displayName}: ${outcome}`));
      cursor = page.next ?? undefined;
    }
    const { invited: _, ...others } = preview.outcomes;
    expect(passedOver.map((one) => one.split(': ')[1]!).toSorted()).toEqual(
      Object.entries(others)
        .flatMap(([outcome, people]) => Array.from({ length: people }, () => outcome))
        .toSorted(),
    );
    expect(new Set(passedOver).size).toBe(passedOver.length);
    await expect(
      inst.owner.call('invitationRounds.begin', { body: { who, methods: ['totp'], expect: 6 } }),
    ).rejects.toMatchObject({ code: 'count-changed' });
    const round = await at.invite(who);
    expect(round.outcomes).toEqual(preview.outcomes);
    expect(round.askedBy?.displayName).toBe('Ines Marlow');
    // Nobody gets two.
    const again = await at.invite(who);
    expect(again.outcomes.invited).toBeUndefined();
    expect(again.outcomes['already-invited']).toBe(preview.outcomes.invited);
    const people = await inst.owner.call('invitationRounds.people', {
      params: { id: round.id },
      query: { outcome: 'no-mail' },
    });
    expect(people.rows.map(({ person }) => person.id)).toContain(ids.mailless);
    const figures = await inst.owner.call('invitations.figures', { query: { round: round.id } });
    expect(Object.values(figures.states).reduce((sum, n) => sum + n, 0)).toBe(preview.outcomes.invited);
    const named = await inst.owner.call('invitationRounds.preview', {
      body: { who: { loginNames: ['pilot.ready', ' PILOT.READY ', 'no.one'] }, methods: ['totp'] },
    });
    expect(named).toMatchObject({ people: 1, unknown: ['no.one'], outcomes: { 'already-invited': 1 } });
    await expect(
      inst.owner.call('invitationRounds.begin', {
        body: { who: { loginNames: ['no.one'] }, methods: ['totp'], expect: 1 },
      }),
    ).rejects.toMatchObject({ code: 'invalid-input' });
  });

  it('by an operator of some groups comes to nobody outside them', async () => {
    const group = await inst.owner.call('groups.add', { body: { name: 'cranes' } });
    const [inside, outside] = [await at.add('crane.inside'), await at.add('crane.outside')];
    await inst.owner.call('groups.join', { params: { id: group.id, personId: inside } });
    const desk = await administrator(inst, 'crane.desk', 'help-desk', [group.id]);
    await expect(at.invite({ ids: [inside, outside] }, {}, desk.client)).rejects.toMatchObject({
      code: 'outside-your-groups',
    });
    const all = await desk.client.call('invitationRounds.preview', {
      body: { who: { filter: {} }, methods: ['totp'] },
    });
    expect(all.people).toBe(1);
    const named = { who: { loginNames: ['crane.inside', 'crane.outside'] }, methods: ['totp' as const] };
    expect(await desk.client.call('invitationRounds.preview', { body: named })).toMatchObject({
      people: 1,
      unknown: ['crane.outside'],
    });
    const round = await at.invite({ ids: [inside] }, {}, desk.client);
    expect(round.outcomes).toEqual({ invited: 1 });
    await at.invite({ ids: [outside] });
    const theirs = await desk.client.call('invitations.list');
    expect(theirs.rows.map(({ person }) => person.id)).toEqual([inside]);
    const others = (await at.latest(outside)).id;
    for (const call of ['invitations.remind', 'invitations.sendAnew', 'invitations.withdraw'] as const)
      await expect(desk.client.call(call, { params: { id: others } }), call).rejects.toMatchObject({
        code: 'outside-your-groups',
      });
    const { rows } = await desk.client.call('invitationRounds.list');
    expect(rows.map(({ id }) => id)).toEqual([round.id]);
    // What is about whoever comes is about everybody.
    await expect(
      desk.client.call('standingInvitations.begin', { body: { group: group.id, methods: ['totp'] } }),
    ).rejects.toMatchObject({ code: 'outside-your-groups' });
  });

  it('that is refused by the mail server bounces at once, needs a hand, and is sent anew to a better address', async () => {
    const id = await at.add('bounced', { mail: BOUNCES });
    await at.invite({ ids: [id] });
    await expect.poll(async () => (await at.latest(id)).state).toBe('bounced');
    const stuck = async () =>
      (await inst.owner.call('invitations.list', { query: { state: 'stuck', person: id } })).rows.length;
    expect(await stuck()).toBe(1);
    const { version } = await inst.owner.call('people.show', { params: { id } });
    await inst.owner.call('people.edit', { params: { id }, body: { mail: mailOf('bounced') }, ifMatch: version });
    const one = await inst.owner.call('invitations.sendAnew', { params: { id: (await at.latest(id)).id } });
    expect(one).toMatchObject({ sentAnew: 1, bouncedAt: null });
    await at.codeFor('bounced');
    await expect.poll(async () => (await at.latest(id)).state).toBe('sent');
    expect(await stuck()).toBe(0);
  });

  it('reminds as often as the settings say, by links that all lead to the one invitation', async () => {
    const id = await at.add('reminded');
    await at.invite({ ids: [id] });
    const first = await at.codeFor('reminded');
    const due = async () => {
      await inst.sql(
        'UPDATE invitations SET next_reminder_at = UTC_TIMESTAMP(3) WHERE person_id = UNHEX(?) AND next_reminder_at IS NOT NULL',
        [hex(id)],
      );
      await at.jobNow('remind-invited');
    };
    for (const times of [1, 2]) {
      await due();
      await expect.poll(async () => (await at.latest(id)).reminders).toBe(times);
    }
    expect(await at.latest(id)).toMatchObject({ nextReminderAt: null });
    const second = await at.codeFor('reminded', /Reminder: /);
    expect(second).not.toBe(first);
    const byHand = await inst.owner.call('invitations.remind', { params: { id: (await at.latest(id)).id } });
    expect(byHand.reminders).toBe(3);
    const right = await at.rightBy(first);
    await at.proveApp(right, await at.beginApp(right));
    for (const code of [first, second]) await expect(at.bring(code)).rejects.toMatchObject({ code: 'invitation-gone' });
    await expect(
      inst.owner.call('invitations.remind', { params: { id: (await at.latest(id)).id } }),
    ).rejects.toMatchObject({ code: 'wrong-state' });
  });

  it('on paper gives out each letter once, tells its person by mail, and brings nobody in who only has the letter', async () => {
    const ids = [await at.add('paper.one'), await at.add('paper.two')];
    const round = await at.invite({ ids }, { via: 'letter' });
    expect(round.unprinted).toBe(2);
    const print = async () => await inst.owner.call('invitationRounds.print', { params: { id: round.id } });
    const ends = await Promise.all([print(), print()]);
    const letters = ends.flatMap((one) => one.letters);
    expect(letters.map(({ person }) => person.id).sort()).toEqual([...ids].sort());
    expect(new Set(letters.map(({ code }) => code)).size).toBe(2);
    expect(letters[0]!.lines).toContain(letters[0]!.code);
    expect(letters[0]!.qrSvg).toContain('<svg');
    expect((await print()).letters).toEqual([]);
    await post.letter(mailOf('paper.one'), /was printed for you/);
    const begun = await at.bring(letters[0]!.code);
    expect(await at.prove(begun, 'not the password')).toMatchObject({ right: null });
    const right = await at.rightBy(letters[0]!.code);
    await at.proveApp(right, await at.beginApp(right));
    const { id: admin } = await administrator(inst, 'paper.admin', 'auditor');
    const preview = await inst.owner.call('invitationRounds.preview', {
      body: { who: { ids: [admin] }, methods: ['webauthn'], via: 'letter' },
    });
    expect(preview.outcomes).toEqual({ 'owners-only': 1 });
  });
});
