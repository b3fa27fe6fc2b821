import { LIMITS, type Answer } from '@nimble-latch/api';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { administrator, withSignature, type Administrator } from './support/administrators.js';
import { connectedApplication, Installation, PASSWORD, personWithApp } from './support/installation.js';
import { CONSOLE, publish, rulebookOf } from './support/rulebooks.js';

/** What a countersignature is for: the very things, at the very version, as whoever signed saw them. */

let inst: Installation;
let second: Administrator;
beforeAll(async () => {
  inst = await Installation.start();
  second = await administrator(inst, 'second.owner', 'owner');
});
afterAll(async () => await inst.stop());

const asked = async (doing: Promise<unknown>): Promise<string> => {
  const problem = (await doing.then(
    () => undefined,
    (error: unknown) => error,
  )) as { problem: { code: string; facts: { request: string } } };
  expect(problem?.problem.code).toBe('signature-needed');
  return problem.problem.facts.request;
};
const groupOf = async (name: string) => (await inst.owner.call('groups.add', { body: { name } })).id;
const rename = async (id: string, name: string) => {
  const { version } = await inst.owner.call('groups.show', { params: { id } });
  await inst.owner.call('groups.edit', { params: { id }, body: { name }, ifMatch: version });
};
const give = async (id: string) => await second.client.call('signatures.give', { params: { id } });
const stateOf = async (id: string) => (await inst.owner.call('signatures.show', { params: { id } })).state;

describe('a role within groups', () => {
  it('is agreed to for the groups that were meant, and not for others that get their names', async () => {
    const { id } = await personWithApp(inst.owner, 'pia.pier');
    const grant = (groups: string[]) =>
      inst.owner.call('roles.grant', { params: { id, role: 'help-desk' }, body: { groups } });
    const pier = await groupOf('Pier');
    const request = await asked(grant([pier]));
    await give(request);
    await rename(pier, 'Old pier');
    const other = await groupOf('Pier');
    expect(await asked(grant([other]))).not.toBe(request);
    // The same group by another name than the one that was read: asked anew, and the one before says so.
    const again = await asked(grant([pier]));
    expect(again).not.toBe(request);
    expect(await stateOf(request)).toBe('overtaken');
    await expect(give(request)).rejects.toMatchObject({ code: 'wrong-state' });
    await give(again);
    expect(await grant([pier])).toMatchObject({ groups: [{ id: pier, name: 'Old pier' }] });
    expect(await stateOf(again)).toBe('done');
  });

  it('is not agreed to for one group whose name reads like two', async () => {
    const { id } = await personWithApp(inst.owner, 'ewan.west');
    const grant = (groups: string[]) =>
      inst.owner.call('roles.grant', { params: { id, role: 'help-desk' }, body: { groups } });
    const two = [await groupOf('East'), await groupOf('West')];
    const one = await groupOf('East, West');
    const request = await asked(grant(two));
    await give(request);
    expect(await asked(grant([one]))).not.toBe(request);
    expect(await asked(grant([two[0]!]))).not.toBe(request);
    expect((await grant([...two].reverse())).groups).toHaveLength(2);
  });
});

