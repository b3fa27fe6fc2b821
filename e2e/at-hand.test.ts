import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { administrator, tokenOf, type Administrator } from './support/administrators.js';
import { Installation, personWithApp } from './support/installation.js';
import { CONSOLE, publish, rulebookOf } from './support/rulebooks.js';

/** What a node keeps at hand for some seconds is asked right after it was changed on another one. */

let inst: Installation;
let editor: Administrator;
let target: { id: string };
beforeAll(async () => {
  inst = await Installation.start(2);
  editor = await administrator(inst, 'editor', 'owner');
  target = await inst.owner.call('people.add', { body: { displayName: 'Ada', loginNames: ['ada'] } });
});
afterAll(async () => await inst.stop());
const elsewhere = (token = editor.token) => inst.client(inst.nodes[1]!.url, token);

describe('what was changed on another node a moment ago', () => {
  it('asks for a countersignature already', async () => {
    const set = async (actions: ('role-change' | 'lock-out')[]) => {
      const { settings, version } = await inst.owner.call('settings.show');
      const body = { ...settings, countersign: { ...settings.countersign, actions } };
      return await inst.owner.call('settings.edit', { body, ifMatch: version });
    };
    const role = { id: target.id, role: 'auditor' as const };
    await inst.sql("INSERT IGNORE INTO settings (id, data, version) VALUES (1, '{}', 1)");
    await inst.sql("UPDATE settings SET data = JSON_SET(data, '$.countersign.actions', JSON_ARRAY()) WHERE id = 1");
    await new Promise((resolve) => setTimeout(resolve, 3_100));
    // The other node reads the settings, and keeps them at hand.
    await elsewhere().call('roles.grant', { params: role, body: {} });
    await elsewhere().call('roles.revoke', { params: role });
    await set(['role-change', 'lock-out']);
    await expect(elsewhere().call('roles.grant', { params: role, body: {} })).rejects.toMatchObject({
      code: 'signature-needed',
    });
  });

  it('counts for who is locked out by a rulebook', async () => {
    await personWithApp(inst.owner, 'crane');
    await inst.owner.call('applications.add', { body: { name: 'Berth Planner' } });
    await publish(inst.owner, rulebookOf([CONSOLE], 'let in'));
    const draft = rulebookOf(
      [CONSOLE, '{ rule: Berths, at: { applications: [Berth Planner] }, then: { ask for: [password + totp] } }'],
      'let in',
    );
    const { version } = await elsewhere().call('rulebookDraft.show');
    await elsewhere().call('rulebookDraft.save', { body: { text: draft }, ifMatch: version });
    const before = await elsewhere().call('rulebookDraft.review');
    const methods = await inst.owner.call('methods.show');
    const plain = { enrol: true, purposes: ['sign-in' as const] };
    const cells = { password: plain, totp: { ...plain, purposes: [] } };
    await inst.owner.call('methods.edit', {
      body: { rows: [{ group: null, cells }], lockedOut: 0 },
      ifMatch: methods.version,
    });
    await expect(
      elsewhere().call('rulebook.publish', { body: { message: 'as it was', lockedOut: before.lockedOut.people } }),
    ).rejects.toMatchObject({ problem: { code: 'count-changed', facts: { people: before.lockedOut.people + 1 } } });
  });

  it('takes away what a role may', async () => {
    const desk = await administrator(inst, 'desk', 'help-desk');
    const there = elsewhere(await tokenOf(inst, 'desk'));
    await there.call('people.list');
    await inst.sql('UPDATE settings SET data = JSON_SET(data, "$.countersign.actions", JSON_ARRAY()) WHERE id = 1');
    await inst.owner.call('roles.revoke', { params: { id: desk.id, role: 'help-desk' } });
    await expect(there.call('people.list')).rejects.toMatchObject({ problem: { code: /not-signed-in|no-role/ } });
  });
});
