import { setTimeout as delay } from 'node:timers/promises';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { afterWaiting } from './support/administrators.js';
import { hotp } from './support/counters.js';
import { connectedApplication, Installation, outcomes, PASSWORD } from './support/installation.js';
import { CONSOLE, publish, rulebookOf } from './support/rulebooks.js';

const secretOf = (n: number) => Buffer.from(`secret of token ${String(n).padStart(4, '0')}`);

let inst: Installation;
let app: Awaited<ReturnType<typeof connectedApplication>>;
beforeAll(async () => {
  inst = await Installation.start(2, {}, { processes: true });
  app = await connectedApplication(inst.owner, 'Quay Terminals', { claims: ['password-checked'] });
  await publish(inst.owner, rulebookOf([CONSOLE]));
});
afterAll(async () => await inst.stop());

const add = async (loginName: string) => {
  const { id } = await inst.owner.call('people.add', { body: { displayName: loginName, loginNames: [loginName] } });
  await inst.owner.call('people.setPassword', { params: { id }, body: { password: PASSWORD } });
  return id;
};
type Query = { form?: 'csv' | 'pskc' | 'key-uris'; fileName?: string };
const receive = async (text: string, query: Query = {}, fileKey?: string) =>
  await inst.owner.call('imports.receive', {
    query: { kind: 'tokens', fileName: 'tokens', ...query },
    file: new Blob([text]),
    ...(fileKey === undefined ? {} : { fileKey }),
  });
const settled = async (id: string, ...states: string[]) => {
  await expect
    .poll(async () => (await inst.owner.call('imports.show', { params: { id } })).state)
    .toSatisfy((state: string) => states.includes(state));
  return await inst.owner.call('imports.show', { params: { id } });
};
const check = async (one: Awaited<ReturnType<typeof receive>>, rules: Partial<typeof one.rules> = {}) => {
  const columns = one.columns.map(({ meaning }) => meaning);
  await inst.owner.call('imports.check', {
    params: { id: one.id },
    body: { columns, rules: { ...one.rules, ...rules }, saveAs: null },
  });
  return await settled(one.id, 'checked', 'staged');
};
const apply = async (one: Awaited<ReturnType<typeof check>>, skipBad = false) => {
  await inst.owner.call('imports.apply', { params: { id: one.id }, body: { skipBad }, ifMatch: one.version });
  return await settled(one.id, 'done', 'stopped', 'checked');
};
const rowsOf = async (id: string) => (await inst.owner.call('imports.rows', { params: { id } })).rows;
const find = async (q: string) => (await inst.owner.call('stock.list', { query: { q } })).rows;
const csv = (from: number, to: number, more = (_: number) => '') =>
  `Serial,Seed,Manufacturer,Model,Kind,Expiry${more(-1)}\n${Array.from(
    { length: to - from },
    (_, i) => `WX-${from + i},${secretOf(from + i).toString('hex')},Gullwing,Fob 2,hotp,2031-12-31${more(from + i)}\n`,
  ).join('')}`;

/** RFC 6030 figure 6, with its own serial number. */
const PSKC = `<?xml version="1.0"?><KeyContainer Version="1.0" xmlns="urn:ietf:params:xml:ns:keyprov:pskc" xmlns:ds="http://www.w3.org/2000/09/xmldsig#" xmlns:xenc="http://www.w3.org/2001/04/xmlenc#">
<EncryptionKey><ds:KeyName>Pre-shared-key</ds:KeyName></EncryptionKey>
<MACMethod Algorithm="http://www.w3.org/2000/09/xmldsig#hmac-sha1"><MACKey><xenc:EncryptionMethod Algorithm="http://www.w3.org/2001/04/xmlenc#aes128-cbc"/><xenc:CipherData><xenc:CipherValue>ESIzRFVmd4iZABEiM0RVZgKn6WjLaTC1sbeBMSvIhRejN9vJa2BOlSaMrR7I5wSX</xenc:CipherValue></xenc:CipherData></MACKey></MACMethod>
<KeyPackage><DeviceInfo><Manufacturer>Manufacturer</Manufacturer><SerialNo>987654321</SerialNo></DeviceInfo><Key Id="12345678" Algorithm="urn:ietf:params:xml:ns:keyprov:pskc:hotp"><AlgorithmParameters><ResponseFormat Length="8" Encoding="DECIMAL"/></AlgorithmParameters><Data><Secret><EncryptedValue><xenc:EncryptionMethod Algorithm="http://www.w3.org/2001/04/xmlenc#aes128-cbc"/><xenc:CipherData><xenc:CipherValue>AAECAwQFBgcICQoLDA0OD+cIHItlB3Wra1DUpxVvOx2lef1VmNPCMl8jwZqIUqGv</xenc:CipherValue></xenc:CipherData></EncryptedValue><ValueMAC>Su+NvtQfmvfJzF6bmQiJqoLRExc=</ValueMAC></Secret></Data></Key></KeyPackage></KeyContainer>`;

