import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { Installation, PASSWORD } from './support/installation.js';

let inst: Installation;
beforeAll(async () => {
  inst = await Installation.start(1, { NLATCH_TEST_FAULTS: 'first-runs' });
});
afterAll(async () => await inst.stop());

describe('every change', () => {
  it('writes its trail entry in the same transaction, with who, what, on whom and from where', async () => {
    // Each is run twice, as after a deadlock, and comes to one entry all the same.
    const { owner } = inst;
    const trailOf = async (work: () => Promise<unknown>) => {
      const [before] = await inst.sql<{ n: number | null }>('SELECT MAX(number) AS n FROM trail_entries');
      await work();
      return (
        await inst.sql<{ action: string }>('SELECT action FROM trail_entries WHERE number > ? ORDER BY number', [
          before!.n ?? 0,
        ])
      ).map((row) => row.action);
    };
    const person = await owner.call('people.add', { body: { displayName: 'P', loginNames: ['p', 'q'] } });
    const group = await owner.call('groups.add', { body: { name: 'g' } });
    const begun = await owner.call('totp.begin', { params: { id: person.id }, body: {} });
    const application = await owner.call('applications.add', { body: { name: 'a' } });
    const issued = await owner.call('connections.add', { params: { id: application.id }, body: {} });
    const spare = await owner.call('people.add', { body: { displayName: 'S', loginNames: ['s'] } });
    const id = { id: person.id };
    const authenticator = { id: begun.authenticator.id };
    const connection = { id: issued.connection.id };
    const token = await owner.call('accessTokens.add', { body: { label: 't' } });
    const part = await owner.call('groups.add', { body: { name: 'part' } });
    const nested = { id: group.id, partId: part.id };
    const receive = async () =>
      await owner.call('imports.receive', {
        query: { kind: 'people', fileName: 'f' },
        file: new Blob(['Name,Login\nN,n\n']),
      });
    const imported = await receive();
    const checking = { columns: ['name', 'login-name'] as ['name', 'login-name'], rules: imported.rules, saveAs: 'm' };
    const steps: [string, () => Promise<unknown>, string[]][] = [
      ['groups.addPart', () => owner.call('groups.addPart', { params: nested }), ['group.part-added']],
      ['groups.addPart again', () => owner.call('groups.addPart', { params: nested }), []],
      ['groups.removePart', () => owner.call('groups.removePart', { params: nested }), ['group.part-removed']],
      [
        'bulkChanges.begin',
        () =>
          owner.call('bulkChanges.begin', {
            body: { kind: 'reactivate', who: { ids: [person.id] }, expect: 1 },
          }),
        ['bulk-change.begun'],
      ],
      ['imports.receive', receive, ['import.received']],
      ['imports.report', () => owner.call('imports.report', { params: { id: imported.id } }), ['import.report-taken']],
      ['imports.discard', () => owner.call('imports.discard', { params: { id: imported.id } }), ['import.discarded']],
      [
        'imports.check',
        async () => owner.call('imports.check', { params: { id: (await receive()).id }, body: checking }),
        ['import.received', 'import-mapping.saved'],
      ],
      [
        'people.edit',
        () => owner.call('people.edit', { params: id, body: { language: 'de' }, ifMatch: person.version }),
        ['person.changed'],
      ],
      [
        'loginNames.add',
        () => owner.call('loginNames.add', { params: id, body: { value: 'r' } }),
        ['login-name.added'],
      ],
      [
        'loginNames.remove',
        () => owner.call('loginNames.remove', { params: { ...id, loginNameId: person.loginNames[1]!.id } }),
        ['login-name.removed'],
      ],
      [
        'people.setPassword',
        () => owner.call('people.setPassword', { params: id, body: { password: PASSWORD } }),
        ['password.set'],
      ],
      [
        'groups.join',
        () => owner.call('groups.join', { params: { id: group.id, personId: person.id } }),
        ['group.joined'],
      ],
      ['groups.join again', () => owner.call('groups.join', { params: { id: group.id, personId: person.id } }), []],
      [
        'groups.leave',
        () => owner.call('groups.leave', { params: { id: group.id, personId: person.id } }),
        ['group.left'],
      ],
      [
        'groups.edit',
        () => owner.call('groups.edit', { params: { id: group.id }, body: { name: 'h' }, ifMatch: group.version }),
        ['group.changed'],
      ],
      ['groups.delete', () => owner.call('groups.delete', { params: { id: group.id } }), ['group.deleted']],
      [
        'totp.begin',
        () => owner.call('totp.begin', { params: id, body: {} }),
        ['carrier.added', 'authenticator.begun'],
      ],
      [
        'carriers.edit',
        () => owner.call('carriers.edit', { params: { id: begun.authenticator.carrierId! }, body: { label: 'l' } }),
        ['carrier.changed'],
      ],
      [
        'carriers.edit again',
        () => owner.call('carriers.edit', { params: { id: begun.authenticator.carrierId! }, body: { label: 'l' } }),
        [],
      ],
      [
        'totp.prove',
        () => owner.call('totp.prove', { params: authenticator, body: { codes: ['000000'] } }).catch(() => undefined),
        ['authenticator.proof-failed'],
      ],
      [
        'authenticators.unlock',
        () => owner.call('authenticators.unlock', { params: authenticator }),
        ['authenticator.unlocked'],
      ],
      [
        'authenticators.revoke',
        () => owner.call('authenticators.revoke', { params: authenticator }),
        // It was never proved: what was added to carry it goes with it.
        ['authenticator.revoked', 'carrier.removed'],
      ],
      [
        'applications.edit',
        () =>
          owner.call('applications.edit', {
            params: { id: application.id },
            body: { name: 'b' },
            ifMatch: application.version,
          }),
        ['application.changed'],
      ],
      [
        'connections.edit',
        () =>
          owner.call('connections.edit', {
            params: connection,
            body: { scopes: ['check'] },
            ifMatch: issued.connection.version,
          }),
        ['connection.changed'],
      ],
      [
        'connectionKeys.issue',
        () => owner.call('connectionKeys.issue', { params: connection, body: {} }),
        ['connection-key.issued'],
      ],
      [
        'connectionKeys.revoke',
        () => owner.call('connectionKeys.revoke', { params: { ...connection, keyId: issued.keyId! } }),
        ['connection-key.revoked'],
      ],
      [
        'methods.edit',
        async () => {
          const { rows, version } = await owner.call('methods.show');
          const written = rows.map(({ group: of, cells }) => ({ group: of, cells: { ...cells } }));
          // What says the same as before is no change.
          await owner.call('methods.edit', { body: { rows: written, lockedOut: 0 }, ifMatch: version });
          written[0]!.cells.push = { enrol: false, purposes: [] };
          await owner.call('methods.edit', { body: { rows: written, lockedOut: 0 }, ifMatch: version });
        },
        ['methods.changed'],
      ],
      [
        'configuration.plan',
        () => owner.call('configuration.plan', { body: { file: 'form: 1\ngroups: [{ name: planned }]\n' } }),
        [],
      ],
      [
        'configuration.apply',
        () =>
          owner.call('configuration.apply', {
            body: { file: 'form: 1\ngroups: [{ name: applied }]\n', lockedOut: 0 },
          }),
        ['group.added', 'configuration.applied'],
      ],
      [
        'passes.give and passes.withdraw',
        async () => {
          const { pass } = await owner.call('passes.give', { params: id, body: { reason: 'r' } });
          await owner.call('passes.withdraw', { params: { id: pass.id } });
        },
        ['pass.given', 'pass.withdrawn'],
      ],
      [
        'invitationRounds.begin and print, invitations.withdraw',
        async () => {
          const who = { ids: [id.id] };
          const begun = await owner.call('invitationRounds.begin', {
            body: { who, methods: ['webauthn'], via: 'letter', expect: 1 },
          });
          const round = { params: { id: begun.id } };
          await expect.poll(async () => (await owner.call('invitationRounds.show', round)).state).toBe('done');
          await owner.call('invitationRounds.print', round);
          const { rows } = await owner.call('invitations.list', { query: { person: id.id } });
          await owner.call('invitations.sendAnew', { params: { id: rows[0]!.id } });
          await owner.call('invitations.withdraw', { params: { id: rows[0]!.id } });
        },
        ['invitations.begun', 'invitation.sent', 'invitation.printed', 'invitation.sent-anew', 'invitation.withdrawn'],
      ],
      ['passes.bounds', () => owner.call('passes.bounds'), []],
      ['recovery.make', () => owner.call('recovery.make', { params: id }), ['carrier.added', 'recovery.made']],
      ['recovery.make again', () => owner.call('recovery.make', { params: id }), ['recovery.made']],
      ['browsers.signOut', () => owner.call('browsers.signOut', { params: id }), []],
      ['connections.delete', () => owner.call('connections.delete', { params: connection }), ['connection.deleted']],
      [
        'applications.delete',
        () => owner.call('applications.delete', { params: { id: application.id } }),
        ['application.deleted'],
      ],
      [
        'accessTokens.revoke',
        () => owner.call('accessTokens.revoke', { params: { id: token.accessToken.id } }),
        ['access-token.revoked'],
      ],
      ['trail.list', () => owner.call('trail.list'), ['trail.read']],
      ['people.deactivate', () => owner.call('people.deactivate', { params: id }), ['person.deactivated']],
      ['people.reactivate', () => owner.call('people.reactivate', { params: id }), ['person.reactivated']],
      ['people.export', () => owner.call('people.export', { query: { state: 'active' } }), ['person.exported']],
      ['people.delete', () => owner.call('people.delete', { params: { id: spare.id } }), ['person.deleted']],
      ['people.list', () => owner.call('people.list'), []],
    ];
    for (const [name, work, actions] of steps) expect(await trailOf(work), name).toEqual(actions);
    const { rows } = await owner.call('trail.list', { query: { person: spare.id } });
    expect(rows.map((row) => [row.action, row.actor.name, row.person?.name, row.origin])).toEqual([
      ['person.deleted', 'Ines Marlow', null, '127.0.0.1'],
      ['person.added', 'Ines Marlow', null, '127.0.0.1'],
    ]);
  });
});
