import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { administrator, type Administrator } from './support/administrators.js';
import { connectedApplication, Installation, outcomes, PASSWORD, personWithApp } from './support/installation.js';
import { CONSOLE, publish, rulebookOf } from './support/rulebooks.js';

let inst: Installation;
let editor: Administrator;
let berths: Awaited<ReturnType<typeof connectedApplication>>;
beforeAll(async () => {
  inst = await Installation.start(2);
  editor = await administrator(inst, 'osric.vane', 'rulebook-editor');
  berths = await connectedApplication(inst.owner, 'Berth Planner');
});
afterAll(async () => await inst.stop());

const save = async (text: string) => {
  const { version } = await inst.owner.call('rulebookDraft.show');
  return await inst.owner.call('rulebookDraft.save', { body: { text }, ifMatch: version });
};
const REFUSED = rulebookOf([CONSOLE, '{ rule: Not here, at: { applications: [Berth Planner] }, then: refuse }']);

describe('a draft', () => {
  it('is kept as it is, changes nothing that is in force, and is nobody else’s to overwrite unseen', async () => {
    const first = await inst.owner.call('rulebookDraft.show');
    expect(first).toMatchObject({ begun: false, basedOn: 0 });
    const saved = await inst.owner.call('rulebookDraft.save', {
      body: { text: 'form: 1\nrules: [' },
      ifMatch: first.version,
    });
    expect(saved).toMatchObject({ begun: true, text: 'form: 1\nrules: [', changedBy: { displayName: 'Ines Marlow' } });
    await expect(
      editor.client.call('rulebookDraft.save', { body: { text: REFUSED }, ifMatch: first.version }),
    ).rejects.toMatchObject({ code: 'changed-meanwhile' });
    const review = await inst.owner.call('rulebookDraft.review');
    expect(review).toMatchObject({ rulebook: null, problems: [{ what: 'not-yaml' }] });
    await expect(
      inst.owner.call('rulebook.publish', { body: { message: 'broken', lockedOut: 0 } }),
    ).rejects.toMatchObject({ code: 'draft-unsound' });
    expect(await inst.owner.call('rulebook.show')).toMatchObject({ number: 0, draft: true });
    await inst.owner.call('rulebookDraft.discard');
    await expect(inst.owner.call('rulebookDraft.review')).rejects.toMatchObject({ code: 'draft-missing' });
  });
});

