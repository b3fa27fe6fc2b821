import { afterAll, beforeAll, expect, it } from 'vitest';
import { connectedApplication, Installation, PASSWORD, personWithApp } from './support/installation.js';
import { CONSOLE, publish, rulebookOf } from './support/rulebooks.js';

let inst: Installation;
let ada: Awaited<ReturnType<typeof personWithApp>>;
let app: Awaited<ReturnType<typeof connectedApplication>>;

beforeAll(async () => {
  inst = await Installation.start();
  ada = await personWithApp(inst.owner, 'ada.quay');
  app = await connectedApplication(inst.owner, 'Payroll', { claims: ['source-address', 'risk'] });
  for (const [name, range, country, anonymising] of [
    ['port', '198.51.100.0/24', 'GB', false],
    ['abroad', '203.0.113.0/24', 'FR', false],
    ['exits', '192.0.2.0/24', null, true],
  ] as const)
    await inst.owner.call('networks.add', { body: { name, ranges: [range], country, anonymising } });
  await publish(
    inst.owner,
    rulebookOf(
      [
        CONSOLE,
        '{ rule: Too risky, at: { applications: [Payroll] }, risk at least: 0.9, then: refuse }',
        '{ rule: Risky, at: { applications: [Payroll] }, risk at least: 0.3, then: { ask for: [password + totp] } }',
      ],
      '{ ask for: [password] }',
    ),
  );
});
afterAll(async () => await inst.stop());

const client = () => inst.client(inst.url, app.key);
const meets = async (sourceAddress: string, claims: object = {}, loginName = 'ada.quay') => {
  const { id } = await client().call('signIns.begin', { body: { loginName, claims: { sourceAddress, ...claims } } });
  const answer = await client().call('signIns.prove', {
    params: { id },
    body: { kind: 'password', value: PASSWORD },
  });
  const story = await inst.owner.call('activity.show', { params: { id } });
  return { ...answer, id, risk: story.risk, signals: story.signals.map(({ signal }) => signal) };
};

it('goes by what is noticed: nothing the first time, a new source, too far too soon, a network that hides people', async () => {
  expect(await meets('198.51.100.7')).toMatchObject({ state: 'let-in', risk: 0, signals: [] });
  expect(await meets('198.51.100.9')).toMatchObject({ state: 'let-in', signals: [] });
  const abroad = await meets('203.0.113.5');
  expect(abroad).toMatchObject({ state: 'asking', risk: 0.72, signals: ['new-network', 'too-far'] });
  const hidden = await meets('192.0.2.5');
  expect(hidden).toMatchObject({ state: 'asking', risk: 0.65, signals: ['new-network', 'anonymising-network'] });
  const said = await meets('198.51.100.7', { risk: 0.95 });
  expect(said).toMatchObject({ state: 'refused', reason: 'refused-by-rule', signals: ['application'] });
  // Somebody unknown meets the same as somebody without a past.
  expect((await meets('192.0.2.5', {}, 'nobody.at.all')).state).toBe('asking');
});

it('is weighed by the settings', async () => {
  const { settings, version } = await inst.owner.call('settings.show');
  const risk = { ...settings.risk, 'too-far': 0, 'new-network': 0.1 };
  await inst.owner.call('settings.edit', { body: { ...settings, risk }, ifMatch: version });
  expect(await meets('203.0.113.5')).toMatchObject({ state: 'let-in', risk: 0.1 });
  await inst.owner.call('settings.edit', { body: settings, ifMatch: version + 1 });
});

it('is judged by an administrator: who it was is familiar from then on, who it was not loses what is open', async () => {
  const abroad = await meets('203.0.113.77');
  // Let in from there once by the weights above, so only the distance is left of it.
  expect(abroad.signals).not.toContain('new-network');
  const hidden = await meets('192.0.2.9');
  expect(hidden.signals).toEqual(['new-network', 'anonymising-network']);
  await expect(
    inst.owner.call('activity.judge', { params: { id: hidden.id }, body: { verdict: 'dismissed' } }),
  ).rejects.toMatchObject({ code: 'wrong-state' });
  await client().call('signIns.cancel', { params: { id: hidden.id } });
  const judge = async (verdict: 'confirmed' | 'dismissed') =>
    await inst.owner.call('activity.judge', { params: { id: hidden.id }, body: { verdict } });
  expect((await judge('dismissed')).judged).toBe('dismissed');
  expect((await meets('192.0.2.9')).signals).toEqual(['anonymising-network']);
  await inst.sql(
    `INSERT INTO browser_sessions (id, person_id, hash, hash_key_id, proofs, label, created_at, seen_at, expires_at)
     VALUES (RANDOM_BYTES(16), UNHEX(?), RANDOM_BYTES(32), RANDOM_BYTES(16), '[]', '', UTC_TIMESTAMP(3), UTC_TIMESTAMP(3), UTC_TIMESTAMP(3) + INTERVAL 1 HOUR)`,
    [ada.id.replaceAll('-', '')],
  );
  expect((await judge('confirmed')).judged).toBe('confirmed');
  expect((await meets('192.0.2.9')).signals).toEqual(['new-network', 'anonymising-network']);
  expect((await inst.owner.call('browsers.list', { params: { id: ada.id } })).sessions).toEqual([]);
});

it('counts wrong proofs just before', async () => {
  const { id } = await client().call('signIns.begin', {
    body: { loginName: 'ada.quay', claims: { sourceAddress: '198.51.100.7' } },
  });
  for (let i = 0; i < 3; i++)
    await client().call('signIns.prove', { params: { id }, body: { kind: 'password', value: 'not this one' } });
  // Let in from abroad some seconds ago, too.
  expect(await meets('198.51.100.7')).toMatchObject({ risk: 0.76, signals: ['failures-before', 'too-far'] });
});