describe('a file of tokens', () => {
  it('is guessed, shown without its secrets, and written as it was shown', async () => {
    const received = await receive(csv(1000, 1020));
    expect(received.columns.map(({ meaning }) => meaning)).toEqual([
      'serial',
      'secret',
      'maker',
      'model',
      'kind',
      'expires',
    ]);
    expect(received.rules.secrets).toBe('hex');
    expect(received.columns[1]!.samples).toEqual(['••••', '••••', '••••']);
    const checked = await check(received);
    expect(checked.counts).toMatchObject({ new: 20, refused: 0 });
    const [first] = await rowsOf(received.id);
    expect(first!.changes.map(({ what, to }) => `${what} ${to}`)).toEqual([
      'kind hotp, SHA1, 6',
      'counter 0',
      'maker Gullwing',
      'model Fob 2',
      'expires 2031-12-31',
    ]);
    expect((await apply(checked)).outcome).toMatchObject({ new: 20 });
    const { rows } = await inst.owner.call('stock.list', { query: { q: 'wx 10', limit: 200 } });
    expect(rows).toHaveLength(20);
    expect(rows[0]).toMatchObject({ serial: 'WX-1000', state: 'in-stock', method: 'hotp', batch: { name: 'tokens' } });
    expect(JSON.stringify(rows)).not.toContain(secretOf(1000).toString('hex'));
    // The same file once more changes nothing.
    expect((await check(await receive(csv(1000, 1020)))).counts).toMatchObject({ new: 0, unchanged: 20 });
  });

  it('has each row that is wrong told with its reason, and nothing written while there is one', async () => {
    await add('gerrit');
    const text = [
      'Serial,Seed,Manufacturer,Owner',
      `WX-1000,${Buffer.from('another secret than before').toString('hex')},Gullwing,`,
      `WX-1000,${secretOf(1).toString('hex')},Other maker,gerrit`,
      `WX-2000,GEZDGNBVGY3TQOJQGEZDGNBVGY3TQOJQ,Gullwing,`,
      `WX-2001,ff,Gullwing,`,
      `WX-2002,${'ab'.repeat(10_000)},Gullwing,`,
      `WX-2003,${secretOf(3).toString('hex')},Gullwing,nobody.at.all`,
      `wx2004,${secretOf(4).toString('hex')},Gullwing,`,
      `WX-2004,${secretOf(5).toString('hex')},gullwing,`,
      '',
    ].join('\n');
    const checked = await check(await receive(text), { secrets: 'hex' });
    const rows = await rowsOf(checked.id);
    expect(rows.map(({ verdict, issues }) => [verdict, ...issues.map(({ reason }) => reason)])).toEqual([
      ['refused', 'secret-other'],
      ['new'],
      ['refused', 'secret-encoding'],
      ['refused', 'secret-length'],
      ['refused', 'secret-length'],
      ['refused', 'unknown-person'],
      ['new'],
      ['refused', 'twice-in-file'],
    ]);
    expect(rows[2]!.issues[0]!.facts).toEqual({ said: 'hex', looks: 'base32' });
    const report = await inst.owner.call('imports.report', { params: { id: checked.id } });
    expect(report).not.toContain('GEZDGNBV');
    await expect(
      inst.owner.call('imports.apply', { params: { id: checked.id }, body: {}, ifMatch: checked.version }),
    ).rejects.toMatchObject({ code: 'bad-rows' });
    await apply(checked, true);
    expect((await find('WX-1000')).map(({ maker, state }) => [maker, state])).toEqual([
      ['Gullwing', 'in-stock'],
      ['Other maker', 'assigned'],
    ]);
  });

  it('may be a key container or key URIs; what does not open is refused with its line', async () => {
    const key = 'key 12345678901234567890123456789012';
    const refused = async (text: string, fileKey?: string) =>
      await receive(text, { form: 'pskc' }, fileKey).then(
        () => 'received',
        (error: { code: string; problem: { facts?: { what: string }; issues: { where: string }[] } }) =>
          `${error.code} ${error.problem.facts?.what ?? ''} ${error.problem.issues[0]!.where}`,
      );
    expect(await refused(PSKC)).toBe('key-file-unreadable key-needed line 2');
    expect(await refused(PSKC, 'passphrase cXdlcnR5')).toBe('key-file-unreadable key-kind line 2');
    expect(await refused(PSKC, `key ${'00'.repeat(16)}`)).toBe('key-file-unreadable wrong-key line 3');
    expect(await refused(PSKC.slice(0, -30), key)).toMatch('key-file-unreadable xml');
    expect(await refused(PSKC, 'nonsense')).toMatch('invalid-input');
    const checked = await check(await receive(PSKC, { form: 'pskc', fileName: 'box.xml' }, key));
    await apply(checked);
    expect((await find('98765432'))[0]).toMatchObject({ digits: 8, method: 'hotp', batch: { name: 'box.xml' } });
    const uris =
      'otpauth://totp/Port:WX-3001?secret=GEZDGNBVGY3TQOJQGEZDGNBVGY3TQOJQ&issuer=Port&period=60\notpauth://hotp/Port:WX-3002?secret=GEZDGNBVGY3TQOJQGEZDGNBVGY3TQOJR&counter=7\nnonsense\n';
    const listed = await check(await receive(uris, { form: 'key-uris' }));
    expect(listed.counts).toMatchObject({ new: 2, refused: 1 });
    await apply(listed, true);
    expect((await find('WX-300')).map(({ method, period, maker }) => [method, period, maker])).toEqual([
      ['totp', 60, 'Port'],
      ['hotp', null, 'Port'],
    ]);
    expect(inst.logs()).not.toMatch(/12345678901234567890123456789012|GEZDGNBV/);
  });

  it('goes on where it was when its node is killed, and writes no token twice', async () => {
    const received = await check(await receive(csv(5_000, 7_000)));
    const { id } = received;
    await inst.owner.call('imports.apply', { params: { id }, body: {}, ifMatch: received.version });
    await expect
      .poll(async () => (await inst.sql<{ n: number }>('SELECT MAX(flipped) AS n FROM imports'))[0]!.n, {
        timeout: 30_000,
        interval: 20,
      })
      .toBeGreaterThan(400);
    await Promise.all(inst.nodes.map(async (node) => await node.stop('SIGKILL')));
    // What the dead had sent already, the server still carries out.
    await delay(1_000);
    await inst.sql(
      "UPDATE jobs SET lease_until = UTC_TIMESTAMP(3) - INTERVAL 1 SECOND WHERE kind = 'apply-import' AND state = 'running'",
    );
    await inst.startNode();
    await inst.startNode();
    inst.nodes.splice(0, inst.nodes.length - 2);
    expect((await settled(id, 'done')).outcome).toMatchObject({ new: 2_000, overtaken: 0 });
    const [there] = await inst.sql<{ n: number; twice: number }>(
      "SELECT COUNT(*) AS n, COUNT(*) - COUNT(DISTINCT serial_key) AS twice FROM tokens WHERE serial_key LIKE 'WX5%' OR serial_key LIKE 'WX6%'",
    );
    expect(there).toMatchObject({ n: 2_000, twice: 0 });
  }, 120_000);
});

