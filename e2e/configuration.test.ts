import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { configurationSchema } from '@nimble-latch/api/openapi';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { ROOT } from '../scripts/lib/installation.mjs';
import { nlatchWithin } from './support/client.js';
import { administrator } from './support/administrators.js';
import { connectedApplication, Installation, personWithApp } from './support/installation.js';
import { CONSOLE, publish, rulebookOf } from './support/rulebooks.js';

let inst: Installation;
let other: Installation;
let file: string;

beforeAll(async () => {
  [inst, other] = await Promise.all([Installation.start(), Installation.start(2)]);
  const { owner } = inst;
  const crew = await owner.call('groups.add', { body: { name: 'quay-crew', description: 'Gloves' } });
  const whole = await owner.call('groups.add', { body: { name: 'harbour' } });
  await owner.call('groups.addPart', { params: { id: whole.id, partId: crew.id } });
  await owner.call('networks.add', {
    body: { name: 'tower', ranges: ['10.1.0.0/16'], country: 'GB', city: 'Wexmoor' },
  });
  await connectedApplication(owner, 'Vessel Traffic', { claims: ['source-address'] });
  const payroll = await owner.call('applications.add', { body: { name: 'Payroll', description: 'Wages' } });
  await owner.call('connections.add', {
    params: { id: payroll.id },
    body: { kind: 'oidc', oidc: { redirectUris: ['https://pay.wexmoor.example/in'] } },
  });
  const { rows, version } = await owner.call('methods.show');
  const everybody = { group: null, cells: rows[0]!.cells };
  await owner.call('methods.edit', {
    body: {
      rows: [{ group: crew.id, cells: { totp: { enrol: false, purposes: ['sign-in'] } } }, everybody],
      lockedOut: 0,
    },
    ifMatch: version,
  });
  const rule =
    '{ rule: Tower, who: { groups: [harbour] }, at: { applications: [Payroll] }, from: { networks: [tower] }, then: let in }';
  await publish(owner, `# Kept as it is\n${rulebookOf([CONSOLE, rule])}`);
  file = await owner.call('configuration.show');
});
afterAll(async () => await Promise.all([inst.stop(), other.stop()]));

const plan = async (text: string) => await other.owner.call('configuration.plan', { body: { file: text } });
const changes = ({ steps }: Awaited<ReturnType<typeof plan>>) =>
  steps
    .filter(({ change }) => change !== 'same')
    .map(({ part, name, change, fields }) => [part, name, change, ...fields].join(' '));
const state = async () =>
  (
    await other.sql(
      'SELECT (SELECT COUNT(*) FROM networks) n, (SELECT COUNT(*) FROM person_groups) g, (SELECT COUNT(*) FROM applications) a, (SELECT COUNT(*) FROM connections) c, (SELECT version FROM rulebook_draft) d, (SELECT MAX(number) FROM trail_entries) t',
    )
  )[0];

