/**
 * The benchmark of invitations: people invited by mail, from the call until the mail server has every letter, beside the bare limit of the
 * same work: inserting rows of the same size into tables of the same shape, in transactions as large, by one connection to the same
 * server, and handing the same letters to the same mail server over as many connections. Judging, codes and their hashes, texts, sealing,
 * the trail, leases and the notes of what became of each letter are what lies between.
 */
import { readFileSync } from 'node:fs';
import { setTimeout as delay } from 'node:timers/promises';
import { mkdtempSync, rmSync } from 'node:fs';
import { cpus, tmpdir } from 'node:os';
import { join } from 'node:path';
import { createClient } from '@nimble-latch/api/client';
import mariadb from 'mariadb';
import { createTransport } from 'nodemailer';
import { SMTPServer } from 'smtp-server';
import { chore, createDatabase, environment, startService } from '../scripts/lib/installation.mjs';
import { freePort, startPrivateMariadb } from '../scripts/lib/private-mariadb.mjs';

const PEOPLE = Number(process.env.NLATCH_BENCH_ROWS ?? 10_000);
const GOALS = { ratio: 2, growthMb: 60 };
/** As the service has them: people of one transaction, connections to the mail server. */
const [BATCH, LANES] = [250, 4];
const TABLES = ['invitation_round_people', 'invitations', 'invitation_links', 'trail_entries'];

const dir = mkdtempSync(join(tmpdir(), 'nlatch-bench-'));
const server = await startPrivateMariadb({ dir: join(dir, 'db'), durable: true, bufferPoolMb: 512 });
const stops = [() => server.stop(), () => rmSync(dir, { recursive: true, force: true })];

/** A mail server that takes everything, counts it, and keeps one letter of each size. */
const post = { letters: 0, example: '' };
const smtpPort = await freePort();
const smtp = new SMTPServer({
  authOptional: true,
  disabledCommands: ['STARTTLS', 'AUTH'],
  onData: (stream, _, done) => {
    let text = '';
    stream.on('data', (part) => (text += part));
    stream.on('end', () => {
      post.letters += 1;
      post.example ||= text;
      done();
    });
  },
});
await new Promise((resolve) => smtp.listen(smtpPort, '127.0.0.1', resolve));
stops.unshift(() => new Promise((resolve) => smtp.close(resolve)));

const residentMb = (pid) => Number(/VmRSS:\s+(\d+)/.exec(readFileSync(`/proc/${pid}/status`, 'utf8'))[1]) / 1024;

/** A service with people in it. */
async function ours() {
  const database = await createDatabase(server, 'ours');
  const port = await freePort();
  const env = environment(database, { masterKeyFile: join(dir, 'ours.key'), port, more: { NLATCH_LOG_LEVEL: 'warn' } });
  await chore(env, 'migrate');
  await chore(env, 'keys', 'create');
  await chore(env, 'demo', '--people', String(PEOPLE));
  const service = await startService({
    ...env,
    NLATCH_SMTP_URL: `smtp://127.0.0.1:${smtpPort}`,
    NLATCH_MAIL_FROM: 'latch@wexmoor.example',
  });
  stops.unshift(() => service.stop());
  const client = createClient({ server: service.url, token: await chore(env, 'owner-token', '--for', 'ines.marlow') });
  return { client, database, pid: service.child.pid };
}

/** Invites everybody who meets the filter, and answers once the mail server has every letter. */
async function invite({ client, pid }, who) {
  const body = { who, methods: ['webauthn'] };
  const { people, outcomes } = await client.call('invitationRounds.preview', { body });
  const before = post.letters;
  let [first, most] = [residentMb(pid), 0];
  const watch = setInterval(() => (most = Math.max(most, residentMb(pid))), 200);
  const start = performance.now();
  const { id } = await client.call('invitationRounds.begin', { body: { ...body, expect: people } });
  let written;
  let asked = start;
  while (post.letters - before < outcomes.invited) {
    await delay(20);
    // Asking is work that the limit does not have: as often as a console asks.
    if (written === undefined && performance.now() - asked > 1_000) {
      asked = performance.now();
      const round = await client.call('invitationRounds.show', { params: { id } });
      if (round.state === 'done') written = (performance.now() - start) / 1000;
    }
  }
  const took = (performance.now() - start) / 1000;
  clearInterval(watch);
  const { states } = await client.call('invitations.figures', { query: { round: id } });
  return { took, written: written ?? took, invited: outcomes.invited, sent: states.sent ?? 0, first, most };
}