describe('what is signed', () => {
  const OPEN = rulebookOf([CONSOLE, '{ rule: Berths, at: { applications: [Berth Planner] }, then: let in }']);
  const REFUSED = rulebookOf([CONSOLE, '{ rule: Closed, at: { applications: [Berth Planner] }, then: refuse }']);
  const draft = async (text: string) => {
    const { version } = await inst.owner.call('rulebookDraft.show');
    await inst.owner.call('rulebookDraft.save', { body: { text }, ifMatch: version });
    return (await inst.owner.call('rulebookDraft.review')).lockedOut.people;
  };

  /** All whom a request concerns, as whoever signs pages through them. */
  const everybody = async (id: string) => {
    const rows: Answer<'signatures.people'>['rows'] = [];
    for (let cursor: string | undefined, first = true; first || cursor !== undefined; first = false) {
      const page = await second.client.call('signatures.people', { params: { id }, query: { limit: 20, cursor } });
      rows.push(...page.rows);
      cursor = page.next ?? undefined;
    }
    return rows;
  };

  it('is shown whole: message, names and difference; with another message it is asked anew', async () => {
    await connectedApplication(inst.owner, 'Berth Planner');
    await publish(inst.owner, OPEN);
    for (let i = 0; i < LIMITS.peopleNamed; i++) {
      const body = { displayName: `Stevedore ${i}`, loginNames: [`stevedore.${i}`] };
      const person = await inst.owner.call('people.add', { body });
      await inst.owner.call('people.setPassword', { params: { id: person.id }, body: { password: PASSWORD } });
    }
    const lockedOut = await draft(REFUSED);
    const attempt = (message: string) => inst.owner.call('rulebook.publish', { body: { message, lockedOut } });
    const request = await asked(attempt('Closed for the storm'));
    const { matter, consequence } = await second.client.call('signatures.show', { params: { id: request } });
    expect(consequence.facts).toEqual({ version: 2, people: lockedOut });
    expect(matter.message).toBe('Closed for the storm');
    expect(matter).toMatchObject({ names: { length: LIMITS.peopleNamed }, listed: lockedOut, unnamed: 0 });
    const all = await everybody(request);
    expect(new Set(all.map(({ applications }) => applications.join()))).toEqual(new Set(['Berth Planner']));
    expect(new Set(all.map(({ id }) => id)).size).toBe(lockedOut);
    expect(all.slice(0, LIMITS.peopleNamed)).toEqual(matter.names);
    expect(matter.difference.filter(({ change }) => change !== 'same').map(({ line }) => line.trim())).toEqual([
      '- { rule: Berths, at: { applications: [Berth Planner] }, then: let in }',
      '- { rule: Closed, at: { applications: [Berth Planner] }, then: refuse }',
    ]);
    await give(request);
    expect(await asked(attempt('Closed for good'))).not.toBe(request);
  });

  it('is closed when another version comes into force meanwhile, and says so', async () => {
    const lockedOut = await draft(REFUSED);
    const attempt = () => inst.owner.call('rulebook.publish', { body: { message: 'Closed', lockedOut } });
    const [given, open] = [
      await asked(attempt()),
      await asked(inst.owner.call('rulebook.publish', { body: { message: 'Shut', lockedOut } })),
    ];
    await give(given);
    await publish(inst.owner, OPEN.replace('Berths', 'Berths as before'));
    expect([await stateOf(given), await stateOf(open)]).toEqual(['overtaken', 'overtaken']);
    await expect(give(open)).rejects.toMatchObject({ code: 'wrong-state' });
    const people = await draft(REFUSED);
    expect(
      await asked(inst.owner.call('rulebook.publish', { body: { message: 'Closed', lockedOut: people } })),
    ).not.toBe(given);
    // What was asked for it is no longer among what waits.
    const waiting = await inst.owner.call('signatures.list', { query: { waiting: 'true' } });
    expect(waiting.rows.map((row) => row.id)).not.toContain(given);
  });

  it('names the lines of the method settings that change, and whom they concern', async () => {
    const { rows, version } = await inst.owner.call('methods.show');
    const next: unknown = rows.map(({ group, cells }) => ({
      group,
      cells: { ...cells, password: { ...cells.password!, purposes: [] } },
    }));
    const body = { rows: next as typeof rows };
    const { people } = await inst.owner.call('methods.review', { body });
    expect(people).toBeGreaterThan(0);
    const edit = () => inst.owner.call('methods.edit', { body: { ...body, lockedOut: people }, ifMatch: version });
    const request = await asked(edit());
    const { matter } = await second.client.call('signatures.show', { params: { id: request } });
    expect(matter.listed + matter.unnamed).toBe(people);
    expect(matter.difference.filter(({ change }) => change === 'taken').map(({ line }) => line.trim())).toContain(
      '- sign-in',
    );
    await inst.owner.call('signatures.withdraw', { params: { id: request } });
  });

  it('is for what needs a signature too: other settings of it close what was asked for', async () => {
    const { settings, version } = await inst.owner.call('settings.show');
    const edit = (waitMinutes: number, ifMatch: number) =>
      inst.owner.call('settings.edit', {
        body: { ...settings, countersign: { ...settings.countersign, waitMinutes } },
        ifMatch,
      });
    const request = await asked(edit(30, version));
    await withSignature(second.client, () => edit(45, version));
    expect(await stateOf(request)).toBe('overtaken');
  });
});
