import { writeFileSync } from 'node:fs';
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { join } from 'node:path';
import type { Sent } from '@nimble-latch/api';
import type { ApiError } from '@nimble-latch/api/client';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { MetadataPublisher, type Entry } from './support/metadata.js';
import { nlatchWithin } from './support/client.js';
import { Installation } from './support/installation.js';
import { KeyHolders, options } from './support/key-holder.js';
import { CONSOLE, publish, rulebookOf } from './support/rulebooks.js';
import { FLAGS, Maker } from './support/security-key.js';

const ORIGIN = 'https://latch.wexmoor.example';
const WAYS = '{ ask for: [password + totp, password + webauthn, webauthn(verified)] }';
const uuid = (last: string) => `6c1f0d52-a4e9-4b0a-8f5d-21c7be903a${last}`;
const bytes = (id: string) => Buffer.from(id.replaceAll('-', ''), 'hex');
const [ONE, TWO] = [uuid('11'), uuid('12')];

let inst: Installation;
let people: KeyHolders;
let maker: Maker;
let publisher: MetadataPublisher;
type Rules = NonNullable<NonNullable<Sent<'methods.edit', 'body'>['rows'][number]['cells']['webauthn']>['parameters']>;

const VALID = { notBefore: new Date(Date.now() - 86_400_000), notAfter: new Date(Date.now() + 86_400_000 * 300) };
const blobOf = (number: number, reports: Entry['reports'] = [{ status: 'FIDO_CERTIFIED_L1' }]) =>
  publisher.publish(number, '2030-01-01', [
    { aaguid: ONE, description: 'Gullwing Key 1', roots: [maker.root], ...(reports ? { reports } : {}) },
    { aaguid: TWO, description: 'Gullwing Key 2', roots: [maker.root], reports: [{ status: 'FIDO_CERTIFIED_L2' }] },
  ]);
const asBlob = async (blob: string) => await inst.owner.call('keyMetadata.read', { body: { blob } });
const source = async (body: Sent<'keyMetadata.edit', 'body'>) => {
  const { version } = await inst.owner.call('keyMetadata.show');
  return await inst.owner.call('keyMetadata.edit', { body, ifMatch: version });
};
/** What the method settings say of everybody's keys. */
const rule = async (parameters: Rules) => {
  const { rows, version } = await inst.owner.call('methods.show');
  const [{ group, cells }] = rows as [(typeof rows)[number]];
  const webauthn = { enrol: true, purposes: ['sign-in' as const, 'enrol' as const], parameters };
  const body = { rows: [{ group, cells: { ...cells, webauthn } }], lockedOut: 0 };
  await inst.owner.call('methods.edit', { body: body, ifMatch: version });
};
const keyOf = async (id: string) => {
  const { authenticators } = await inst.owner.call('keyring.show', { params: { id } });
  return authenticators.findLast(({ method }) => method === 'webauthn')!;
};

beforeAll(async () => {
  inst = await Installation.start(1, { NLATCH_PUBLIC_URL: ORIGIN, NLATCH_INTERNAL_ADDRESSES: '127.0.0.2' });
  people = new KeyHolders(inst, ORIGIN, 'latch.wexmoor.example');
  await publish(
    inst.owner,
    rulebookOf([CONSOLE, `{ rule: Everywhere, at: { applications: [Enrolment] }, then: ${WAYS} }`], WAYS),
  );
  maker = await Maker.found();
  publisher = await MetadataPublisher.found('Stand-in', VALID);
});
afterAll(async () => await inst.stop());