describe('a configuration', () => {
  it('is what it says of itself: bringing it in where it came from changes nothing', async () => {
    const again = await inst.owner.call('configuration.plan', { body: { file } });
    expect(again.steps.every(({ change }) => change === 'same')).toBe(true);
    expect(file).toContain('# Kept as it is');
    // One of the actions that need a countersignature is named after secrets; nothing else is.
    expect(file.replaceAll('secret-export', '')).not.toMatch(/nlk_|secret|password_sealed/);
    const schema = JSON.parse(readFileSync(join(ROOT, 'docs/config.schema.json'), 'utf8')) as object;
    expect(schema).toEqual(JSON.parse(JSON.stringify(configurationSchema())));
  });

  it('is planned without leaving a trace, brought in whole elsewhere, and then the same there', async () => {
    await other.owner.call('networks.add', { body: { name: 'Tower', ranges: ['10.7.0.0/16'] } });
    const before = await state();
    expect(changes(await plan(file))).toEqual([
      'network tower changed name country city ranges',
      'group harbour added',
      'group quay-crew added',
      'application Payroll added',
      'application Vessel Traffic added',
      'connection Payroll / OpenID Connect added',
      'connection Vessel Traffic / HTTP added',
      'methods  changed rows',
      'rulebook  changed text',
    ]);
    expect(await state()).toEqual(before);
    const applied = await other.owner.call('configuration.apply', { body: { file, lockedOut: 0 } });
    expect(applied.signature).toBe(false);
    const rest = changes(await plan(file));
    expect(rest).toEqual(['rulebook  changed text']);
    const { version } = await other.owner.call('rulebookDraft.show');
    expect(version).toBe(2);
    await other.owner.call('rulebook.publish', { body: { message: 'promoted', lockedOut: 0 } });
    expect(changes(await plan(file))).toEqual([]);
    const { rows } = await other.owner.call('trail.list', { query: { action: 'configuration.applied' } });
    expect(rows).toMatchObject([{ actor: { name: 'Ines Marlow' }, details: { added: 6, changed: 3, lockedOut: 0 } }]);
    // Connections have no key that nobody has seen.
    expect((await other.sql('SELECT id FROM connection_keys')).length).toBe(0);
  });

  it('is refused whole, with line and place, where anything in it is wrong', async () => {
    const before = await state();
    const wrong = async (text: string) =>
      await other.owner.call('configuration.apply', { body: { file: text, lockedOut: 0 } }).then(
        () => [],
        (error: { code: string; problem: { issues?: { where: string; what: string }[] } }) => [
          error.code,
          ...(error.problem.issues ?? []).map(({ where }) => where),
        ],
      );
    const late = file.replace('10.1.0.0/16', '10.2.0.0/16').replace(/group: quay-crew/, 'group: cranes');
    const line = late.split('\n').findIndex((text) => text.includes('cranes')) + 1;
    expect(await wrong(late)).toEqual(['configuration-unsound', `line ${line}: methods[0].group`]);
    expect(
      await wrong('form: 1\nnetworks:\n  - { name: a, ranges: [10.0.0.1/99] }\n  - { nome: b, ranges: [] }\n'),
    ).toEqual([
      'configuration-unsound',
      'line 4: networks[1].name',
      'line 4: networks[1].ranges',
      'line 4: networks[1].nome',
    ]);
    expect(await wrong('form: 1\nnetworks:\n  - { name: a, ranges: [10.0.0.1/99] }\n')).toEqual([
      'configuration-unsound',
      'line 3: networks[0].ranges[0]',
    ]);
    for (const text of ['form: 1\nform: 1\n', 'a: &x [1]\nb: *x\n', 'form: !!js 1', '{', '', 'form: 2'])
      expect((await wrong(text))[0], text).toBe('configuration-unsound');
    const kind = file.replace(
      /kind: http/,
      'kind: oidc\n        oidc: { client: public, redirectUris: [https://a.example/b] }',
    );
    expect(await wrong(kind)).toEqual(['configuration-unsound', expect.stringContaining('.kind')]);
    // Who a client is was settled when it was connected; its file is not read past that.
    const client = file.replace('client: confidential', 'client: public');
    expect(client).not.toBe(file);
    expect(await wrong(client)).toEqual(['configuration-unsound', expect.stringContaining('.oidc.client')]);
    await other.owner.call('rulebookDraft.save', { body: { text: rulebookOf([]) }, ifMatch: 3 });
    expect(await wrong(file.replace('Kept as it is', 'Another'))).toEqual(['draft-in-the-way']);
    await other.owner.call('rulebookDraft.discard');
    const { t: _was, d: _draft, ...rest } = (await state())!;
    expect(before).toMatchObject(rest);
  });

  it('gives nobody a right that they lack, and asks a second administrator where one would be asked', async () => {
    const editor = await administrator(other, 'editor', 'rulebook-editor');
    const only = (part: string) => `form: 1\n${part}\n`;
    await editor.client.call('configuration.plan', { body: { file: only('rulebook: "form: 1"') } });
    await expect(
      editor.client.call('configuration.apply', {
        body: { file: only('groups: [{ name: mine }]'), lockedOut: 0 },
      }),
    ).rejects.toMatchObject({ code: 'not-permitted' });
    const ada = await personWithApp(other.owner, 'ada');
    const off = only('methods: [{ group: null, cells: { password: { enrol: true, purposes: [sign-in] } } }]');
    const planned = await plan(off);
    expect(planned).toMatchObject({ lockedOut: 1, signature: true });
    await expect(other.owner.call('configuration.apply', { body: { file: off, lockedOut: 0 } })).rejects.toMatchObject({
      code: 'count-changed',
    });
    await expect(other.owner.call('configuration.apply', { body: { file: off, lockedOut: 1 } })).rejects.toMatchObject({
      code: 'signature-needed',
    });
    expect((await other.owner.call('keyring.show', { params: { id: ada.id } })).authenticators).toHaveLength(2);
  });

  it('goes from one installation to another on the command line', async () => {
    const path = join(inst.dir, 'latch.yaml');
    const nlatch = async (of: Installation, ...args: string[]) =>
      await nlatchWithin(args, {
        env: { NLATCH_SERVER: of.url, NLATCH_TOKEN: of.ownerToken, NO_COLOR: '1', HOME: of.dir },
      });
    expect((await nlatch(inst, 'config', 'export', path)).out).toContain('It holds no keys');
    writeFileSync(path, readFileSync(path, 'utf8').replace('Gloves', 'Gloves, cranes'));
    const dry = (await nlatch(other, 'config', 'apply', path, '--dry-run')).out;
    expect(dry).toMatch(/group +quay-crew +changed +description/);
    expect((await nlatch(other, 'config', 'apply', path, '--yes')).out).toContain('Brought in: 1 change.');
    expect((await nlatch(other, 'config', 'apply', path, '--yes')).out).toContain('Everything is as the file says');
  });
});
