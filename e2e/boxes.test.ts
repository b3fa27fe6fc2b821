import { execFileSync } from 'node:child_process';
import { constants, createHmac, createPublicKey, publicEncrypt, X509Certificate } from 'node:crypto';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Answer } from '@nimble-latch/api';
import { SignedXml } from 'xml-crypto';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { Fob } from './support/counters.js';
import { Installation, outcomes } from './support/installation.js';

let inst: Installation;
let quay: string;
beforeAll(async () => {
  inst = await Installation.start(2);
  quay = (await inst.owner.call('groups.add', { body: { name: 'quay-crew' } })).id;
});
afterAll(async () => await inst.stop());

const add = async (loginName: string, groups: string[] = []) => {
  const { id } = await inst.owner.call('people.add', { body: { displayName: loginName, loginNames: [loginName] } });
  for (const group of groups) await inst.owner.call('groups.join', { params: { id: group, personId: id } });
  return id;
};
type Query = { form?: 'csv' | 'pskc'; fileName?: string };
const receive = async (text: string, query: Query = {}, fileSigner?: string) =>
  await inst.owner.call('imports.receive', {
    query: { kind: 'tokens', fileName: 'box', ...query },
    file: new Blob([text]),
    ...(fileSigner === undefined ? {} : { fileSigner: Buffer.from(fileSigner).toString('base64url') }),
  });
const settled = async (id: string, state: string) => {
  await expect.poll(async () => (await inst.owner.call('imports.show', { params: { id } })).state).toBe(state);
  return await inst.owner.call('imports.show', { params: { id } });
};
const check = async (one: Answer<'imports.receive'>, owners?: (typeof one)['rules']['owners']) => {
  const columns = one.columns.map(({ meaning }) => meaning);
  await inst.owner.call('imports.check', {
    params: { id: one.id },
    body: { columns, rules: { ...one.rules, ...(owners ? { owners } : {}) }, saveAs: null },
  });
  return await settled(one.id, 'checked');
};
const apply = async (one: Answer<'imports.show'>, skipBad = false) => {
  await inst.owner.call('imports.apply', { params: { id: one.id }, body: { skipBad }, ifMatch: one.version });
  return await settled(one.id, 'done');
};
const fobs = (from: number, to: number) => Array.from({ length: to - from }, (_, i) => new Fob(`BX-${from + i}`));
const box = (all: readonly Fob[]) =>
  `Serial,Seed,Manufacturer,Kind\n${all.map(({ serial, hex }) => `${serial},${hex},Gullwing,hotp\n`).join('')}`;
const token = async (q: string) => (await inst.owner.call('stock.list', { query: { q } })).rows[0]!;