describe('a token', () => {
  const token = async (serial: string) => (await find(serial))[0]!;
  const story = async (id: string) =>
    (await inst.owner.call('stock.show', { params: { id } })).story.map(({ event }) => event).reverse();
  const sign = async (loginName: string, code: string, node = 0) => {
    const client = inst.client(inst.nodes[node]!.url, app.key);
    const { id } = await client.call('signIns.begin', { body: { loginName, claims: { passwordChecked: true } } });
    return await client.call('signIns.prove', { params: { id }, body: { kind: 'code', value: code } });
  };

  it('is one person’s, whoever assigns it at the same moment; the next of a batch goes to each once', async () => {
    const people = await Promise.all(['a1', 'a2', 'a3', 'a4', 'a5', 'a6'].map(add));
    const { id } = await token('WX-1001');
    const nodes = [inst.nodes[0]!, inst.nodes.at(-1)!];
    const raced = await outcomes(
      people.map(async (person, i) =>
        nodes[i % 2]!.owner.call('tokens.assign', { params: { id: person, tokenId: id } }),
      ),
    );
    expect(raced.filter((one) => typeof one !== 'string')).toHaveLength(1);
    expect(raced.filter((one) => one === 'wrong-state')).toHaveLength(5);
    const next = await outcomes(
      people.map(async (person, i) =>
        nodes[i % 2]!.owner.call('tokens.assignNext', { params: { id: person }, body: {} }),
      ),
    );
    const given = next.map((one) => (typeof one === 'string' ? one : one.serial));
    expect(new Set(given).size).toBe(6);
  });

  it('is proved by its holder’s code, answers sign-ins, and its counter never goes back', async () => {
    const person = await add('crane.one');
    const { id } = await token('WX-1010');
    await inst.owner.call('tokens.assign', { params: { id: person, tokenId: id } });
    await inst.owner.call('stock.move', { params: { id }, body: { to: 'sent', note: 'Crane 4' } });
    expect(await token('WX-1010')).toMatchObject({ state: 'sent', sentTo: 'Crane 4', arrived: false });
    await inst.owner.call('stock.move', { params: { id }, body: { to: 'arrived' } });
    const prove = async (...codes: string[]) =>
      await inst.owner.call('tokens.prove', { params: { id: person, tokenId: id }, body: { codes } });
    const secret = secretOf(1010);
    await expect(prove('000000')).rejects.toMatchObject({ code: 'code-wrong' });
    // Pressed forty times in a drawer: one code is not enough, two are.
    await expect(prove(hotp(secret, 40))).rejects.toMatchObject({
      code: 'token-ahead',
      problem: { facts: { codes: 40 } },
    });
    const proved = await prove(hotp(secret, 40), hotp(secret, 41));
    expect(proved).toMatchObject({ method: 'hotp', state: 'active', hotp: { counter: 42 }, tokenId: id });
    expect((await sign('crane.one', hotp(secret, 42))).state).toBe('let-in');
    expect((await sign('crane.one', hotp(secret, 42))).reason).toBe('wrong-proof');
    expect((await sign('crane.one', hotp(secret, 41))).reason).toBe('wrong-proof');
    expect((await sign('crane.one', hotp(secret, 44))).state).toBe('let-in');
    // Of many uses of one code on both nodes one counts.
    const code = hotp(secret, 46);
    const raced = await Promise.all(
      Array.from(
        { length: 12 },
        async (_, i) => (await sign('crane.one', code, i % 2 ? inst.nodes.length - 1 : 0)).state,
      ),
    );
    expect(raced.filter((state) => state === 'let-in')).toHaveLength(1);
    const reset = async () => await inst.owner.call('authenticators.unlock', { params: { id: proved.id } });
    await reset();
    const far = await sign('crane.one', hotp(secret, 55));
    expect(far.reason).toBe('wrong-proof');
    expect(await inst.owner.call('activity.show', { params: { id: far.id } })).toMatchObject({ reason: 'counter-far' });
    const resync = async (...codes: [string, string]) =>
      await inst.owner.call('authenticators.resync', { params: { id: proved.id }, body: { codes } });
    await expect(resync(hotp(secret, 500), hotp(secret, 502))).rejects.toMatchObject({ code: 'codes-not-consecutive' });
    await expect(resync(hotp(secret, 43), hotp(secret, 44))).rejects.toMatchObject({ code: 'code-used' });
    expect(await resync(hotp(secret, 500), hotp(secret, 501))).toMatchObject({ hotp: { counter: 502 } });
    await expect(resync(hotp(secret, 500), hotp(secret, 501))).rejects.toMatchObject({ code: 'code-used' });
    const test = async (typed: string) =>
      (await inst.owner.call('authenticators.test', { params: { id: proved.id }, body: { code: typed } })).outcome;
    expect(await test(hotp(secret, 502))).toBe('right');
    expect(await test(hotp(secret, 502))).toBe('used');
    expect((await sign('crane.one', hotp(secret, 502))).reason).toBe('wrong-proof');
    await reset();
    expect(await test(hotp(secret, 510))).toBe('far');
    // Where the next code can be asked for, two codes at the sign-in itself find a counter again.
    await reset();
    const carrying = inst.client(inst.url, app.key);
    const begun = await carrying.call('signIns.begin', {
      body: { loginName: 'crane.one', claims: { passwordChecked: true }, carries: ['code', 'next-code'] },
    });
    const answer = async (kind: 'code' | 'next-code', value: string) =>
      await carrying.call('signIns.prove', { params: { id: begun.id }, body: { kind, value } });
    expect(await answer('code', hotp(secret, 511))).toMatchObject({ state: 'asking', prompt: { kind: 'next-code' } });
    expect(await answer('next-code', hotp(secret, 511))).toMatchObject({ reason: 'wrong-proof' });
    expect(await answer('next-code', hotp(secret, 503))).toMatchObject({ reason: 'wrong-proof' });
    expect(await answer('next-code', hotp(secret, 512))).toMatchObject({ state: 'let-in', way: 'password + hotp' });
    expect((await sign('crane.one', hotp(secret, 512))).reason).toBe('wrong-proof');
    expect(await story(id)).toEqual(['imported', 'assigned', 'sent', 'arrived', 'proved', 'resynchronised']);

    // It comes back: its authenticator ends, the next holder goes on from its counter, and the story stays.
    await inst.owner.call('stock.move', { params: { id }, body: { to: 'returned' } });
    const { authenticators } = await inst.owner.call('keyring.show', { params: { id: person } });
    expect(authenticators.find((one) => one.id === proved.id)).toMatchObject({ state: 'revoked', tokenId: null });
    await expect(sign('crane.one', hotp(secret, 503))).rejects.toMatchObject({ code: 'sign-in-ended' });
    await inst.owner.call('stock.move', { params: { id }, body: { to: 'in-stock' } });
    const second = await add('crane.two');
    await inst.owner.call('tokens.assign', { params: { id: second, tokenId: id } });
    const anew = async (counter: number) =>
      await inst.owner.call('tokens.prove', {
        params: { id: second, tokenId: id },
        body: { codes: [hotp(secret, counter)] },
      });
    await expect(anew(510)).rejects.toMatchObject({ code: 'code-wrong' });
    expect(await anew(513)).toMatchObject({ hotp: { counter: 514 } });
    await expect(inst.owner.call('stock.move', { params: { id }, body: { to: 'in-stock' } })).rejects.toMatchObject({
      code: 'wrong-state',
    });
  });

  it('leaves encrypted only, with a second administrator’s yes, and is read again elsewhere', async () => {
    const { batches } = await inst.owner.call('stock.counts');
    const batch = batches.find(({ name }) => name === 'box.xml')!;
    const passphrase = 'herons on the breakwater';
    const taken = async () => await inst.owner.call('stock.export', { body: { passphrase, batch: batch.id } });
    await expect(
      inst.owner.call('stock.export', { body: { passphrase: 'short', batch: batch.id } }),
    ).rejects.toMatchObject({ code: 'invalid-input' });
    const text = await afterWaiting(inst, taken);
    expect(text).toContain('<SerialNo>987654321</SerialNo>');
    expect(text).not.toContain(Buffer.from('12345678901234567890').toString('base64'));
    const fileKey = `passphrase ${Buffer.from(passphrase).toString('base64url')}`;
    const again = await check(await receive(text, { form: 'pskc' }, fileKey));
    expect(again.counts).toMatchObject({ unchanged: 1, refused: 0 });
    const { rows } = await inst.owner.call('trail.list', { query: { action: 'token.exported' } });
    expect(rows).toMatchObject([{ details: { tokens: 1 } }]);
    expect((await story((await token('987654321')).id)).at(-1)).toBe('exported');
    expect(inst.logs()).not.toContain(passphrase);
  });

  it('serves a way that asks for hardware, is preferred, and is reported lost as a whole', async () => {
    const person = await add('pilot');
    const { id } = await token('WX-3001');
    await inst.owner.call('tokens.assign', { params: { id: person, tokenId: id } });
    const secret = Buffer.from('12345678901234567890');
    const step = () => Math.floor(Date.now() / 60_000);
    const begun = await inst.owner.call('totp.begin', { params: { id: person }, body: {} });
    const proved = await inst.owner.call('tokens.prove', {
      params: { id: person, tokenId: id },
      body: { codes: [hotp(secret, step())] },
    });
    expect(proved).toMatchObject({ method: 'totp', totp: { period: 60 } });
    const draft = rulebookOf([
      CONSOLE,
      '{ rule: Hardware, at: { applications: [Quay Terminals] }, then: { ask for: [password + totp(hardware)] } }',
    ]);
    const { version } = await inst.owner.call('rulebookDraft.show');
    await inst.owner.call('rulebookDraft.save', { body: { text: draft }, ifMatch: version });
    const explained = await inst.owner.call('people.explain', {
      params: { id: person },
      query: { application: app.id, draft: 'true' },
    });
    expect(explained.ways[0]!.servedBy?.map(({ id: one }) => one)).toContain(proved.id);
    await inst.owner.call('authenticators.prefer', { params: { id: proved.id }, body: { preferred: true } });
    const report = async (state: 'lost' | 'in-hand') =>
      await inst.owner.call('carriers.report', { params: { id: proved.carrierId! }, body: { state } });
    expect(await report('lost')).toMatchObject({ suspended: ['WX-3001'], left: 1, carrier: { state: 'lost' } });
    await expect(report('lost')).rejects.toMatchObject({ code: 'wrong-state' });
    expect(await report('in-hand')).toMatchObject({ suspended: [], left: 1 });
    expect(begun.authenticator.state).toBe('pending');
  });

  it('on paper is entered by hand; what runs out or never arrived is counted', async () => {
    const body = { serial: 'PAPER-1', maker: 'Gullwing', secret: 'GEZD GNBV GY3T QOJQ GEZD GNBV GY3T QOJQ' };
    const soon = new Date(Date.now() + 20 * 86_400_000).toISOString().slice(0, 10);
    const entered = await inst.owner.call('stock.add', { body: { ...body, expiresOn: soon } });
    expect(entered).toMatchObject({ state: 'in-stock', method: 'totp', story: [{ event: 'entered' }] });
    await expect(inst.owner.call('stock.add', { body })).rejects.toMatchObject({ code: 'serial-taken' });
    await expect(
      inst.owner.call('stock.add', { body: { ...body, serial: 'PAPER-2', secret: 'AAAA' } }),
    ).rejects.toMatchObject({ code: 'invalid-input' });
    await inst.sql("UPDATE tokens SET changed_at = changed_at - INTERVAL 40 DAY WHERE serial = 'WX-1001'");
    const { needs, states } = await inst.owner.call('stock.counts');
    expect(needs).toMatchObject({ expiring: 1, 'never-proved': 1 });
    expect(states['in-stock']).toBeGreaterThan(1_900);
    const expiring = await inst.owner.call('stock.list', { query: { needs: 'expiring' } });
    expect(expiring.rows.map(({ serial }) => serial)).toEqual(['PAPER-1']);
    await inst.owner.call('stock.move', { params: { id: entered.id }, body: { to: 'retired' } });
    const [sealed] = await inst.sql<{ n: number }>(
      "SELECT COUNT(*) AS n FROM tokens WHERE state = 'retired' AND secret_sealed IS NOT NULL",
    );
    expect(sealed!.n).toBe(0);
  });

  it('counts within its days only: not proved before or after them, and expired the day after', async () => {
    const day = (offset: number) => new Date(Date.now() + offset * 86_400_000).toISOString().slice(0, 10);
    const lines = [
      ['DX-001', day(2), day(9)],
      ['DX-002', day(-9), day(-2)],
      ['DX-003', day(-9), day(9)],
    ].map(([serial, from, until], i) => `${serial},${secretOf(7_000 + i).toString('hex')},hotp,${from},${until}\n`);
    await apply(await check(await receive(`Serial,Seed,Kind,Start,Expiry\n${lines.join('')}`)));
    const person = await add('days');
    const proved = async (serial: string, n: number) => {
      const { id } = await token(serial);
      await inst.owner.call('tokens.assign', { params: { id: person, tokenId: id } });
      const codes = [hotp(secretOf(7_000 + n), 0)];
      return await inst.owner.call('tokens.prove', { params: { id: person, tokenId: id }, body: { codes } });
    };
    await expect(proved('DX-001', 0)).rejects.toMatchObject({ code: 'token-days' });
    await expect(proved('DX-002', 1)).rejects.toMatchObject({ code: 'token-days' });
    const { id } = await proved('DX-003', 2);
    expect((await sign('days', hotp(secretOf(7_002), 1))).state).toBe('let-in');
    await inst.sql('UPDATE authenticators SET expires_on = UTC_DATE() - INTERVAL 1 DAY WHERE LOWER(HEX(id)) = ?', [
      id.replaceAll('-', ''),
    ]);
    await expect(sign('days', hotp(secretOf(7_002), 2))).rejects.toMatchObject({ code: 'sign-in-ended' });
    await inst.sql("UPDATE jobs SET run_at = UTC_TIMESTAMP(3) WHERE kind = 'expire-authenticators'");
    const state = async () =>
      (await inst.owner.call('keyring.show', { params: { id: person } })).authenticators.find((one) => one.id === id)
        ?.state;
    await expect.poll(state).toBe('expired');
    const { rows } = await inst.owner.call('trail.list', { query: { person, action: 'authenticator.expired' } });
    expect(rows).toHaveLength(1);
  });
});
