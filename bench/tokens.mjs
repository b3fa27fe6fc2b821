/**
 * The benchmark of token files: a box of tokens as a table and as an encrypted key container, sent, checked and written by
 * the service, beside the bare limit of the same work in the same run: parsing the file, decrypting and authenticating its
 * values with node:crypto, and inserting the very rows that the import made into tables of the same shape, in bulk, by one
 * connection to the same server.
 */
import { createCipheriv, createDecipheriv, createHmac, pbkdf2Sync, randomBytes } from 'node:crypto';
import { createReadStream, createWriteStream, mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { cpus, tmpdir } from 'node:os';
import { join } from 'node:path';
import { Readable } from 'node:stream';
import { finished } from 'node:stream/promises';
import { setTimeout as delay } from 'node:timers/promises';
import { createClient } from '@nimble-latch/api/client';
import { parse } from 'csv-parse';
import mariadb from 'mariadb';
import { SaxesParser } from 'saxes';
import { chore, createDatabase, environment, startService } from '../scripts/lib/installation.mjs';
import { freePort, startPrivateMariadb } from '../scripts/lib/private-mariadb.mjs';

const TOKENS = Number(process.env.NLATCH_BENCH_ROWS ?? 100_000);
/** Tokens brought in before the clock runs. */
const WARM_UP = 3_000;
const GOALS = { ratio: 2, residentMb: 300 };
/** Rows of one statement and of one transaction of the bare insert. */
const BATCH = 2_000;
const TABLES = ['tokens', 'token_events', 'trail_entries'];
const PASSPHRASE = 'herons on the breakwater';
const ITERATIONS = 100_000;

const dir = mkdtempSync(join(tmpdir(), 'nlatch-bench-'));
const server = await startPrivateMariadb({ dir: join(dir, 'db'), durable: true, bufferPoolMb: 1024 });
const stops = [() => server.stop()];
const seconds = (from) => (performance.now() - from) / 1000;
const secretOf = (i) => Buffer.from(`secret number ${String(i).padStart(6, '0')}`);

async function writeLines(path, lines) {
  const file = createWriteStream(path);
  for (const line of lines) if (!file.write(line)) await new Promise((resolve) => file.once('drain', resolve));
  file.end();
  await finished(file);
}

function* table(prefix = 'CS', tokens = TOKENS) {
  yield 'Serial,Seed,Manufacturer,Model,Kind,Digits,Period,Expiry\r\n';
  for (let i = 0; i < tokens; i++)
    yield `${prefix}-${String(i).padStart(7, '0')},${secretOf(i).toString('hex')},Gullwing,Fob 2,totp,6,30,2031-12-31\r\n`;
}

const SALT = randomBytes(16);
const MAC_KEY = randomBytes(32);
const AES = 'http://www.w3.org/2001/04/xmlenc#aes256-cbc';
/** RFC 6030 §6.2: a passphrase, AES-256-CBC with HMAC-SHA-256 for each value. */
function* container() {
  const key = pbkdf2Sync(PASSPHRASE, SALT, ITERATIONS, 32, 'sha256');
  const seal = (plain) => {
    const vector = randomBytes(16);
    const cipher = createCipheriv('aes-256-cbc', key, vector);
    return Buffer.concat([vector, cipher.update(plain), cipher.final()]);
  };
  const value = (cipher) =>
    `<xenc:EncryptionMethod Algorithm="${AES}"/><xenc:CipherData><xenc:CipherValue>${cipher.toString('base64')}</xenc:CipherValue></xenc:CipherData>`;
  yield `<?xml version="1.0"?><KeyContainer Version="1.0" xmlns="urn:ietf:params:xml:ns:keyprov:pskc" xmlns:ds="http://www.w3.org/2000/09/xmldsig#"
  xmlns:xenc="http://www.w3.org/2001/04/xmlenc#" xmlns:xenc11="http://www.w3.org/2009/xmlenc11#" xmlns:pkcs5="http://www.rsasecurity.com/rsalabs/pkcs/schemas/pkcs-5v2-0#">
<EncryptionKey><xenc11:DerivedKey><xenc11:KeyDerivationMethod Algorithm="http://www.rsasecurity.com/rsalabs/pkcs/schemas/pkcs-5v2-0#pbkdf2">
  <pkcs5:PBKDF2-params><Salt><Specified>${SALT.toString('base64')}</Specified></Salt><IterationCount>${ITERATIONS}</IterationCount>
  <KeyLength>32</KeyLength><PRF Algorithm="http://www.w3.org/2001/04/xmldsig-more#hmac-sha256"/></pkcs5:PBKDF2-params></xenc11:KeyDerivationMethod></xenc11:DerivedKey></EncryptionKey>
<MACMethod Algorithm="http://www.w3.org/2001/04/xmldsig-more#hmac-sha256"><MACKey>${value(seal(MAC_KEY))}</MACKey></MACMethod>\n`;
  for (let i = 0; i < TOKENS; i++) {
    const cipher = seal(secretOf(i));
    const mac = createHmac('sha256', MAC_KEY).update(cipher).digest('base64');
    yield `<KeyPackage><DeviceInfo><Manufacturer>Gullwing</Manufacturer><SerialNo>PS-${String(i).padStart(7, '0')}</SerialNo><Model>Card 60</Model></DeviceInfo>
<Key Id="${i}" Algorithm="urn:ietf:params:xml:ns:keyprov:pskc:totp"><AlgorithmParameters><ResponseFormat Length="6" Encoding="DECIMAL"/></AlgorithmParameters>
<Data><Secret><EncryptedValue>${value(cipher)}</EncryptedValue><ValueMAC>${mac}</ValueMAC></Secret><TimeInterval><PlainValue>60</PlainValue></TimeInterval></Data>
<Policy><ExpiryDate>2031-12-31T00:00:00Z</ExpiryDate><KeyUsage>OTP</KeyUsage></Policy></Key></KeyPackage>\n`;
  }
  yield '</KeyContainer>\n';
}

async function install(name) {
  const database = await createDatabase(server, name);
  const env = environment(database, {
    masterKeyFile: join(dir, `${name}.key`),
    port: await freePort(),
    more: { NLATCH_LOG_LEVEL: 'warn' },
  });
  await chore(env, 'migrate');
  return { database, env };
}

/** Watches the resident memory of a process until stopped. */
function watchMemory(pid) {
  const resident = () => Number(/VmRSS:\s+(\d+)/.exec(readFileSync(`/proc/${pid}/status`, 'utf8'))[1]) / 1024;
  const first = resident();
  let most = first;
  const timer = setInterval(() => (most = Math.max(most, resident())), 100);
  return () => {
    clearInterval(timer);
    return { first, most };
  };
}

const connect = async (database) =>
  await mariadb.createConnection({ ...database, database: database.name, timezone: 'Z' });

async function ours(name, file, query, fileKey) {
  const { database, env } = await install(name);
  await chore(env, 'keys', 'create');
  const service = await startService(env);
  stops.push(() => service.stop());
  const client = createClient({ server: service.url });
  const secret = /set-up#(\S+)/.exec(service.said())[1];
  await client.call('links.setUp', {
    body: { secret, displayName: 'Bench', loginName: 'bench', password: 'a password for the bench' },
  });
  const owner = createClient({ server: service.url, token: await chore(env, 'owner-token') });
  const settled = async (id) => {
    for (;;) {
      const one = await owner.call('imports.show', { params: { id } });
      if (one.state !== 'checking' && one.state !== 'applying') return one;
      await delay(250);
    }
  };
  const bring = async (from, given, key) => {
    const start = performance.now();
    const { id, columns, rules } = await owner.call('imports.receive', {
      query: { kind: 'tokens', fileName: 'box', ...given },
      file: Readable.toWeb(createReadStream(from)),
      ...(key ? { fileKey: key } : {}),
    });
    const sent = seconds(start);
    const meanings = columns.map(({ meaning }) => meaning);
    await owner.call('imports.check', { params: { id }, body: { columns: meanings, rules, saveAs: null } });
    const checked = await settled(id);
    const seen = seconds(start);
    await owner.call('imports.apply', { params: { id }, body: {}, ifMatch: checked.version });
    const done = await settled(id);
    const took = seconds(start);
    if (done.state !== 'done') throw new Error(`ended as ${JSON.stringify(done)}`);
    return { took, sent, checked: seen - sent, written: took - seen, added: done.outcome.new };
  };
  // Compilers first: a service runs for months.
  const small = join(dir, `${name}-small.csv`);
  await writeLines(small, table('WU', WARM_UP));
  await bring(small, { form: 'csv' });
  const connection = await connect(database);
  await connection.query('DELETE FROM token_events');
  await connection.query('DELETE FROM tokens');
  const [{ n: trail }] = await connection.query('SELECT COUNT(*) AS n FROM trail_entries');
  await connection.end();
  const memory = watchMemory(service.child.pid);
  const run = await bring(file, query, fileKey);
  if (run.added !== TOKENS) throw new Error(`${run.added} were added`);
  const resident = memory();
  await service.stop();
  return { ...run, resident, database, trail: Number(trail) };
}

/** Parses a table; nothing is made of its rows. */
async function parsedTable(file) {
  let rows = -1;
  for await (const record of createReadStream(file).pipe(parse({ delimiter: ',' }))) rows += record.length > 0 ? 1 : 0;
  return rows;
}

/** Parses a container, and authenticates and decrypts each value. */
async function parsedContainer(file) {
  const key = pbkdf2Sync(PASSPHRASE, SALT, ITERATIONS, 32, 'sha256');
  const parser = new SaxesParser({ xmlns: true });
  let [text, cipher, rows] = ['', undefined, 0];
  parser.on('text', (piece) => (text += piece));
  parser.on('opentag', () => (text = ''));
  parser.on('closetag', ({ local }) => {
    if (local === 'CipherValue') cipher = Buffer.from(text, 'base64');
    if (local !== 'ValueMAC') return;
    const mac = createHmac('sha256', MAC_KEY).update(cipher).digest();
    if (!mac.equals(Buffer.from(text, 'base64'))) throw new Error('wrong MAC');
    const decipher = createDecipheriv('aes-256-cbc', key, cipher.subarray(0, 16));
    if (Buffer.concat([decipher.update(cipher.subarray(16)), decipher.final()]).length === 20) rows += 1;
  });
  for await (const piece of createReadStream(file, 'utf8')) parser.write(piece);
  parser.close();
  return rows;
}

/** The same rows inserted, with nothing in between. */
async function bare(name, file, parsing, from) {
  const start = performance.now();
  if ((await parsing(file)) !== TOKENS) throw new Error('not all was parsed');
  const parsed = seconds(start);
  const { database } = await install(name);
  const [source, target] = [await connect(from.database), await connect(database)];
  await target.query('SET SESSION foreign_key_checks = 0');
  let inserted = 0;
  for (const one of TABLES) {
    // Read beside the clock, a part at a time: only the inserting is measured.
    for (let at = one === 'trail_entries' ? from.trail : 0; ; at += BATCH) {
      const some = await source.query({
        sql: `SELECT * FROM ${one} ORDER BY ${one === 'trail_entries' ? 'writer, number' : 'id'} LIMIT ${BATCH} OFFSET ${at}`,
        rowsAsArray: true,
      });
      if (some.length === 0) break;
      const begun = performance.now();
      await target.beginTransaction();
      await target.batch(`INSERT INTO ${one} VALUES (${new Array(some[0].length).fill('?').join(', ')})`, some);
      await target.commit();
      inserted += seconds(begun);
    }
  }
  await Promise.all([source.end(), target.end()]);
  return { took: parsed + inserted, parsed, inserted };
}

const said = (good) => (good ? 'met' : 'NOT met');
function report(what, us, limit) {
  const ratio = us.took / limit.took;
  process.stdout.write(
    [
      what,
      `  ours      ${us.took.toFixed(1)} s: received ${us.sent.toFixed(1)}, checked ${us.checked.toFixed(1)}, written ${us.written.toFixed(1)}; ${Math.round(TOKENS / us.took)} tokens/s`,
      `  bare      ${limit.took.toFixed(1)} s: parsed ${limit.parsed.toFixed(1)}, inserted ${limit.inserted.toFixed(1)}`,
      `  ratio     ${ratio.toFixed(2)}   goal: at most ${GOALS.ratio}   ${said(ratio <= GOALS.ratio)}`,
      `  resident  ${us.resident.first.toFixed(0)} MB before, ${us.resident.most.toFixed(0)} MB at most   goal: under ${GOALS.residentMb} MB   ${said(us.resident.most < GOALS.residentMb)}`,
      '',
    ].join('\n'),
  );
}

try {
  process.stdout.write(
    `Machine: ${cpus()[0].model}, ${cpus().length} cores, Node ${process.version}; ${TOKENS} tokens in a file\n`,
  );
  const [csv, pskc] = [join(dir, 'box.csv'), join(dir, 'box.xml')];
  await writeLines(csv, table());
  const byTable = await ours('ours_csv', csv, { form: 'csv' });
  report('A table', byTable, await bare('bare_csv', csv, parsedTable, byTable));
  await writeLines(pskc, container());
  const key = `passphrase ${Buffer.from(PASSPHRASE).toString('base64url')}`;
  const byContainer = await ours('ours_pskc', pskc, { form: 'pskc' }, key);
  report('An encrypted key container', byContainer, await bare('bare_pskc', pskc, parsedContainer, byContainer));
} finally {
  for (const stop of stops.reverse()) await stop();
  rmSync(dir, { recursive: true, force: true });
}
