import { execFileSync } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Answer, Sent } from '@nimble-latch/api';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { administrator } from './support/administrators.js';
import { hotp } from './support/counters.js';
import { Installation } from './support/installation.js';
import { container, TOKEN_FILES } from './support/token-files.js';

let inst: Installation;
const dir = mkdtempSync(join(tmpdir(), 'nlatch-'));
beforeAll(async () => {
  inst = await Installation.start(2);
});
afterAll(async () => {
  await inst.stop();
  rmSync(dir, { recursive: true, force: true });
});

type Import = Answer<'imports.show'>;
type Rules = Partial<Sent<'imports.check', 'body'>['rules']>;

const receive = async (bytes: Buffer | string, fileName: string, kind: 'tokens' | 'people' = 'tokens') =>
  await inst.owner.call('imports.receive', {
    query: { kind, fileName },
    file: new Blob([typeof bytes === 'string' ? bytes : new Uint8Array(bytes)]),
  });
const settled = async (id: string, state: string): Promise<Import> => {
  await expect.poll(async () => (await inst.owner.call('imports.show', { params: { id } })).state).toBe(state);
  return await inst.owner.call('imports.show', { params: { id } });
};
const check = async (one: Import, rules: Rules = {}, more: { saveAs?: string; dryRun?: boolean } = {}) => {
  const { saveAs = null, dryRun = false } = more;
  const columns = one.columns.map(({ meaning }) => meaning);
  await inst.owner.call('imports.check', {
    params: { id: one.id },
    body: { columns, rules: { ...one.rules, ...rules }, saveAs, dryRun },
  });
  return await settled(one.id, 'checked');
};
const apply = async (one: Import, body: Sent<'imports.apply', 'body'> = {}) => {
  await inst.owner.call('imports.apply', { params: { id: one.id }, body, ifMatch: one.version });
  return await settled(one.id, 'done');
};
const bring = async (text: Buffer | string, rules: Rules = {}, kind: 'tokens' | 'people' = 'tokens') =>
  await check(await receive(text, 'file', kind), rules);
const rowsOf = async (id: string) => (await inst.owner.call('imports.rows', { params: { id } })).rows;
const told = async (id: string) =>
  (await rowsOf(id)).map(({ verdict, changes, issues }) =>
    [
      verdict,
      ...issues.map(({ reason }) => reason),
      ...changes.map(({ what, from, to }) => `${what} ${from ?? ''}→${to ?? ''}`),
    ].join(' '),
  );
const token = async (serial: string) => (await inst.owner.call('stock.list', { query: { q: serial } })).rows[0]!;
const story = async (id: string) =>
  (await inst.owner.call('stock.show', { params: { id } })).story.map(({ event, note }) =>
    `${event} ${note ?? ''}`.trim(),
  );
const add = async (loginName: string) =>
  (await inst.owner.call('people.add', { body: { displayName: loginName, loginNames: [loginName] } })).id;
const hex = (serial: string) => Buffer.from(`secret of ${serial}`.padEnd(20, '.')).toString('hex');