describe('publishing', () => {
  it('puts a version in force on every node within seconds, and each says which it runs', async () => {
    const { id } = await personWithApp(inst.owner, 'ada.quay');
    const meets = async (node: number) =>
      (await inst.nodes[node]!.owner.call('people.meets', { params: { id } })).rows.find(
        (row) => row.application.name === 'Berth Planner',
      );
    expect(await meets(1)).toMatchObject({ outcome: 'let-in', rule: null });
    const lenient = rulebookOf([CONSOLE, '{ rule: Berths, at: { applications: [berth planner] }, then: let in }']);
    expect(await publish(inst.owner, lenient)).toMatchObject({
      number: 1,
      lockedOut: 0,
      publishedBy: { displayName: 'Ines Marlow' },
    });
    const at = performance.now();
    expect(await meets(0)).toMatchObject({ outcome: 'let-in', asks: ['password'], rule: 'Berths' });
    await expect.poll(async () => (await meets(1))?.rule).toBe('Berths');
    expect(performance.now() - at).toBeLessThan(5_000);
    await expect
      .poll(async () => (await inst.owner.call('rulebook.show')).nodes.map((node) => node.version))
      .toEqual([1, 1]);
    expect(await inst.owner.call('rulebookDraft.show')).toMatchObject({ begun: false, basedOn: 1, text: lenient });
  });

  it('says what changes and whom it would lock out by name, and does nothing by another number', async () => {
    await save(REFUSED);
    const review = await inst.owner.call('rulebookDraft.review');
    expect(
      review.difference.filter(({ change }) => change !== 'same').map(({ line, change }) => [change, line.trim()]),
    ).toEqual([
      ['taken', '- { rule: Berths, at: { applications: [berth planner] }, then: let in }'],
      ['added', '- { rule: Not here, at: { applications: [Berth Planner] }, then: refuse }'],
    ]);
    // Everybody with a password got in: the owner, the editor, and Ada.
    expect(review.lockedOut).toMatchObject({ people: 3, of: 3, examined: 3 });
    expect(review.lockedOut.named.map(({ displayName, applications }) => [displayName, applications])).toEqual([
      ['Ines Marlow', ['Berth Planner']],
      ['osric.vane', ['Berth Planner']],
      ['ada.quay', ['Berth Planner']],
    ]);
    expect(review.findings).toMatchObject([{ what: 'publisher-locked-out', facts: { application: 'Berth Planner' } }]);
    await expect(
      inst.owner.call('rulebook.publish', { body: { message: 'locks', lockedOut: 0 } }),
    ).rejects.toMatchObject({ code: 'count-changed', problem: { facts: { expected: 0, people: 3 } } });
  });

  it('needs a second administrator where people are locked out, for exactly this text', async () => {
    const attempt = async () =>
      await inst.owner.call('rulebook.publish', { body: { message: 'closed', lockedOut: 3 } });
    await expect(attempt()).rejects.toMatchObject({ code: 'signature-needed' });
    const { rows } = await editor.client.call('signatures.list', { query: { waiting: 'true' } });
    expect(rows).toMatchObject([
      { action: 'lock-out', consequence: { what: 'rulebook-locks-out', facts: { version: 2, people: 3 } } },
    ]);
    await editor.client.call('signatures.give', { params: { id: rows[0]!.id } });
    // Another text needs another yes.
    await save(REFUSED.replace('Not here', 'Closed'));
    await expect(attempt()).rejects.toMatchObject({ code: 'signature-needed' });
    await save(REFUSED);
    expect(await attempt()).toMatchObject({ number: 2, lockedOut: 3 });
    const { rows: trail } = await inst.owner.call('trail.list', { query: { area: 'rulebook' } });
    expect(trail[0]).toMatchObject({ action: 'rulebook.published', details: { version: 2, lockedOut: 3 } });
  });

  it('happens once, whoever else publishes the same draft at the same moment', async () => {
    await save(rulebookOf([CONSOLE]));
    const body = { message: 'once', lockedOut: 0 };
    const tried = await outcomes(inst.nodes.map((node) => node.owner.call('rulebook.publish', { body })));
    expect(tried.filter((one) => one === 'draft-missing')).toHaveLength(1);
    expect(tried.find((one) => typeof one === 'object')).toMatchObject({ number: 3 });
  });

  it('keeps what names mean when things are renamed, and says so in the next draft', async () => {
    const group = await inst.owner.call('groups.add', { body: { name: 'quay-crew' } });
    const { id } = await personWithApp(inst.owner, 'bo.crane');
    await inst.owner.call('groups.join', { params: { id: group.id, personId: id } });
    const text = rulebookOf([CONSOLE, '{ rule: Gloves, who: { groups: [quay-crew] }, then: let in }']);
    await publish(inst.owner, text);
    const decidedBy = async () =>
      (await inst.owner.call('people.explain', { params: { id }, query: { application: berths.id } })).decidedBy;
    expect(await decidedBy()).toBe('Gloves');
    await inst.owner.call('groups.edit', {
      params: { id: group.id },
      body: { name: 'dockers' },
      ifMatch: group.version,
    });
    // Somebody else takes the name: it is not theirs in a rule that was published before.
    const heir = await inst.owner.call('groups.add', { body: { name: 'quay-crew' } });
    expect(await decidedBy()).toBe('Gloves');
    await inst.owner.call('groups.delete', { params: { id: heir.id } });
    // What a rule names cannot be deleted from under it.
    await expect(inst.owner.call('groups.delete', { params: { id: group.id } })).rejects.toMatchObject({
      code: 'named-by-rule',
      problem: { facts: { rule: 'Gloves', version: 4 } },
    });
    await save(`${text}# later\n`);
    const { findings } = await inst.owner.call('rulebookDraft.review');
    expect(findings).toMatchObject([{ what: 'name-changed', facts: { name: 'quay-crew', now: 'dockers' } }]);
    await inst.owner.call('rulebook.publish', { body: { message: 'still they', lockedOut: 0 } });
    expect(await decidedBy()).toBe('Gloves');
  });

  it('keeps every version, and any can be brought back', async () => {
    const { rows } = await inst.owner.call('rulebook.versions', { query: { limit: 2 } });
    expect(rows.map((row) => row.number)).toEqual([5, 4]);
    const first = await inst.owner.call('rulebook.version', { params: { number: 1 } });
    expect(first.rulebook.rules.map((rule) => rule.name)).toEqual(['Console', 'Berths']);
    await expect(inst.owner.call('rulebook.version', { params: { number: 9 } })).rejects.toMatchObject({
      code: 'not-found',
    });
    expect(await publish(inst.owner, first.text)).toMatchObject({ number: 6, text: first.text });
  });

  it('names what would leave administrators and emergency accounts without a way in', async () => {
    const spare = await inst.owner.call('people.add', { body: { displayName: 'Spare', loginNames: ['spare'] } });
    await inst.owner.call('people.setPassword', { params: { id: spare.id }, body: { password: PASSWORD } });
    await inst.sql("UPDATE persons SET emergency = 1 WHERE display_name = 'Spare'");
    await inst.sql(
      "INSERT INTO role_grants (person_id, role, granted_at, limited) SELECT id, 'owner', UTC_TIMESTAMP(3), 0 FROM persons WHERE display_name = 'Spare'",
    );
    await save(
      rulebookOf(['{ rule: Keys, at: { applications: [Console] }, then: { ask for: [password + certificate] } }']),
    );
    const { findings, lockedOut } = await inst.owner.call('rulebookDraft.review');
    expect(findings.map(({ what, rule }) => [what, rule])).toEqual([
      ['publisher-locked-out', null],
      ['emergency-asked', null],
      ['way-not-possible', 'Keys'],
      ['not-carried', 'Keys'],
    ]);
    expect(lockedOut.named[0]).toMatchObject({
      displayName: 'Ines Marlow',
      applications: ['Berth Planner', 'Console'],
    });
  });
});
