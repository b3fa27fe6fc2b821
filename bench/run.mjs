/**
 * The benchmark: our work beside the bare limit of this machine, in the same run.
 *
 * 1. TOTP checks over HTTP at 32 in flight: a sign-in begun and its code proved (two calls), against a hand-written bare
 *    handler on the same Fastify, connector, pool size and server that does the same durable writes: one insert, then one
 *    transaction of a select, two updates and an insert. It validates nothing and computes no code.
 * 2. The client's start against `node -e 0`.
 *
 * Figures are ratios of runs taken in turn (ours, bare, ours, bare …), since machines drift.
 */
import { spawn, spawnSync } from 'node:child_process';
import { createHmac } from 'node:crypto';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { Agent, request } from 'node:http';
import { cpus, tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { createClient } from '@nimble-latch/api/client';
import { chore, createDatabase, environment, NLATCH, startService } from '../scripts/lib/installation.mjs';
import { freePort, startPrivateMariadb } from '../scripts/lib/private-mariadb.mjs';

const IN_FLIGHT = 32;
const SECONDS = Number(process.env.NLATCH_BENCH_SECONDS ?? 8);
const ROUNDS = 3;
const PEOPLE = 400;
const GOALS = { throughput: 0.8, memoryMb: 250, helpMs: 250, listMs: 400 };

const agent = new Agent({ keepAlive: true, maxSockets: IN_FLIGHT });
/** A lean HTTP call: the loader shares the two cores with what it measures. */
function call(port, method, path, body, token) {
  return new Promise((resolve, reject) => {
    const payload = body === undefined ? undefined : JSON.stringify(body);
    const sent = request(
      {
        agent,
        host: '127.0.0.1',
        port,
        method,
        path,
        headers: {
          'content-type': 'application/json',
          ...(token ? { authorization: `Bearer ${token}` } : {}),
          ...(payload ? { 'content-length': Buffer.byteLength(payload) } : {}),
        },
      },
      (answer) => {
        let text = '';
        answer.setEncoding('utf8');
        answer.on('data', (part) => (text += part));
        answer.on('end', () =>
          answer.statusCode < 300
            ? resolve(JSON.parse(text))
            : reject(new Error(`${path}: ${answer.statusCode} ${text.slice(0, 200)}`)),
        );
      },
    );
    sent.on('error', reject);
    sent.end(payload);
  });
}

/** Codes of one person: each step once, several ahead of the clock, as a wide window lets through. */
class Codes {
  constructor(keyUri) {
    const parameters = new URL(keyUri).searchParams;
    const bits = [...parameters.get('secret')]
      .map((c) => 'ABCDEFGHIJKLMNOPQRSTUVWXYZ234567'.indexOf(c).toString(2).padStart(5, '0'))
      .join('');
    this.key = Buffer.from(bits.match(/.{8}/g).map((byte) => parseInt(byte, 2)));
  }
  at(step) {
    const counter = Buffer.alloc(8);
    counter.writeBigUInt64BE(BigInt(step));
    const mac = createHmac('sha1', this.key).update(counter).digest();
    return String((mac.readUInt32BE(mac[19] & 15) & 0x7fffffff) % 1_000_000).padStart(6, '0');
  }
}

const quantile = (sorted, q) => sorted[Math.min(sorted.length - 1, Math.floor(sorted.length * q))];
/** Runs `one` with 32 in flight for some seconds. */
async function load(one) {
  const took = [];
  const end = performance.now() + SECONDS * 1000;
  await Promise.all(
    Array.from({ length: IN_FLIGHT }, async (_, lane) => {
      for (let i = 0; performance.now() < end; i++) {
        const start = performance.now();
        await one(lane, i);
        took.push(performance.now() - start);
      }
    }),
  );
  took.sort((a, b) => a - b);
  return { perSecond: took.length / SECONDS, p50: quantile(took, 0.5), p99: quantile(took, 0.99) };
}

const median = (values) => values.toSorted((a, b) => a - b)[Math.floor(values.length / 2)];
const residentMb = (pid) => Number(/VmHWM:\s+(\d+)/.exec(readFileSync(`/proc/${pid}/status`, 'utf8'))[1]) / 1024;

const dir = mkdtempSync(join(tmpdir(), 'nlatch-bench-'));
const server = await startPrivateMariadb({ dir: join(dir, 'db'), durable: true, bufferPoolMb: 512 });
const stops = [() => server.stop()];
try {
  const database = await createDatabase(server, 'nlatch_bench');
  const port = await freePort();
  const env = environment(database, {
    masterKeyFile: join(dir, 'master.key'),
    port,
    more: { NLATCH_LOG_LEVEL: 'warn', NLATCH_DATABASE_CONNECTIONS: '16' },
  });
  await chore(env, 'migrate');
  await chore(env, 'keys', 'create');
  const service = await startService(env);
  stops.push(() => service.stop());
  const open = createClient({ server: service.url });
  const secret = /set-up#(\S+)/.exec(service.said())[1];
  await open.call('links.setUp', {
    body: { secret, displayName: 'Bench', loginName: 'bench', password: 'a password for the bench' },
  });
  const token = await chore(env, 'owner-token');
  const owner = createClient({ server: service.url, token });
  const { settings, version } = await owner.call('settings.show');
  await owner.call('settings.edit', { body: { ...settings, totp: { ...settings.totp, window: 5 } }, ifMatch: version });
  process.stdout.write(`Enrolling ${PEOPLE} people …\n`);
  const people = [];
  for (let i = 0; i < PEOPLE; i += 20)
    await Promise.all(
      Array.from({ length: 20 }, async (_, j) => {
        const loginName = `person-${i + j}`;
        const person = await owner.call('people.add', { body: { displayName: loginName, loginNames: [loginName] } });
        const begun = await owner.call('totp.begin', { params: { id: person.id }, body: {} });
        const codes = new Codes(begun.keyUri);
        const now = Math.floor(Date.now() / 30_000);
        await owner.call('totp.prove', {
          params: { id: begun.authenticator.id },
          body: { codes: [codes.at(now - 4)] },
        });
        people.push({ loginName, codes, last: now - 4 });
      }),
    );
  const application = await owner.call('applications.add', { body: { name: 'Bench' } });
  const { key } = await owner.call('connections.add', {
    params: { id: application.id },
    body: { claims: ['password-checked'] },
  });

  let letIn = 0;
  let turn = 0;
  const ours = async () => {
    const person = people[turn++ % PEOPLE];
    const begun = await call(
      port,
      'POST',
      '/api/v1/sign-ins',
      { loginName: person.loginName, carries: ['code'], claims: { passwordChecked: true } },
      key,
    );
    // A right code while there is a fresh one in the window, else one that was used: the same writes either way.
    person.last = Math.min(person.last + 1, Math.floor(Date.now() / 30_000) + 5);
    const done = await call(
      port,
      'POST',
      `/api/v1/sign-ins/${begun.id}/proofs`,
      { kind: 'code', value: person.codes.at(person.last) },
      key,
    );
    if (done.state === 'let-in') letIn += 1;
  };

  const barePort = await freePort();
  const bareHandler = spawn(process.execPath, [fileURLToPath(new URL('bare-handler.mjs', import.meta.url))], {
    env: { ...env, BARE_PORT: String(barePort) },
    stdio: ['ignore', 'pipe', 'inherit'],
  });
  stops.push(() => bareHandler.kill());
  await new Promise((resolve) => bareHandler.stdout.once('data', resolve));
  const bare = async () => {
    const person = people[turn++ % PEOPLE];
    const begun = await call(barePort, 'POST', '/begin', { loginName: person.loginName });
    await call(barePort, 'POST', '/prove', { id: begun.id, person: turn % PEOPLE });
  };

  await load(bare);
  await load(ours);
  const runs = [];
  for (let round = 0; round < ROUNDS; round++) {
    letIn = 0;
    const mine = await load(ours);
    const limit = await load(bare);
    runs.push({ mine, limit, ratio: mine.perSecond / limit.perSecond });
    const line = (name, r) =>
      `  ${name} ${r.perSecond.toFixed(0).padStart(6)} checks/s   p50 ${r.p50.toFixed(1)} ms   p99 ${r.p99.toFixed(1)} ms\n`;
    process.stdout.write(
      `Round ${round + 1} (${letIn} let in)\n${line('ours', mine)}${line('bare', limit)}  ratio ${(mine.perSecond / limit.perSecond).toFixed(2)}\n`,
    );
  }
  const memory = residentMb(service.child.pid);

  const clientEnv = { ...env, NLATCH_TOKEN: token, NLATCH_SERVER: service.url };
  const time = (args) => {
    const start = performance.now();
    const { status } = spawnSync(process.execPath, args, { env: clientEnv, stdio: 'ignore' });
    if (status !== 0) throw new Error(`${args.join(' ')} ended with ${status}`);
    return performance.now() - start;
  };
  const timed = { node: [], help: [], list: [] };
  for (let i = 0; i < 9; i++) {
    timed.node.push(time(['-e', '0']));
    timed.help.push(time([NLATCH, '--help']));
    timed.list.push(time([NLATCH, 'person', 'list']));
  }
  const [node, help, list] = [median(timed.node), median(timed.help), median(timed.list)];

  const ratio = median(runs.map((run) => run.ratio));
  const verdict = (good) => (good ? 'met' : 'NOT met');
  process.stdout.write(
    [
      '',
      `Machine: ${cpus()[0].model}, ${cpus().length} cores, Node ${process.version}; ${IN_FLIGHT} in flight, ${SECONDS} s a run, median of ${ROUNDS} pairs`,
      `TOTP checks against the bare handler: ${ratio.toFixed(2)} (goal ${GOALS.throughput}: ${verdict(ratio >= GOALS.throughput)})`,
      `Resident memory of the service, peak: ${memory.toFixed(0)} MB (goal ${GOALS.memoryMb}: ${verdict(memory < GOALS.memoryMb)})`,
      `nlatch --help: ${help.toFixed(0)} ms (goal ${GOALS.helpMs}: ${verdict(help < GOALS.helpMs)}), nlatch person list: ${list.toFixed(0)} ms (goal ${GOALS.listMs}: ${verdict(list < GOALS.listMs)}); node -e 0: ${node.toFixed(0)} ms`,
      '',
    ].join('\n'),
  );
} finally {
  agent.destroy();
  for (const stop of stops.reverse()) await stop();
  rmSync(dir, { recursive: true, force: true });
}