describe('files of tokens as they come', () => {
  it.each(TOKEN_FILES)('$name', async ({ name, bytes, columns, makeup, refused = [], unused = [], comments = 0 }) => {
    const received = await receive(bytes, name);
    if (columns !== undefined) expect(received.columns.map(({ meaning }) => meaning).join(' ')).toBe(columns);
    const checked = await check(received);
    expect(checked).toMatchObject({ unused, comments, counts: { refused: refused.length } });
    expect(
      checked.makeup.map(({ tokens, method, algorithm, digits, period }) =>
        [tokens, method, algorithm, digits, ...(period === null ? [] : [period, 's'])].join(' '),
      ),
    ).toEqual(makeup);
    const rows = await rowsOf(checked.id);
    expect(rows.flatMap(({ issues }) => issues.map(({ reason }) => reason))).toEqual(refused);
    const { outcome } = await apply(checked, { skipBad: true });
    expect(outcome).toMatchObject({ refused: refused.length, overtaken: 0 });
    // In the same file it is the same tokens.
    const again = await check(await receive(bytes, name));
    expect(again.counts).toMatchObject({ new: 0, changed: 0, unchanged: outcome!.new });
  });

  it('keep their leading zeros, what others call them, and what is not honoured of them', async () => {
    expect(await token('0010023')).toMatchObject({ serial: '0010023', expiresOn: '2031-12-31' });
    expect(await token('0010024')).toMatchObject({ serial: '0010024', expiresOn: '2031-12-31' });
    expect(await token('KL-1001')).toMatchObject({ maker: 'Möwe & Söhne' });
    const { id } = await bring(TOKEN_FILES.find(({ name }) => name === 'phones.txt')!.bytes);
    expect((await rowsOf(id))[0]).toMatchObject({ verdict: 'unchanged' });
    // Its T0 is 1970, whatever time its device had when the file was written.
    expect(await token('KM-1001')).toMatchObject({ t0: 0, period: 60 });
  });

  it('say what is assumed, and take what is said of all of them', async () => {
    const text = `Serial,Seed\nKN-1001,${hex('KN-1001')}\nKN-1002,${hex('KN-1002')}\n`;
    const plain = await bring(text);
    expect(plain.makeup).toEqual([
      {
        method: 'totp',
        algorithm: 'SHA1',
        digits: 6,
        period: 30,
        counters: null,
        assumed: ['kind', 'algorithm', 'digits', 'period'],
        tokens: 2,
      },
    ]);
    const whole = { kind: 'hotp', algorithm: null, digits: 8, period: null } as const;
    const received = await receive(text, 'KN');
    const said = await check(received, { whole }, { saveAs: 'eight that count' });
    expect(said.makeup).toEqual([
      {
        method: 'hotp',
        algorithm: 'SHA1',
        digits: 8,
        period: null,
        counters: { least: 0, most: 0 },
        assumed: ['algorithm'],
        tokens: 2,
      },
    ]);
    // The next file of the same mapping is read so by itself, and one that says otherwise is refused.
    const { rows: mappings } = await inst.owner.call('importMappings.list', { query: {} });
    const mapping = mappings.find(({ name }) => name === 'eight that count')!;
    expect(mapping.rules.whole).toEqual(whole);
    const next = await inst.owner.call('imports.receive', {
      query: { kind: 'tokens', fileName: 'next', mapping: mapping.id },
      file: new Blob([text]),
    });
    expect(next.rules.whole).toEqual(whole);
    const otherwise = await bring(`Serial,Seed,Digits\nKN-1001,${hex('KN-1001')},6\n`, { whole });
    expect((await rowsOf(otherwise.id))[0]!.issues).toEqual([
      { column: 'Digits', reason: 'said-otherwise', facts: { cell: 6, said: 8 } },
    ]);
    await expect(bring(text, { whole: { ...whole, period: 7 } })).rejects.toMatchObject({ code: 'invalid-input' });
  });

  it('are told by what stands in them, and nothing is opened or verified that is no container', async () => {
    const send = async (text: string, more: object) =>
      await inst.owner
        .call('imports.receive', { query: { kind: 'tokens', fileName: 'x.csv' }, file: new Blob([text]), ...more })
        .then(
          () => 'received',
          (error: { code: string; problem: { facts?: { what: string }; issues?: { where: string }[] } }) =>
            `${error.code} ${error.problem.facts?.what ?? error.problem.issues![0]!.where}`,
        );
    expect(await send(`Serial,Seed\nKO-1,${hex('KO-1')}\n`, { fileKey: 'passphrase cXdlcnR5' })).toBe(
      'invalid-input header.nlatch-file-key',
    );
    expect(await send(container(''), {})).toBe('key-file-unreadable empty');
    expect(await send(container('', '<?xml version="1.0" encoding="x-own"?>'), {})).toBe(
      'key-file-unreadable xml-encoding',
    );
    expect(await send('\ufeff\n<?xml version="1.0"?><a/>', {})).toMatch(/^key-file-unreadable (xml|not-pskc)$/);
  });
});