describe('metadata of key models', () => {
  it('are taken from whom the installation believes, never an older one, and keep what was read where one is refused', async () => {
    await expect(asBlob(blobOf(3))).rejects.toMatchObject({ code: 'metadata-no-root' });
    await expect(source({ root: 'no certificate' })).rejects.toMatchObject({ code: 'invalid-input' });
    expect((await source({ root: publisher.root })).root).toMatchObject({ subject: 'CN=Stand-in Root' });
    expect(await asBlob(blobOf(3))).toMatchObject({ number: 3, entries: 2, overdue: false, problem: null });
    const stranger = await MetadataPublisher.found('Somebody Else', VALID);
    await expect(asBlob(stranger.publish(9, '2030-01-01', []))).rejects.toMatchObject({
      code: 'metadata-refused',
      problem: { facts: { problem: 'no-root' }, title: expect.stringContaining('do not lead to the root') },
    });
    await expect(asBlob(blobOf(2))).rejects.toMatchObject({ problem: { facts: { problem: 'older' } } });
    expect(await inst.owner.call('keyMetadata.show')).toMatchObject({ number: 3, problem: 'older' });
    const { rows } = await inst.owner.call('keyModels.list', { query: { all: 'true' } });
    expect(rows.map(({ name, aaguid, keys }) => [name, aaguid, keys])).toEqual([
      ['Gullwing Key 1', ONE, 0],
      ['Gullwing Key 2', TWO, 0],
    ]);
  });

  it('are fetched from an address, which leads nowhere else, and what goes wrong there is shown', async () => {
    let answer: { status: number; body: string; location?: string } = { status: 200, body: blobOf(4) };
    let asked = 0;
    const server: Server = createServer((_request, response) => {
      asked += 1;
      response.writeHead(answer.status, answer.location ? { location: answer.location } : {}).end(answer.body);
    });
    await new Promise<void>((resolve) => server.listen(0, '127.0.0.2', resolve));
    try {
      const { port } = server.address() as AddressInfo;
      const address = `http://127.0.0.2:${port}/`;
      await source({ address });
      expect(await inst.owner.call('keyMetadata.fetch')).toMatchObject({ number: 4, address });
      for (const wrong of [
        { status: 404, body: '' },
        { status: 302, body: '', location: `${address}other` },
      ]) {
        answer = wrong;
        await expect(inst.owner.call('keyMetadata.fetch')).rejects.toMatchObject({ code: 'metadata-unreachable' });
      }
      expect(await inst.owner.call('keyMetadata.show')).toMatchObject({ number: 4, problem: 'unreachable' });
      // The service itself, a port where nothing listens and a name of this machine: no difference is told.
      const before = asked;
      const refusals = new Set<string>();
      for (const inside of [inst.url, 'http://127.0.0.1:9/', `http://localhost:${port}/`, `http://[::1]:${port}/`]) {
        await source({ address: inside });
        const { problem } = (await inst.owner.call('keyMetadata.fetch').catch((error: unknown) => error)) as ApiError;
        refusals.add(
          JSON.stringify({ ...problem, instance: '' })
            .replaceAll(inside, '…')
            .replaceAll(inside.replace(/\/$/, ''), '…'),
        );
      }
      expect([...refusals]).toEqual([expect.stringContaining('metadata-unreachable')]);
      expect(asked).toBe(before);
      await source({ address });
    } finally {
      server.close();
    }
  });

  it('name a key after its model, show whom a model concerns that is not to be relied on, and keep it from being enrolled', async () => {
    const ada = await people.enrolled('ada.model', { aaguid: bytes(ONE) });
    expect((await keyOf(ada.id)).webauthn).toMatchObject({
      model: 'Gullwing Key 1',
      trust: 'none',
      compromised: false,
    });
    const named = await people.another('ada.model', ada.phone, { aaguid: bytes(TWO) }, null);
    expect(named.proved.label).toBe('Gullwing Key 2');
    const again = await people.another('ada.model', ada.phone, { aaguid: bytes(TWO) }, null);
    expect(again.proved.label).toBe('Gullwing Key 2 2');
    await asBlob(blobOf(5, [{ status: 'USER_KEY_PHYSICAL_COMPROMISE', effectiveDate: '2026-10-12' }]));
    const { rows } = await inst.owner.call('keyModels.list', { query: {} });
    expect(rows[0]).toMatchObject({
      name: 'Gullwing Key 1',
      keys: 1,
      people: 1,
      compromised: true,
      status: 'USER_KEY_PHYSICAL_COMPROMISE',
      statusSince: '2026-10-12',
    });
    const concerned = await inst.owner.call('people.list', { query: { model: rows[0]!.id } });
    expect(concerned.rows.map(({ displayName }) => displayName)).toEqual(['ada.model']);
    const { compromisedModels } = await inst.owner.call('overview.show');
    expect(compromisedModels).toMatchObject([{ name: 'Gullwing Key 1', people: 1, since: '2026-10-12' }]);
    await expect(people.enrolled('bea.model', { aaguid: bytes(ONE) })).rejects.toMatchObject({
      code: 'key-not-allowed',
      problem: { facts: { reason: 'model-compromised' } },
    });
  });
});