describe('a list of who is to have which token', () => {
  it('gives what is in stock, each row told first, by names as the list has them', async () => {
    await apply(await check(await receive(box(fobs(100, 120)))));
    const [ann, ben] = [await add('ann@wexmoor.example'), await add('ben@wexmoor.example')];
    await add('cat@wexmoor.example');
    const list = (...rows: string[]) => `Number;Name\n${rows.join('\n')}\n`;
    const received = await receive(list('BX-100;WEX\\ann', 'bx 101;WEX\\ben', 'BX-999;WEX\\cat', 'BX-102;WEX\\nobody'));
    expect(received.columns.map(({ meaning }) => meaning)).toEqual(['serial', 'owner']);
    const owners = { part: 'after-backslash' as const, as: '{name}@wexmoor.example' };
    const checked = await check(received, owners);
    expect(checked.counts).toMatchObject({ changed: 2, new: 0, refused: 2 });
    const { rows } = await inst.owner.call('imports.rows', { params: { id: received.id } });
    expect(rows.map(({ changes, issues }) => changes[0]?.to ?? issues[0]!.reason)).toEqual([
      'ann@wexmoor.example',
      'ben@wexmoor.example',
      'not-in-stock',
      'unknown-person',
    ]);
    expect((await apply(checked, true)).outcome).toMatchObject({ changed: 2, refused: 2 });
    expect(await token('BX-100')).toMatchObject({ state: 'assigned', holder: { id: ann } });
    expect(await token('BX-101')).toMatchObject({ holder: { id: ben } });
    const { story } = await inst.owner.call('stock.show', { params: { id: (await token('BX-100')).id } });
    expect(story.map(({ event, person }) => `${event} ${person ?? ''}`.trim())).toEqual([
      'assigned ann@wexmoor.example',
      'imported',
    ]);
    // Said once more it changes nothing; who has one keeps it.
    const again = await check(await receive(list('BX-100;WEX\\ann', 'BX-101;WEX\\cat')), owners);
    expect(again.counts).toMatchObject({ unchanged: 1, refused: 1 });
    const [, second] = (await inst.owner.call('imports.rows', { params: { id: again.id } })).rows;
    expect(second!.issues[0]).toMatchObject({ reason: 'held-by-other' });
    await expect(check(await receive(list('BX-103;WEX\\cat')), { part: 'whole', as: 'cat' })).rejects.toMatchObject({
      code: 'invalid-input',
      issues: [{ where: 'body.rules.owners.as' }],
    });
  });

  it('keeps to the method settings, to makers, and to one holder though two lists are written at once', async () => {
    await apply(await check(await receive(box([new Fob('BX-300')]).replace('Gullwing', 'Other'))));
    await apply(await check(await receive(box([new Fob('BX-300'), new Fob('BX-301')]))));
    const crew = await add('crew', [quay]);
    await add('dan');
    const { rows, version } = await inst.owner.call('methods.show');
    const cells = { hotp: { enrol: false, purposes: [] } };
    const settings = [{ group: quay, cells }, ...rows.map((row) => ({ group: row.group, cells: row.cells }))];
    await inst.owner.call('methods.edit', {
      body: { rows: settings, lockedOut: 0 },
      ifMatch: version,
    });
    const reasons = async (text: string) => {
      const { id } = await check(await receive(text));
      const found = (await inst.owner.call('imports.rows', { params: { id } })).rows;
      return found.map(({ issues }) => issues[0]?.reason ?? 'good');
    };
    await expect
      .poll(async () => await reasons('Serial,Owner\nBX-301,crew\nBX-301,dan\nBX-300,dan\n'))
      .toEqual(['method-not-offered', 'twice-in-file', 'serial-ambiguous']);
    expect(await reasons('Serial,Manufacturer,Owner\nBX-300,other,dan\n')).toEqual(['good']);
    const lists = await Promise.all(
      ['dan', 'ann@wexmoor.example'].map(async (name) => check(await receive(`Serial,Owner\nBX-301,${name}\n`))),
    );
    await outcomes(
      lists.map(async ({ id, version: at }, i) =>
        inst.nodes[i]!.owner.call('imports.apply', { params: { id }, body: { skipBad: false }, ifMatch: at }),
      ),
    );
    await expect.poll(async () => (await token('BX-301')).holder?.displayName).toMatch(/dan|ann@wexmoor/);
    const { story } = await inst.owner.call('stock.show', { params: { id: (await token('BX-301')).id } });
    expect(story.filter(({ event }) => event === 'assigned')).toHaveLength(1);
    expect((await inst.owner.call('keyring.show', { params: { id: crew } })).tokens).toEqual([]);
  });

  it('runs a batch low, which is said before it is empty', async () => {
    const thin = async () => {
      const { needs, batches } = await inst.owner.call('stock.counts');
      return { needs: needs.thin, box: batches.find(({ name }) => name === 'thin-box') };
    };
    await apply(await check(await receive(box(fobs(400, 406)), { fileName: 'thin-box' })));
    const before = await thin();
    expect(before.box).toMatchObject({ tokens: 6, inStock: 6, thin: false });
    const person = await add('many');
    for (let i = 0; i < 4; i++)
      await inst.owner.call('tokens.assignNext', { params: { id: person }, body: { batch: before.box!.id } });
    expect(await thin()).toMatchObject({ needs: before.needs + 1, box: { inStock: 2, thin: true } });
    for (let i = 0; i < 2; i++)
      await inst.owner.call('tokens.assignNext', { params: { id: person }, body: { batch: before.box!.id } });
    expect(await thin()).toMatchObject({ needs: before.needs, box: { inStock: 0, thin: false } });
  });
});