describe('a box that came in wrong', () => {
  const box = (period: number, more = '') =>
    `Serial,Seed,Manufacturer,Model,Period,Expiry${more && ',Digits'}\n${['A-2001', 'A-2002', 'A-2003'].map((serial) => `${serial},${hex(serial)},Gullwing,Fob 2,${period},2031-12-31${more && `,${more}`}\n`).join('')}`;

  it('is put right by a second file, part by part, while nobody uses it', async () => {
    await apply(await bring(box(30)));
    const person = await add('quay.one');
    const { id } = await token('A-2002');
    await inst.owner.call('tokens.assign', { params: { id: person, tokenId: id } });
    const second = await bring(box(60, '8'));
    expect(await told(second.id)).toEqual(Array.from({ length: 3 }, () => 'changed digits 6→8 period 30→60'));
    expect((await apply(second)).outcome).toMatchObject({ changed: 3 });
    expect(await token('A-2002')).toMatchObject({ period: 60, digits: 8, state: 'assigned', holder: { id: person } });
    expect(await story(id)).toEqual(['corrected digits 6 → 8, period 30 → 60', 'assigned', 'imported file']);
    const { rows: trail } = await inst.owner.call('trail.list', { query: { limit: 20 } });
    expect(trail.filter(({ action }) => action === 'token.corrected')).toHaveLength(3);
    expect((await bring(box(60, '8'))).counts).toMatchObject({ unchanged: 3 });
    // A list without secrets corrects as well; what it does not say stays.
    const list = await bring('Serial,Expiry\nA-2001,2030-06-30\n');
    expect(await told(list.id)).toEqual(['changed expires 2031-12-31→2030-06-30']);
    await apply(list);
    expect(await token('A-2001')).toMatchObject({ period: 60, digits: 8, expiresOn: '2030-06-30' });
    const all = await bring('Serial\nA-2001\nA-2003\nA-2999\n', {
      whole: { kind: null, algorithm: 'SHA256', digits: null, period: null },
    });
    expect(await told(all.id)).toEqual([
      'changed algorithm SHA1→SHA256',
      'changed algorithm SHA1→SHA256',
      'refused not-in-stock',
    ]);
  });

  it('is put right by hand, which says what was before', async () => {
    const { id } = await token('A-2003');
    const correct = async (body: Sent<'stock.correct', 'body'>) =>
      await inst.owner.call('stock.correct', { params: { id }, body });
    expect(await correct({ method: 'hotp', counter: 12, model: 'Fob 3' })).toMatchObject({
      method: 'hotp',
      counter: 12,
      period: null,
      model: 'Fob 3',
    });
    expect(await correct({ method: 'totp', period: 60, drift: -3, t0: 1_000, startsOn: '2026-01-01' })).toMatchObject({
      drift: -3,
      t0: 1_000,
      startsOn: '2026-01-01',
      counter: null,
    });
    expect((await story(id)).slice(0, 2)).toEqual([
      'corrected kind hotp → totp, period 30 → 60, t0 0 → 1000, drift 0 → -3, starts – → 2026-01-01',
      'corrected model Fob 2 → Fob 3, kind totp → hotp, counter 0 → 12',
    ]);
    const before = await story(id);
    await correct({ period: 60 });
    expect(await story(id)).toEqual(before);
    await expect(correct({ period: 7 })).rejects.toMatchObject({ code: 'invalid-input' });
    await expect(correct({ maker: 'Gullwing', expiresOn: '31.12.2031' })).rejects.toMatchObject({
      code: 'invalid-input',
    });
    // Another maker's token of the same number is another token.
    await apply(await bring(`Serial,Seed,Manufacturer\nA-2003,${hex('other')},Other\n`));
    await expect(correct({ maker: 'other' })).rejects.toMatchObject({ code: 'serial-taken' });
  });

  it('is nobody’s to put right who may not write the stock, nor without a fresh proof', async () => {
    const { id } = await token('A-2001');
    const { client: auditor } = await administrator(inst, 'stock.reader', 'auditor');
    await expect(auditor.call('stock.correct', { params: { id }, body: { digits: 6 } })).rejects.toMatchObject({
      code: 'not-permitted',
    });
    expect(await token('A-2001')).toMatchObject({ digits: 8 });
  });

  it('stands as it is once its codes came out right, and while somebody uses it', async () => {
    const person = await add('quay.two');
    await apply(await bring(`Serial,Seed,Manufacturer,Kind\nA-3001,${hex('A-3001')},Gullwing,hotp\n`));
    const { id } = await token('A-3001');
    await inst.owner.call('tokens.assign', { params: { id: person, tokenId: id } });
    const codes = [hotp(Buffer.from(hex('A-3001'), 'hex'), 0)];
    await inst.owner.call('tokens.prove', { params: { id: person, tokenId: id }, body: { codes } });
    const file = (digits: number, model: string, counter: number) =>
      `Serial,Seed,Manufacturer,Kind,Digits,Model,Counter\nA-3001,${hex('A-3001')},Gullwing,hotp,${digits},${model},${counter}\n`;
    const inUse = await bring(file(8, 'Fob 9', 0));
    expect((await rowsOf(inUse.id))[0]!.issues).toEqual([
      { column: null, reason: 'in-use-otherwise', facts: { state: 'in use', what: 'model – → Fob 9, digits 6 → 8' } },
    ]);
    // Where it stands is known better here: an old file is no reason to take it back.
    expect(await told((await bring(file(6, '', 0))).id)).toEqual(['unchanged']);
    await expect(inst.owner.call('stock.correct', { params: { id }, body: { digits: 8 } })).rejects.toMatchObject({
      code: 'wrong-state',
    });
    await inst.owner.call('stock.move', { params: { id }, body: { to: 'returned' } });
    expect((await rowsOf((await bring(file(8, 'Fob 9', 0))).id))[0]!.issues[0]).toMatchObject({
      reason: 'proved-otherwise',
      facts: { what: 'digits 6 → 8' },
    });
    await expect(
      inst.owner.call('stock.correct', { params: { id }, body: { digits: 8, model: 'Fob 9' } }),
    ).rejects.toMatchObject({ code: 'token-proved' });
    const corrected = await inst.owner.call('stock.correct', { params: { id }, body: { model: 'Fob 9', counter: 0 } });
    expect(corrected).toMatchObject({ model: 'Fob 9', counter: 1 });
    expect(await told((await bring(file(6, 'Fob 9', 0))).id)).toEqual(['unchanged']);
  });

  it('comes in again after it was retired, with the fact said, and its story goes on', async () => {
    const { id } = await token('A-2001');
    await inst.owner.call('stock.move', { params: { id }, body: { to: 'retired' } });
    const today = new Date().toISOString().slice(0, 10);
    const again = await bring(`Serial,Seed,Manufacturer\nA-2001,${hex('its new secret')},Gullwing\n`);
    expect((await told(again.id))[0]).toMatch(`returning state retired ${today}→in-stock kind →totp, SHA1, 6, 30 s`);
    expect(again.makeup).toMatchObject([{ tokens: 1, method: 'totp' }]);
    expect((await apply(again)).outcome).toMatchObject({ returning: 1, overtaken: 0 });
    expect(await token('A-2001')).toMatchObject({
      id,
      state: 'in-stock',
      period: 30,
      digits: 6,
      batch: { name: 'file' },
    });
    expect((await story(id)).slice(0, 2)).toEqual(['imported file', 'retired']);
    // By hand too, and it is the new secret that answers.
    await inst.owner.call('stock.move', { params: { id }, body: { to: 'retired' } });
    const secret = Buffer.from('entered by hand 1234');
    const entered = await inst.owner.call('stock.add', {
      body: { serial: 'a 2001', maker: 'gullwing', method: 'hotp', secret: secret.toString('hex'), encoding: 'hex' },
    });
    expect(entered).toMatchObject({ id, serial: 'a 2001', state: 'in-stock', method: 'hotp' });
    const person = await add('quay.three');
    await inst.owner.call('tokens.assign', { params: { id: person, tokenId: id } });
    await inst.owner.call('tokens.prove', { params: { id: person, tokenId: id }, body: { codes: [hotp(secret, 0)] } });
    expect(await token('A-2001')).toMatchObject({ state: 'in-use' });
    // What is in use is no number to enter once more.
    await expect(
      inst.owner.call('stock.add', {
        body: { serial: 'A-2001', maker: 'Gullwing', secret: secret.toString('hex'), encoding: 'hex' },
      }),
    ).rejects.toMatchObject({ code: 'serial-taken' });
  });

  it('is written once by two nodes at the same moment, or passed over', async () => {
    const files = await Promise.all(
      [60, 90].map(async (period) =>
        bring(`Serial,Seed,Manufacturer,Period\nA-2002,${hex('A-2002')},Gullwing,${period}\n`),
      ),
    );
    await Promise.all(
      files.map(async ({ id, version }, i) =>
        inst.nodes[i]!.owner.call('imports.apply', { params: { id }, body: {}, ifMatch: version }).catch(
          () => undefined,
        ),
      ),
    );
    await expect
      .poll(
        async () => (await inst.sql<{ n: number }>("SELECT COUNT(*) AS n FROM imports WHERE state = 'applying'"))[0]!.n,
      )
      .toBe(0);
    const { period, id } = await token('A-2002');
    const corrected = (await story(id)).filter((line) => line.startsWith('corrected'));
    // The one that came second was planned anew against what the first had written.
    expect([60, 90]).toContain(period);
    expect(corrected[0]).toContain(`→ ${period}`);
  });
});

