/**
 * What a cluster costs, beside the same statements without it: a transaction that reads by key and writes, on one of three members, with and
 * without waiting for what was committed elsewhere (`wsrep_sync_wait`), while another member is idle and while it writes; and the same on one
 * server. In turn, in rounds; medians. All members share this machine, so the figures of a COMMIT are not those of three hosts.
 */
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { setTimeout as delay } from 'node:timers/promises';
import mariadb from 'mariadb';
import { startPrivateCluster } from '../scripts/lib/private-cluster.mjs';
import { startPrivateMariadb } from '../scripts/lib/private-mariadb.mjs';

const ROUNDS = 12;
const IN_A_ROUND = 200;
const ROWS = 1_000;

const dir = mkdtempSync(join(tmpdir(), 'nlatch-bench-'));
const stops = [() => rmSync(dir, { recursive: true, force: true })];
const median = (list) => [...list].sort((a, b) => a - b)[Math.floor(list.length / 2)];

async function connectTo(server, more = {}) {
  const { port, adminUser: user, adminPassword: password } = server;
  const connection = await mariadb.createConnection({ host: '127.0.0.1', port, user, password, ...more });
  stops.push(() => connection.end());
  return connection;
}

async function fill(connection) {
  await connection.query('CREATE DATABASE bench');
  await connection.query('CREATE TABLE bench.berths (id INT PRIMARY KEY, n INT NOT NULL) ENGINE=InnoDB');
  await connection.batch(
    'INSERT INTO bench.berths VALUES (?, 0)',
    Array.from({ length: ROWS }, (_, id) => [id]),
  );
}

/** Milliseconds of a read by key by itself, and of a transaction of a read and a write, each. */
async function round(connection) {
  const read = await connection.prepare('SELECT n FROM bench.berths WHERE id = ?');
  const write = await connection.prepare('UPDATE bench.berths SET n = n + 1 WHERE id = ?');
  const timed = async (doing) => {
    const from = performance.now();
    for (let i = 0; i < IN_A_ROUND; i++) await doing((i * 7) % (ROWS / 2));
    return (performance.now() - from) / IN_A_ROUND;
  };
  const reads = await timed((id) => read.execute([id]));
  const transactions = await timed(async (id) => {
    await connection.beginTransaction();
    await read.execute([id]);
    await write.execute([id]);
    await connection.commit();
  });
  read.close();
  write.close();
  return { reads, transactions };
}

try {
  const server = await startPrivateMariadb({ dir });
  stops.push(() => server.stop());
  const one = await connectTo(server);
  await fill(one);
  const cluster = await startPrivateCluster();
  stops.push(() => cluster.stop());
  const { adminUser, adminPassword } = cluster;
  const at = (n) => ({ port: cluster.members[n].port, adminUser, adminPassword });
  const [here, there] = [await connectTo(at(0)), await connectTo(at(1))];
  await fill(here);
  let writing = false;
  let over = false;
  const writer = (async () => {
    for (let i = 0; !over; i++) {
      // About a hundred writes a second, to rows that nobody else touches.
      if (writing) await there.query('UPDATE bench.berths SET n = n + 1 WHERE id = ?', [ROWS / 2 + (i % (ROWS / 2))]);
      await delay(10);
    }
  })();
  const taken = new Map();
  const take = async (name, connection) => {
    const { reads, transactions } = await round(connection);
    const all = taken.get(name) ?? { reads: [], transactions: [] };
    all.reads.push(reads);
    all.transactions.push(transactions);
    taken.set(name, all);
  };
  for (let i = 0; i < ROUNDS; i++) {
    await take('one server', one);
    for (writing of [false, true])
      for (const wait of [0, 3]) {
        await here.query(`SET SESSION wsrep_sync_wait = ${wait}`);
        await take(
          `cluster, ${wait === 0 ? 'not waiting' : 'waiting    '}, others ${writing ? 'write' : 'idle '}`,
          here,
        );
      }
  }
  over = true;
  await writer;
  process.stdout.write(`${'ms each, median of rounds'.padEnd(40)}  a read   read, write, COMMIT\n`);
  for (const [name, { reads, transactions }] of taken)
    process.stdout.write(
      `${name.padEnd(40)}  ${median(reads).toFixed(2).padStart(6)}   ${median(transactions).toFixed(2).padStart(6)}\n`,
    );
} finally {
  for (const stop of stops.reverse()) await stop();
}