/** Rows of the same tables and letters of the same size, and nothing in between. */
async function bare({ database }, invited) {
  const from = await mariadb.createConnection({ ...database, database: database.name });
  stops.unshift(() => from.end());
  const rows = {};
  for (const table of TABLES) {
    rows[table] = await from.query(`SELECT * FROM ${table} LIMIT ${BATCH}`);
    await from.query(`CREATE OR REPLACE TABLE bare_${table} ENGINE=InnoDB AS SELECT * FROM ${table} LIMIT 0`);
    await from.query(`ALTER TABLE bare_${table} ADD COLUMN bare_id BIGINT AUTO_INCREMENT PRIMARY KEY FIRST`);
  }
  await from.query(
    'CREATE OR REPLACE TABLE bare_outbox (id BIGINT AUTO_INCREMENT PRIMARY KEY, sealed BLOB NOT NULL) ENGINE=InnoDB',
  );
  const outboxRow = 'INSERT INTO bare_outbox (sealed) VALUES (?)';
  const sealed = Buffer.alloc(Buffer.byteLength(post.example));
  const { headers, body } = split(post.example);
  const transport = createTransport({
    url: `smtp://127.0.0.1:${smtpPort}`,
    pool: true,
    maxConnections: LANES,
  });
  const start = performance.now();
  for (let done = 0; done < invited; done += BATCH) {
    const some = Math.min(BATCH, invited - done);
    await from.beginTransaction();
    for (const table of TABLES) {
      const values = rows[table].slice(0, some);
      const names = Object.keys(values[0]);
      const marks = `(${names.map(() => '?').join(', ')})`;
      await from.query(
        `INSERT INTO bare_${table} (${names.join(', ')}) VALUES ${values.map(() => marks).join(', ')}`,
        values.flatMap((row) => names.map((name) => row[name])),
      );
    }
    await from.batch(
      outboxRow,
      Array.from({ length: some }, () => [sealed]),
    );
    await from.commit();
  }
  const written = (performance.now() - start) / 1000;
  let next = 0;
  await Promise.all(
    Array.from({ length: LANES }, async () => {
      while (next++ < invited)
        await transport.sendMail({
          from: 'latch@wexmoor.example',
          to: `p${next}@wexmoor.example`,
          subject: headers,
          text: body,
        });
    }),
  );
  const took = (performance.now() - start) / 1000;
  transport.close();
  return { took, written, invited };
}

const split = (mail) => ({
  headers: 'Port of Wexmoor: set up how you sign in',
  body: mail.slice(mail.indexOf('\r\n\r\n') + 4),
});

try {
  console.log(`Invitations by mail, ${PEOPLE} people; ${cpus()[0].model.trim()}, ${cpus().length} cores\n`);
  const service = await ours();
  // Some people first: a service that has just started is not what carries a large sending, and the limit needs rows to copy.
  const { rows } = await service.client.call('people.list', { query: { limit: 200, state: 'active' } });
  await invite(service, { ids: rows.map(({ id }) => id) });
  // The machine is not alike from one half minute to the next: the limit is taken before and behind.
  const limits = [await bare(service, PEOPLE)];
  const mine = await invite(service, { filter: { state: 'active' } });
  limits.push(await bare(service, mine.invited));
  const each = ({ took, invited }) => took / invited;
  const [slower, quicker] = [Math.max(...limits.map(each)), Math.min(...limits.map(each))];
  const ratio = each(mine) / ((slower + quicker) / 2);
  const growth = mine.most - mine.first;
  const line = (what, { took, written }, more = '') =>
    console.log(
      `${what.padEnd(6)} ${took.toFixed(1).padStart(6)} s, of that written after ${written.toFixed(1)} s${more}`,
    );
  line('ours', mine, `; ${mine.invited} invited, ${mine.sent} told as sent`);
  for (const limit of limits) line('bare', limit, `; ${limit.invited} rows and letters`);
  console.log(
    `ratio  ${ratio.toFixed(2)} (goal: at most ${GOALS.ratio}), beside the quicker one ${(each(mine) / quicker).toFixed(2)}`,
  );
  console.log(
    `memory ${mine.first.toFixed(0)} MB at first, ${mine.most.toFixed(0)} MB at most (goal: ${GOALS.growthMb} MB more at most)`,
  );
  process.exitCode = ratio <= GOALS.ratio && growth <= GOALS.growthMb ? 0 : 1;
} catch (error) {
  console.error(error);
  process.exitCode = 1;
} finally {
  for (const stop of stops) await stop();
}