describe('the first proof of a fob whose clock is off', () => {
  const key = Buffer.from(hex('C-1001'), 'hex');
  const stepNow = () => Math.floor(Date.now() / 60_000);

  it('goes by the drift that its file gave, and by two codes where that is wrong too', async () => {
    const text = `Serial,Seed,Period,Clock drift (s)\nC-1001,${hex('C-1001')},60,1200\nC-1002,${hex('C-1002')},60,\n`;
    await apply(await bring(text));
    const [one, two] = [await token('C-1001'), await token('C-1002')];
    expect(one).toMatchObject({ drift: 20 });
    const person = await add('pilot.one');
    for (const { id } of [one, two]) await inst.owner.call('tokens.assign', { params: { id: person, tokenId: id } });
    const prove = async (id: string, ...codes: string[]) =>
      await inst.owner.call('tokens.prove', { params: { id: person, tokenId: id }, body: { codes } });
    // Twenty minutes ahead, as the file says.
    await prove(one.id, hotp(key, stepNow() + 20));
    expect(await token('C-1001')).toMatchObject({ state: 'in-use', drift: 20 });
    // Seven hours ahead, of which nobody knew: told with what a fob can do, and learned by two codes.
    const other = Buffer.from(hex('C-1002'), 'hex');
    const at = stepNow() + 420;
    const refused = await prove(two.id, hotp(other, at)).catch((error: unknown) => error);
    expect(refused).toMatchObject({
      code: 'token-clock-off',
      problem: { facts: { direction: 'ahead' }, remedy: expect.stringContaining('two codes') as string },
    });
    await prove(two.id, hotp(other, at), hotp(other, at + 1));
    expect((await token('C-1002')).drift).toBeGreaterThanOrEqual(420);
  });
});