describe('a file of tokens', () => {
  const OAEP = 'http://www.w3.org/2001/04/xmlenc#rsa-oaep-mgf1p';
  const MAC = 'http://www.w3.org/2001/04/xmldsig-more#hmac-sha256';
  /** A container to a certificate, RFC 6030 §6.3, as somebody who has no more than the certificate writes it. */
  function encrypted(pem: string, fob: Fob): string {
    const key = createPublicKey(pem);
    const seal = (plain: Buffer) => publicEncrypt({ key, padding: constants.RSA_PKCS1_OAEP_PADDING }, plain);
    const cipher = (data: Buffer) =>
      `<xenc:EncryptionMethod Algorithm="${OAEP}"/><xenc:CipherData><xenc:CipherValue>${data.toString('base64')}</xenc:CipherValue></xenc:CipherData>`;
    const macKey = Buffer.alloc(32, 7);
    const secret = seal(Buffer.from(fob.hex, 'hex'));
    const mac = createHmac('sha256', macKey).update(secret).digest('base64');
    return `<?xml version="1.0"?><KeyContainer Version="1.0" xmlns="urn:ietf:params:xml:ns:keyprov:pskc" xmlns:ds="http://www.w3.org/2000/09/xmldsig#" xmlns:xenc="http://www.w3.org/2001/04/xmlenc#">
<EncryptionKey><ds:X509Data><ds:X509Certificate>${new X509Certificate(pem).raw.toString('base64')}</ds:X509Certificate></ds:X509Data></EncryptionKey>
<MACMethod Algorithm="${MAC}"><MACKey>${cipher(seal(macKey))}</MACKey></MACMethod>
<KeyPackage><DeviceInfo><Manufacturer>Gullwing</Manufacturer><SerialNo>${fob.serial}</SerialNo></DeviceInfo><Key Id="k" Algorithm="urn:ietf:params:xml:ns:keyprov:pskc:hotp"><AlgorithmParameters><ResponseFormat Length="6" Encoding="DECIMAL"/></AlgorithmParameters><Data><Secret><EncryptedValue>${cipher(secret)}</EncryptedValue><ValueMAC>${mac}</ValueMAC></Secret></Data></Key></KeyPackage></KeyContainer>`;
  }

  it('encrypted to a certificate of ours opens by itself, until that is retired', async () => {
    const made = await inst.owner.call('stock.makeCertificate', { body: { label: 'Wexmoor tokens' } });
    expect(new X509Certificate(made.certificate)).toMatchObject({
      subject: 'CN=Wexmoor tokens',
      fingerprint256: made.fingerprint,
    });
    const fob = new Fob('BX-500');
    const pskc = { form: 'pskc' as const, fileName: 'for us.xml' };
    // Opened on the node that did not make it.
    const received = await inst.nodes[1]!.owner.call('imports.receive', {
      query: { kind: 'tokens', ...pskc },
      file: new Blob([encrypted(made.certificate, fob)]),
    });
    await apply(await check(received));
    const person = await add('eve');
    const { id } = await token('BX-500');
    await inst.owner.call('tokens.assign', { params: { id: person, tokenId: id } });
    const codes = [fob.press()];
    await inst.owner.call('tokens.prove', { params: { id: person, tokenId: id }, body: { codes } });
    const stored = await inst.sql<{ private_sealed: Buffer }>('SELECT private_sealed FROM file_certificates');
    expect(stored[0]!.private_sealed.toString('latin1')).not.toContain('PRIVATE KEY');
    const other = await inst.owner.call('stock.makeCertificate', { body: { label: 'Another', years: 1 } });
    await inst.owner.call('stock.retireCertificate', { params: { id: made.id } });
    const late = receive(encrypted(made.certificate, new Fob('BX-501')), pskc);
    await expect(late).rejects.toMatchObject({ code: 'key-file-unreadable' });
    const { rows } = await inst.owner.call('stock.certificates');
    expect(rows.map(({ id: one, retiredAt }) => [one, retiredAt === null])).toEqual([
      [other.id, true],
      [made.id, false],
    ]);
    expect(
      await inst.sql('SELECT 1 FROM file_certificates WHERE retired_at IS NOT NULL AND private_sealed IS NOT NULL'),
    ).toEqual([]);
  });

  it('that is signed is taken from its sender alone, and leaves nothing behind where it is not', async () => {
    const dir = mkdtempSync(join(tmpdir(), 'nlatch-sender-'));
    const [keyFile, certificateFile] = [join(dir, 'key.pem'), join(dir, 'certificate.pem')];
    const args = ['req', '-x509', '-nodes', '-newkey', 'rsa:2048', '-keyout', keyFile, '-out', certificateFile];
    execFileSync('openssl', [...args, '-subj', '/CN=Gullwing', '-days', '30'], { stdio: 'ignore' });
    const [privateKey, certificate] = [readFileSync(keyFile, 'utf8'), readFileSync(certificateFile, 'utf8')];
    rmSync(dir, { recursive: true });
    const exclusive = 'http://www.w3.org/2001/10/xml-exc-c14n#';
    const packages = fobs(600, 1_300).map(
      ({ serial, hex }) =>
        `<KeyPackage><DeviceInfo><SerialNo>${serial}</SerialNo></DeviceInfo><Key Id="${serial}" Algorithm="urn:ietf:params:xml:ns:keyprov:pskc:hotp"><AlgorithmParameters><ResponseFormat Length="6" Encoding="DECIMAL"/></AlgorithmParameters><Data><Secret><PlainValue>${Buffer.from(hex, 'hex').toString('base64')}</PlainValue></Secret></Data></Key></KeyPackage>`,
    );
    const signer = new SignedXml({
      privateKey,
      signatureAlgorithm: 'http://www.w3.org/2001/04/xmldsig-more#rsa-sha256',
      canonicalizationAlgorithm: exclusive,
    });
    signer.addReference({
      xpath: '/*',
      uri: '',
      isEmptyUri: true,
      digestAlgorithm: 'http://www.w3.org/2001/04/xmlenc#sha256',
      transforms: ['http://www.w3.org/2000/09/xmldsig#enveloped-signature', exclusive],
    });
    signer.computeSignature(
      `<KeyContainer Version="1.0" xmlns="urn:ietf:params:xml:ns:keyprov:pskc">${packages.join('\n')}</KeyContainer>`,
      { location: { reference: '/*', action: 'append' } },
    );
    const text = signer.getSignedXml();
    const pskc = { form: 'pskc' as const, fileName: 'signed.xml' };
    const kept = async () => (await inst.sql<{ n: number }>('SELECT COUNT(*) AS n FROM import_blocks'))[0]!.n;
    const before = await kept();
    const changed = text.replace('BX-1299', 'BX-9999');
    for (const [file, sender] of [
      [text, undefined],
      [changed, certificate],
      [text.replace(/<Signature.*<\/Signature>/s, ''), certificate],
    ] as const)
      await expect(receive(file, pskc, sender)).rejects.toMatchObject({ code: 'key-file-unreadable' });
    await expect(receive(text, pskc, 'no certificate')).rejects.toMatchObject({
      code: 'invalid-input',
      issues: [{ where: 'header.nlatch-file-signer' }],
    });
    await expect(receive(box(fobs(1, 2)), {}, certificate)).rejects.toMatchObject({
      code: 'invalid-input',
      issues: [{ where: 'header.nlatch-file-signer' }],
    });
    // Blocks of rows had been staged by then; none of them is left.
    expect(await kept()).toBe(before);
    const received = await receive(text, pskc, certificate);
    expect(received.rows).toBe(700);
    expect((await check(received)).counts).toMatchObject({ new: 700, refused: 0 });
  });
});
