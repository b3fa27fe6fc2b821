import type { Answer } from '@nimble-latch/api';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { nlatchWithin } from './support/client.js';
import { administrator, withSignature } from './support/administrators.js';
import { connectedApplication, Installation, personWithApp } from './support/installation.js';
import { CONSOLE, publish, rulebookOf } from './support/rulebooks.js';

let inst: Installation;
const people = new Map<string, string>();
beforeAll(async () => {
  inst = await Installation.start(2);
  for (const name of ['Payroll', 'Berth Planner']) await connectedApplication(inst.owner, name);
  for (const name of ['ada.quay', 'bea.quay', 'cas.quay']) people.set(name, (await personWithApp(inst.owner, name)).id);
  await inst.owner.call('networks.add', {
    body: { name: 'tower', ranges: ['10.1.0.0/16'], country: null, city: null, anonymising: false },
  });
  await publish(
    inst.owner,
    rulebookOf(
      [CONSOLE, '{ rule: Wages, at: { applications: [Payroll] }, then: { ask for: [password + totp] } }'],
      '{ ask for: [password + totp] }',
    ),
  );
});
afterAll(async () => await inst.stop());

const save = async (text: string) => {
  const { version } = await inst.owner.call('rulebookDraft.show');
  await inst.owner.call('rulebookDraft.save', { body: { text }, ifMatch: version });
  return await inst.owner.call('rulebookDraft.review');
};
const book = (wages: string, otherwise = '{ ask for: [password + totp] }') => rulebookOf([CONSOLE, wages], otherwise);
const WAGES = (more: string, then = '{ ask for: [password + totp] }') =>
  `{ rule: Wages, at: { applications: [Payroll] }, ${more}then: ${then} }`;
const eased = ({ loosened }: Answer<'rulebookDraft.review'>) =>
  loosened.named.flatMap(({ displayName, eased: all }) =>
    all.map(({ application, networks, before, after }) => [
      displayName,
      application,
      networks.join(),
      before?.way ?? null,
      after.way,
    ]),
  );
const nlatch = async (...args: string[]) =>
  await nlatchWithin(args, {
    env: {
      PATH: process.env['PATH']!,
      HOME: '/nonexistent',
      NLATCH_TOKEN: inst.ownerToken,
      NLATCH_SERVER: inst.url,
      TZ: 'UTC',
      COLUMNS: '120',
    },
    input: '',
  });