describe('a container that is encrypted to our certificate', () => {
  it('is opened by whichever name it gives it, its values made by another tool', async () => {
    const made = await inst.owner.call('stock.makeCertificate', {
      body: { label: 'Port of Wexmoor, tokens', years: 1 },
    });
    writeFileSync(join(dir, 'ours.pem'), made.certificate);
    const openssl = (...args: string[]) => execFileSync('openssl', args, { cwd: dir }).toString().trim();
    const issuer = openssl('x509', '-in', 'ours.pem', '-noout', '-issuer', '-nameopt', 'RFC2253').replace(
      /^issuer= ?/,
      '',
    );
    const serial = BigInt(`0x${openssl('x509', '-in', 'ours.pem', '-noout', '-serial').replace('serial=', '')}`);
    const encrypt = (plain: string, mask: string) => {
      writeFileSync(join(dir, 'plain'), plain);
      const options = ['rsa_padding_mode:oaep', 'rsa_oaep_md:sha256', `rsa_mgf1_md:${mask}`].flatMap((one) => [
        '-pkeyopt',
        one,
      ]);
      openssl('pkeyutl', '-encrypt', '-certin', '-inkey', 'ours.pem', '-in', 'plain', '-out', 'cipher', ...options);
      return openssl('base64', '-A', '-in', 'cipher');
    };
    const names = {
      'KP-1001': `<ds:KeyName>Port of Wexmoor, tokens</ds:KeyName>`,
      'KP-1002': `<ds:X509Data><ds:X509SubjectName>CN=Port of Wexmoor\\, tokens</ds:X509SubjectName></ds:X509Data>`,
      'KP-1003': `<ds:X509Data><ds:X509IssuerSerial><ds:X509IssuerName>${issuer}</ds:X509IssuerName><ds:X509SerialNumber>${serial}</ds:X509SerialNumber></ds:X509IssuerSerial></ds:X509Data>`,
      'KP-1004': `<ds:KeyName>${made.fingerprint}</ds:KeyName>`,
    };
    const file = (name: string, serialNumber: string, mask: string) =>
      container(
        `<EncryptionKey>${name}</EncryptionKey><KeyPackage><DeviceInfo><SerialNo>${serialNumber}</SerialNo></DeviceInfo><Key Algorithm="urn:ietf:params:xml:ns:keyprov:pskc:totp"><Data><Secret><EncryptedValue>
<xenc:EncryptionMethod Algorithm="http://www.w3.org/2001/04/xmlenc#rsa-oaep-mgf1p"><ds:DigestMethod Algorithm="http://www.w3.org/2001/04/xmlenc#sha256"/></xenc:EncryptionMethod>
<xenc:CipherData><xenc:CipherValue>${encrypt(`secret of ${serialNumber}...`, mask)}</xenc:CipherValue></xenc:CipherData></EncryptedValue></Secret></Data></Key></KeyPackage>`,
      );
    for (const [i, [serialNumber, name]] of Object.entries(names).entries())
      expect(
        (await bring(file(name, serialNumber, i % 2 === 0 ? 'sha1' : 'sha256'))).counts,
        serialNumber,
      ).toMatchObject({ new: 1, refused: 0 });
    const unknown = [
      '<ds:X509Data><ds:X509SubjectName>CN=Port of Wexmoor</ds:X509SubjectName></ds:X509Data>',
      names['KP-1003'].replace(String(serial), String(serial + 1n)),
    ];
    for (const name of unknown)
      await expect(bring(file(name, 'KP-1005', 'sha1'))).rejects.toMatchObject({
        code: 'key-file-unreadable',
        problem: { facts: { what: 'certificate-unknown' } },
      });
    await expect(bring(file('<ds:KeyName>somebody else’s</ds:KeyName>', 'KP-1005', 'sha1'))).rejects.toMatchObject({
      problem: { facts: { what: 'key-needed' } },
    });
  });
});