describe('what the method settings say of keys', () => {
  it('is asked of the browser and of the key: attestation, models, verification, algorithms, where it is', async () => {
    await expect(rule({ onlyModels: [{ aaguid: TWO }] })).rejects.toMatchObject({
      code: 'invalid-input',
      problem: { issues: [{ where: 'body.rows[0].cells.webauthn.parameters.onlyModels' }] },
    });
    await rule({
      attestation: 'required',
      onlyModels: [{ aaguid: TWO, name: 'Gullwing Key 2' }],
      verification: 'required',
      discoverable: 'required',
      attachment: 'cross-platform',
      algorithms: ['ES256'],
    });
    const cleo = await people.enrolled('cleo.model', { format: 'packed', maker, aaguid: bytes(TWO) });
    expect(cleo.begun.publicKey).toMatchObject({
      attestation: 'direct',
      hints: ['security-key', 'hybrid'],
      authenticatorSelection: {
        authenticatorAttachment: 'cross-platform',
        residentKey: 'required',
        requireResidentKey: true,
        userVerification: 'required',
      },
      pubKeyCredParams: [
        { type: 'public-key', alg: -7 },
        { type: 'public-key', alg: -9 },
      ],
    });
    expect((await keyOf(cleo.id)).webauthn).toMatchObject({ model: 'Gullwing Key 2', trust: 'trusted' });
    const refused = async (name: string, more: Parameters<KeyHolders['enrolled']>[1]) =>
      await people.enrolled(name, more).then(
        () => 'taken',
        (error: { problem: { facts: { reason: string } } }) => error.problem.facts.reason,
      );
    const foreign = await Maker.found();
    expect(await refused('d1.model', { aaguid: bytes(TWO) })).toBe('not-attested');
    expect(await refused('d2.model', { format: 'packed', maker: foreign, aaguid: bytes(TWO) })).toBe('not-trusted');
    expect(await refused('d3.model', { format: 'packed', maker, aaguid: bytes(uuid('13')) })).toBe('not-trusted');
    const unverified = { format: 'packed' as const, maker, aaguid: bytes(TWO), flags: FLAGS.UP };
    expect(await refused('d4.model', unverified)).toBe('not-verified');
    // A maker whom the metadata do not know, trusted by hand; it makes none of the models that are taken here.
    const certificate = `-----BEGIN CERTIFICATE-----\n${foreign.root.toString('base64')}\n-----END CERTIFICATE-----\n`;
    const root = await inst.owner.call('attestationRoots.add', { body: { name: 'Gullwing Works', certificate } });
    await expect(
      inst.owner.call('attestationRoots.add', { body: { name: 'Again', certificate } }),
    ).rejects.toMatchObject({ code: 'invalid-input' });
    expect(await refused('d5.model', { format: 'packed', maker: foreign, aaguid: bytes(uuid('13')) })).toBe(
      'model-not-allowed',
    );
    await inst.owner.call('attestationRoots.remove', { params: { id: root.id } });
    expect((await inst.owner.call('attestationRoots.list')).rows).toEqual([]);
  });

  it('is asked at a sign-in too, where it says that keys verify, and counts who should hold one more', async () => {
    await rule({ verification: 'required', shouldHold: 2 });
    const eli = await people.enrolled('eli.model', { aaguid: bytes(TWO) });
    const after = await people.atKey('eli.model', 'password');
    expect(options(after.signIn).userVerification).toBe('required');
    expect((await people.answerWith(after, eli.key, { flags: FLAGS.UP })).signIn).toMatchObject({
      state: 'asking',
      reason: 'wrong-proof',
    });
    const few = async () =>
      (await inst.owner.call('people.list', { query: { fewKeys: 'true' } })).rows.map(({ displayName }) => displayName);
    // Ada holds three, one of them of a model that is not to be relied on.
    expect(await few()).toEqual(['cleo.model', 'eli.model']);
    expect((await inst.owner.call('overview.show')).fewKeys).toBe(2);
    await people.another('eli.model', eli.phone, { aaguid: bytes(TWO) });
    expect(await few()).toEqual(['cleo.model']);
  });

  it('is any sixteen bytes: one whose version bits are of no UUID stands in the list with the others', async () => {
    await rule({});
    const odd = 'ABCDEF01-2345-f789-0abc-def012345678';
    const { id } = await people.enrolled('odd.model', { aaguid: bytes(odd) });
    const known = odd.toLowerCase();
    expect((await keyOf(id)).webauthn).toMatchObject({ aaguid: known });
    const { rows } = await inst.owner.call('keyModels.list');
    expect(rows.map((row) => row.aaguid)).toContain(known);
    for (const model of [known, odd])
      expect((await inst.owner.call('people.list', { query: { model } })).rows).toMatchObject([{ id }]);
    await rule({ attestation: 'required', onlyModels: [{ aaguid: odd }] });
    expect((await inst.owner.call('methods.show')).rows[0]!.cells.webauthn!.parameters).toMatchObject({
      onlyModels: [{ aaguid: known }],
    });
    await rule({});
  });

  it('is said from the command line, with what it means first, and models are looked at there', async () => {
    const file = (name: string, text: string) => {
      writeFileSync(join(inst.dir, name), text);
      return join(inst.dir, name);
    };
    const nlatch = async (...args: string[]) =>
      await nlatchWithin(args, {
        env: { PATH: process.env['PATH']!, HOME: inst.dir, NLATCH_TOKEN: inst.ownerToken, NLATCH_SERVER: inst.url },
        input: '',
      });
    const model = `${TWO}=Gullwing Key 2`;
    expect(
      await nlatch('method', 'keys', 'everybody', '--attestation', 'required', '--only-model', model, '--yes'),
    ).toMatchObject({
      code: 0,
      out: expect.stringContaining('Changed the method settings'),
    });
    expect((await nlatch('method', 'show')).out).toMatch(/attestation required[\s\S]*onlyModels Gullwing[\s\S]*Key 2/);
    const back = [
      '--attestation',
      'open',
      '--only-model',
      'any',
      '--verification',
      'open',
      '--should-hold',
      '0',
      '--yes',
    ];
    await nlatch('method', 'keys', 'everybody', ...back);
    const { rows } = await inst.owner.call('methods.show');
    expect(rows[0]!.cells.webauthn!.parameters).toBeUndefined();
    expect((await nlatch('method', 'keys', 'everybody', '--only-model', 'no aaguid')).err).toContain(
      'expected an AAGUID',
    );
    expect((await nlatch('key-model', 'list')).out).toMatch(
      /Gullwing Key 1 +\S+ +1 +not to be relied on since 2026-10-12/,
    );
    const blob = file('blob.jwt', blobOf(9));
    expect((await nlatch('key-model', 'read', blob)).out).toBe('Read number 9: 2 models.\n');
    expect(await nlatch('key-model', 'read', file('old.jwt', blobOf(8)))).toMatchObject({
      code: 2,
      err: expect.stringContaining('it is older than the one before'),
    });
    expect((await nlatch('key-model', 'metadata')).out).toMatch(/CN=Stand-in Root[\s\S]*NUMBER +9/);
    const root = `-----BEGIN CERTIFICATE-----\n${maker.root.toString('base64')}\n-----END CERTIFICATE-----\n`;
    await nlatch('key-model', 'trust', 'Gullwing Works', file('maker.pem', root));
    expect((await nlatch('key-model', 'makers')).out).toMatch(/Gullwing Works +CN=Test Root/);
    expect((await nlatch('key-model', 'distrust', 'Gullwing Works')).code).toBe(0);
    expect((await nlatch('person', 'list', '--key-model', ONE)).out).toContain('ada.model');
    const domain = await nlatch('key-domain', 'set', 'wexmoor.example', '--dry-run');
    expect(domain.out).toMatch(/keys of \d+ people would answer no more/);
    expect((await nlatch('key-domain', 'show')).out).toMatch(
      /DOMAIN +latch\.wexmoor\.example\nCAN BE +latch\.wexmoor\.example, wexmoor\.example/,
    );
    await nlatch('application', 'add', 'Vessel Traffic');
    expect((await nlatch('application', 'origins', 'Vessel Traffic', 'https://traffic.wexmoor.example')).out).toBe(
      'Keys may answer for Vessel Traffic from: https://traffic.wexmoor.example\n',
    );
  });
});
