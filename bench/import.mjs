/**
 * The benchmark of the CSV import: a file of people, sent, checked and written by the service, beside the bare limit of
 * the same work: parsing the file, and inserting the very rows that the import made into tables of the same shape, in
 * bulk, by one connection to the same server. Sealing, checking, the preview and everything else is what lies between.
 */
import { createReadStream, createWriteStream, mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { cpus, tmpdir } from 'node:os';
import { join } from 'node:path';
import { Readable } from 'node:stream';
import { finished } from 'node:stream/promises';
import { setTimeout as delay } from 'node:timers/promises';
import { createClient } from '@nimble-latch/api/client';
import { parse } from 'csv-parse';
import mariadb from 'mariadb';
import { chore, createDatabase, environment, startService } from '../scripts/lib/installation.mjs';
import { freePort, startPrivateMariadb } from '../scripts/lib/private-mariadb.mjs';

const PEOPLE = Number(process.env.NLATCH_BENCH_ROWS ?? 100_000);
const GOALS = { ratio: 2, residentMb: 300 };
/** Rows of one statement and of one transaction of the bare insert. */
const BATCH = 2_000;
const TABLES = ['persons', 'person_terms', 'login_names', 'group_members', 'person_references', 'trail_entries'];

const dir = mkdtempSync(join(tmpdir(), 'nlatch-bench-'));
const server = await startPrivateMariadb({ dir: join(dir, 'db'), durable: true, bufferPoolMb: 1024 });
const stops = [() => server.stop()];
const seconds = (from) => (performance.now() - from) / 1000;

/** A file as a personnel system writes it: a number that stays, names, address, phone and department. */
async function writeFile(path) {
  const file = createWriteStream(path);
  file.write('Staff no;Given name;Family name;Mail;Login;Mobile;Department\r\n');
  const given = ['Ines', 'Bram', 'Tamsin', 'Jory', 'Åsa', 'Dagny', 'Piers', 'Wenna', 'Ottilie', 'Corin'];
  for (let i = 0; i < PEOPLE; i++) {
    const line = `${200_000 + i};${given[i % 10]};Family${i % 7_919};p${i}@wexmoor.example;p${i};+44207946${String(i % 10_000).padStart(4, '0')};Berth ${i % 40}\r\n`;
    if (!file.write(line)) await new Promise((resolve) => file.once('drain', resolve));
  }
  file.end();
  await finished(file);
}

async function install(name) {
  const database = await createDatabase(server, name);
  const port = await freePort();
  const env = environment(database, {
    masterKeyFile: join(dir, `${name}.key`),
    port,
    more: { NLATCH_LOG_LEVEL: 'warn' },
  });
  await chore(env, 'migrate');
  return { database, env };
}

/** Watches the resident memory of a process until stopped. */
function watchMemory(pid) {
  let most = 0;
  const first = Number(/VmRSS:\s+(\d+)/.exec(readFileSync(`/proc/${pid}/status`, 'utf8'))[1]) / 1024;
  const timer = setInterval(() => {
    const now = Number(/VmRSS:\s+(\d+)/.exec(readFileSync(`/proc/${pid}/status`, 'utf8'))[1]) / 1024;
    most = Math.max(most, now);
  }, 100);
  return () => {
    clearInterval(timer);
    return { first, most };
  };
}

async function ours(file) {
  const { database, env } = await install('ours');
  await chore(env, 'keys', 'create');
  await chore(env, 'demo', '--people', '30');
  const service = await startService(env);
  stops.push(() => service.stop());
  const client = createClient({ server: service.url, token: await chore(env, 'owner-token', '--for', 'ines.marlow') });
  const settled = async (id) => {
    for (;;) {
      const one = await client.call('imports.show', { params: { id } });
      if (one.state !== 'checking' && one.state !== 'applying') return one;
      await delay(250);
    }
  };
  const before = await rowCounts(database);
  const memory = watchMemory(service.child.pid);
  const start = performance.now();
  const received = await client.call('imports.receive', {
    query: { kind: 'people', fileName: 'people.csv' },
    file: Readable.toWeb(createReadStream(file)),
  });
  const { id, columns, rules } = received;
  const sent = seconds(start);
  await client.call('imports.check', {
    params: { id },
    body: { columns: columns.map((column) => column.meaning), rules, saveAs: 'bench' },
  });
  const checked = await settled(id);
  const seen = seconds(start);
  await client.call('imports.apply', { params: { id }, body: {}, ifMatch: checked.version });
  const done = await settled(id);
  const took = seconds(start);
  if (done.state !== 'done' || done.outcome.new !== PEOPLE) throw new Error(`ended as ${JSON.stringify(done)}`);
  return { took, sent, checked: seen - sent, written: took - seen, resident: memory(), database, before };
}

async function connect(database) {
  return await mariadb.createConnection({ ...database, database: database.name, timezone: 'Z' });
}

async function rowCounts(database) {
  const connection = await connect(database);
  const counts = {};
  for (const table of TABLES)
    counts[table] = Number((await connection.query(`SELECT COUNT(*) AS n FROM ${table}`))[0].n);
  await connection.end();
  return counts;
}

/** The same file parsed, and the same rows inserted, with nothing in between. */
async function bare(file, from) {
  const start = performance.now();
  let rows = 0;
  for await (const record of createReadStream(file).pipe(parse({ delimiter: ';' }))) rows += record.length > 0 ? 1 : 0;
  if (rows !== PEOPLE + 1) throw new Error(`${rows} rows parsed`);
  const parsed = seconds(start);
  const { database } = await install('bare');
  const [source, target] = [await connect(from.database), await connect(database)];
  await target.query('SET SESSION foreign_key_checks = 0');
  let inserted = 0;
  for (const table of TABLES) {
    // Read beside the clock: only the inserting is measured.
    const all = await source.query({ sql: `SELECT * FROM ${table}`, rowsAsArray: true });
    const width = all[0].length;
    for (let at = 0; at < all.length; at += BATCH) {
      const some = all.slice(at, at + BATCH);
      const begun = performance.now();
      await target.beginTransaction();
      await target.batch(`INSERT INTO ${table} VALUES (${new Array(width).fill('?').join(', ')})`, some);
      await target.commit();
      inserted += seconds(begun);
    }
  }
  await Promise.all([source.end(), target.end()]);
  return { took: parsed + inserted, parsed, inserted };
}

try {
  const file = join(dir, 'people.csv');
  await writeFile(file);
  const us = await ours(file);
  const limit = await bare(file, us);
  const after = await rowCounts(us.database);
  const ratio = us.took / limit.took;
  const said = (good) => (good ? 'met' : 'NOT met');
  process.stdout.write(
    [
      `Machine: ${cpus()[0].model}, ${cpus().length} cores, Node ${process.version}; ${PEOPLE} people in one CSV file`,
      `rows made   ${TABLES.map((table) => `${table} ${after[table] - us.before[table]}`).join(', ')}`,
      `ours        ${us.took.toFixed(1)} s: received ${us.sent.toFixed(1)}, checked ${us.checked.toFixed(1)}, written ${us.written.toFixed(1)}; ${Math.round(PEOPLE / us.took)} people/s`,
      `bare        ${limit.took.toFixed(1)} s: parsed ${limit.parsed.toFixed(1)}, inserted ${limit.inserted.toFixed(1)}`,
      `ratio       ${ratio.toFixed(2)}   goal: at most ${GOALS.ratio}   ${said(ratio <= GOALS.ratio)}`,
      `resident    ${us.resident.first.toFixed(0)} MB before, ${us.resident.most.toFixed(0)} MB at most   goal: under ${GOALS.residentMb} MB   ${said(us.resident.most < GOALS.residentMb)}`,
      '',
    ].join('\n'),
  );
} finally {
  for (const stop of stops.reverse()) await stop();
  rmSync(dir, { recursive: true, force: true });
}