describe('files of people as they come', () => {
  it('ask where a comma could mean two things, and brake where cells were emptied by mistake', async () => {
    await inst.owner.call('groups.add', { body: { name: 'Tower, east' } });
    const rows = Array.from(
      { length: 12 },
      (_, i) => `Ann ${i},ann.${i},+44 (0)7700 90000${i % 10},ann.${i}@wexmoor.example,`,
    );
    const header = 'Name,Login,Phone,Mail,Groups';
    const first = await bring(
      [header, ...rows.slice(0, 11), 'Bo,bo,,,"Tower, east"', 'Cy,"cy, cyrus",,,', 'Di,di,,,"Quay, west"', ''].join(
        '\n',
      ),
      {},
      'people',
    );
    expect((await told(first.id)).slice(-3)).toEqual(['new', 'refused several-names', 'refused several-groups']);
    await apply(first, { skipBad: true });
    const { rows: found } = await inst.owner.call('people.list', { query: { q: 'ann.3' } });
    const { phone } = await inst.owner.call('people.show', { params: { id: found[0]!.id } });
    expect(phone).toBe('+447700900003');
    const both = await bring([header, 'Di,"di, dina",,,"Quay, west"', ''].join('\n'), { commas: 'separate' }, 'people');
    expect(both).toMatchObject({ counts: { new: 1 }, newGroups: ['Quay', 'west'] });
    // The mail column came empty, and empty cells clear: eleven people would lose their addresses.
    const emptied = [header, ...rows.slice(0, 11).map((row) => row.replace(/[\w.]+@[\w.]+/, '')), ''].join('\n');
    const checked = await bring(emptied, { empty: 'clear' }, 'people');
    expect(checked).toMatchObject({ cleared: 11, clearedMost: 5 });
    await expect(apply(checked)).rejects.toMatchObject({
      code: 'too-many-cleared',
      problem: { facts: { cleared: 11, most: 5 } },
    });
    await apply(checked, { clearMost: 11 });
    const after = await inst.owner.call('people.show', { params: { id: found[0]!.id } });
    expect(after).toMatchObject({ mail: null, phone: '+447700900003' });
  });

  it('have the country of their phone numbers from the settings, asked for once', async () => {
    const { settings, version } = await inst.owner.call('settings.show');
    await expect(
      inst.owner.call('settings.edit', { body: { ...settings, country: 'XX' }, ifMatch: version }),
    ).rejects.toMatchObject({ code: 'invalid-input' });
    await inst.owner.call('settings.edit', { body: { ...settings, country: 'GB' }, ifMatch: version });
    await expect
      .poll(async () => (await receive('Name,Login,Phone\nEd,ed,020 7946 0018\n', 'x', 'people')).rules.country)
      .toBe('GB');
    const checked = await bring('Name,Login,Phone\nEd,ed,020 7946 0018\n', {}, 'people');
    expect(checked.counts).toMatchObject({ new: 1, refused: 0 });
    expect((await bring('Name,Login,Phone\nEd,ed,020 7946 0018\n', { country: null }, 'people')).counts).toMatchObject({
      refused: 1,
    });
  });
});

describe('a dry run', () => {
  it('is kept for an hour, so that its rows can be read', async () => {
    const received = await receive(`Serial,Seed\nD-1001,${hex('D-1001')}\n`, 'dry');
    const checked = await check(received, {}, { dryRun: true });
    expect(checked.dryRun).toBe(true);
    const left = new Date(checked.keptUntil).getTime() - Date.now();
    expect(left).toBeGreaterThan(50 * 60_000);
    expect(left).toBeLessThanOrEqual(60 * 60_000);
    expect(await told(checked.id)).toHaveLength(1);
    // Looked at anew and meant, it is kept as any other.
    const meant = await check(checked);
    expect(new Date(meant.keptUntil).getTime() - Date.now()).toBeGreaterThan(86_400_000);
  });
});