describe('a review', () => {
  it('names who would need less than today, where and from what networks', async () => {
    expect((await save(book(WAGES('')))).loosened).toEqual({ people: 0, named: [] });
    const lenient = await save(book(WAGES('', '{ ask for: [password] }')));
    expect(eased(lenient).sort()).toEqual([
      // The owner has no app: they could not get in at all.
      ['Ines Marlow', 'Payroll', '', null, 'password'],
      ['ada.quay', 'Payroll', '', 'password + totp', 'password'],
      ['bea.quay', 'Payroll', '', 'password + totp', 'password'],
      ['cas.quay', 'Payroll', '', 'password + totp', 'password'],
    ]);
    // Stricter is nothing to be named, and another way worth as much is neither.
    expect((await save(book(WAGES('', 'refuse')))).loosened.people).toBe(0);
    expect((await save(book(WAGES('', '{ ask for: [totp + password] }')))).loosened.people).toBe(0);
    // From the tower alone; elsewhere as before.
    const tower = await save(
      rulebookOf(
        [
          CONSOLE,
          '{ rule: Tower, at: { applications: [Payroll] }, from: { networks: [tower] }, then: { ask for: [password] } }',
          WAGES(''),
        ],
        '{ ask for: [password + totp] }',
      ),
    );
    expect(eased(tower).find(([name]) => name === 'ada.quay')).toEqual([
      'ada.quay',
      'Payroll',
      'tower',
      'password + totp',
      'password',
    ]);
    // What is remembered for longer is asked less often.
    const remembered = await save(book(WAGES('remember browser: 9 days, ')));
    expect(remembered.loosened.named[0]!.eased[0]).toMatchObject({
      before: { rememberedDays: 0 },
      after: { rememberedDays: 9 },
    });
    const grace = await save(book(WAGES('grace: { days: 3, last day: 2099-01-01 }, ')));
    expect(eased(grace)).toEqual([['Ines Marlow', 'Payroll', '', null, 'password']]);
    expect(grace.loosened.named[0]!.eased[0]!.after.grace).toBe(true);
  });

  it('says of an exception that it helps nobody where the rules below ask as much, and what would', async () => {
    const except = (more = '') =>
      WAGES(`except: [{ person: ada.quay, reason: broken hand, until: 2099-01-01${more} }], `);
    const idle = await save(book(except()));
    expect(idle.findings).toContainEqual({
      what: 'exception-no-help',
      rule: 'Wages',
      facts: { name: 'ada.quay', by: 'otherwise' },
    });
    expect(idle.loosened.people).toBe(0);
    expect((await nlatch('rulebook', 'review')).out).toContain(
      'ada.quay is excepted here, and asked as much by otherwise',
    );
    // A rule below that asks less helps; one that asks more does not.
    const helped = await save(book(except(), '{ ask for: [password] }'));
    expect(helped.findings.map(({ what }) => what)).not.toContain('exception-no-help');
    // Said what holds instead, that is what holds, and for nobody else.
    const instead = await save(book(except(', instead: { ask for: [password] }')));
    expect(instead.findings.map(({ what }) => what)).not.toContain('exception-no-help');
    expect(eased(instead)).toEqual([['ada.quay', 'Payroll', '', 'password + totp', 'password']]);
    expect(instead.changes).toMatchObject([{ what: 'changed', after: { except: [{ instead: { kind: 'ways' } }] } }]);
    await inst.owner.call('rulebook.publish', { body: { message: 'a broken hand', lockedOut: 0, loosened: 1 } });
    const meets = async (name: string) =>
      (await inst.nodes[1]!.owner.call('people.meets', { params: { id: people.get(name)! } })).rows.find(
        ({ application }) => application.name === 'Payroll',
      );
    await expect.poll(async () => (await meets('ada.quay'))?.asks).toEqual(['password']);
    expect((await meets('bea.quay'))?.asks).toEqual(['password', 'code']);
    const told = await nlatch('explain', 'ada.quay', '--at', 'Payroll');
    expect(told.out).toContain('decides, by its exception for ada.quay until 2099-01-01: broken hand');
  });

  it('gives every name, a page at a time, to the client as a table or as CSV, and is not published by another number', async () => {
    for (let i = 0; i < 60; i++)
      await inst.owner.call('people.add', { body: { displayName: `Crew ${i}`, loginNames: [`crew.${i}`] } });
    const text = rulebookOf([CONSOLE], '{ ask whoever has one: [password + totp] }');
    const review = await save(text);
    // Without a password nobody gets in, so the crew needs no less; the owner does.
    expect(review.loosened.people).toBe(1);
    for (const [i, id] of (await inst.owner.call('people.list', { query: { q: 'crew', limit: 200 } })).rows
      .map(({ id: one }) => one)
      .entries())
      if (i < 57)
        await inst.owner.call('people.setPassword', {
          params: { id },
          body: { password: 'herons over the breakwater' },
        });
    const again = await inst.owner.call('rulebookDraft.review');
    expect(again.loosened.people).toBe(58);
    expect(again.loosened.named).toHaveLength(50);
    const names = new Set<string>();
    let cursor: string | undefined;
    do {
      const page = await inst.owner.call('rulebookDraft.people', {
        query: { only: 'eased', limit: 25, ...(cursor ? { cursor } : {}) },
      });
      expect(page.rows.length).toBeLessThanOrEqual(25);
      for (const { displayName } of page.rows) names.add(displayName);
      cursor = page.next ?? undefined;
    } while (cursor);
    expect(names.size).toBe(58);
    expect((await inst.owner.call('rulebookDraft.people', { query: { only: 'locked-out' } })).rows).toEqual([]);
    const csv = await nlatch('rulebook', 'people', '--all', '--csv');
    expect(csv.out.trim().split('\n')).toHaveLength(59);
    expect(csv.out).toContain('not at all → password');
    const cut = await nlatch('rulebook', 'people', '--limit', '10', '--csv');
    expect(cut.err).toContain('--cursor');
    await expect(
      inst.owner.call('rulebook.publish', { body: { message: 'less', lockedOut: 0, loosened: 3 } }),
    ).rejects.toMatchObject({ code: 'count-changed', problem: { facts: { expected: 3, people: 58 } } });
  }, 120_000);

  it('that asks less of people needs a second yes where the settings say so', async () => {
    const second = await administrator(inst, 'second.owner', 'owner');
    const { settings, version } = await inst.owner.call('settings.show');
    expect(settings.countersign.actions).not.toContain('loosening');
    await withSignature(second.client, async () =>
      inst.owner.call('settings.edit', {
        body: {
          ...settings,
          countersign: { ...settings.countersign, actions: [...settings.countersign.actions, 'loosening'] },
        },
        ifMatch: version,
      }),
    ).catch(() => undefined);
    await expect
      .poll(async () => (await inst.owner.call('settings.show')).settings.countersign.actions)
      .toContain('loosening');
    await save(book(WAGES('', '{ ask for: [password] }')));
    const go = async () => inst.owner.call('rulebook.publish', { body: { message: 'less at Payroll', lockedOut: 0 } });
    await expect(go()).rejects.toMatchObject({ code: 'signature-needed' });
    const { rows } = await second.client.call('signatures.list', { query: {} });
    expect(rows[0]).toMatchObject({ action: 'loosening', state: 'open' });
    expect(await inst.owner.call('rulebook.show')).not.toMatchObject({
      rulebook: { rules: [{}, { then: { kind: 'ways', ways: [{ way: 'password' }] } }] },
    });
  });
});
