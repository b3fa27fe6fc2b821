/**
 * The benchmark: our work beside the bare limit of this machine, in the same run.
 *
 * 1. TOTP checks over HTTP at 32 in flight: a sign-in begun and its code proved (two calls), against a hand-written bare
 *    handler on the same Fastify, connector, pool size and server that does the same durable writes: one insert, then one
 *    transaction of a select, two updates and an insert. It validates nothing and computes no code.
 * 2. The same with hardware tokens that count (HOTP), whose window is ten codes wide.
 * 3. The same with temporary passes, of which one person in turn uses up a little each time.
 * 4. The first with 200 rules and 100 groups a person, and how long another node takes to follow a rulebook that is published.
 * 5. The client's start against `node -e 0`.
 *
 * Figures are ratios of runs taken in turn (ours, bare, ours, bare …), since machines drift.
 */
import { spawnSync } from 'node:child_process';
import { createHmac } from 'node:crypto';
import { cpus } from 'node:os';
import { createClient } from '@nimble-latch/api/client';
import mariadb from 'mariadb';
import { NLATCH, startService } from '../scripts/lib/installation.mjs';
import { freePort } from '../scripts/lib/private-mariadb.mjs';
import { connected, startBare, withInstallation } from './installation.mjs';
import { call, IN_FLIGHT, load, measured, median, residentMb, SECONDS } from './load.mjs';

const ROUNDS = 3;
/** Three codes of each are fresh in a run. */
const PEOPLE = 300 * SECONDS;
const [RULES, GROUPS] = [200, 100];
/** Holders of tokens that count: their codes never run out. */
const HOLDERS = 300;
const GOALS = { throughput: 0.8, followMs: 3_000, memoryMb: 250, helpMs: 250, listMs: 400 };

/** Codes of one person: each step once, one ahead of the clock, as the window lets through. */
class Codes {
  constructor(keyUri) {
    const parameters = new URL(keyUri).searchParams;
    const bits = [...parameters.get('secret')]
      .map((c) => 'ABCDEFGHIJKLMNOPQRSTUVWXYZ234567'.indexOf(c).toString(2).padStart(5, '0'))
      .join('');
    this.key = Buffer.from(bits.match(/.{8}/g).map((byte) => parseInt(byte, 2)));
  }
  static ofSecret(secret) {
    return Object.assign(Object.create(Codes.prototype), { key: secret });
  }
  at(step) {
    const counter = Buffer.alloc(8);
    counter.writeBigUInt64BE(BigInt(step));
    const mac = createHmac('sha1', this.key).update(counter).digest();
    return String((mac.readUInt32BE(mac[19] & 15) & 0x7fffffff) % 1_000_000).padStart(6, '0');
  }
}

await withInstallation({}, async (installation) => {
  const { server, database, port, env, service, owner, token, stops } = installation;
  const sql = await mariadb.createConnection({
    host: database.host,
    port: database.port,
    user: database.user,
    password: database.password,
    database: database.name,
  });
  stops.push(() => sql.end());
  process.stdout.write(`Enrolling ${PEOPLE} people …\n`);
  const people = [];
  for (let i = 0; i < PEOPLE; i += 20)
    await Promise.all(
      Array.from({ length: 20 }, async (_, j) => {
        const loginName = `person-${i + j}`;
        const person = await owner.call('people.add', { body: { displayName: loginName, loginNames: [loginName] } });
        const begun = await owner.call('totp.begin', { params: { id: person.id }, body: {} });
        const codes = new Codes(begun.keyUri);
        // Proven with the code before the present one, so that two more are fresh; once more if a step has just ended.
        let step;
        const prove = async () => {
          step = Math.floor(Date.now() / 30_000) - 1;
          await owner.call('totp.prove', { params: { id: begun.authenticator.id }, body: { codes: [codes.at(step)] } });
        };
        await prove().catch(prove);
        people.push({ loginName, codes, last: step });
      }),
    );
  const { key } = await connected(owner);

  /** Forgets which codes were used, so that each run has three fresh ones for everybody. */
  const freshen = async () => {
    await sql.query(
      "UPDATE authenticators SET last_step = NULL, drift = 0, stranger_failures = 0, stranger_paused_until = NULL WHERE method = 'totp'",
    );
    for (const person of people) person.last = 0;
    turn = 0;
  };

  let letIn = 0;
  let turn = 0;
  /** One check: a sign-in begun, then answered. @param code what is typed, made once it is asked for */
  const check = async (loginName, code) => {
    const begun = await call(
      port,
      'POST',
      '/api/v1/sign-ins',
      { loginName, carries: ['code'], claims: { passwordChecked: true } },
      key,
    );
    const body = { kind: 'code', value: code() };
    const done = await call(port, 'POST', `/api/v1/sign-ins/${begun.id}/proofs`, body, key);
    if (done.state === 'let-in') letIn += 1;
  };
  const ours = async () => {
    const person = people[turn++ % PEOPLE];
    await check(person.loginName, () => {
      // Each code of the window once, from the oldest on.
      person.last = Math.max(person.last + 1, Math.floor(Date.now() / 30_000) - 1);
      return person.codes.at(person.last);
    });
  };

  process.stdout.write(`Giving ${HOLDERS} tokens out …\n`);
  const holders = [];
  for (let i = 0; i < HOLDERS; i++) {
    const [loginName, secret] = [`holder-${i}`, Buffer.from(`secret of holder ${String(i).padStart(4, '0')}`)];
    const { id } = await owner.call('people.add', { body: { displayName: loginName, loginNames: [loginName] } });
    const token = await owner.call('stock.add', {
      body: { serial: `HB-${1000 + i}`, method: 'hotp', secret: secret.toString('hex'), encoding: 'hex' },
    });
    await owner.call('tokens.assign', { params: { id, tokenId: token.id } });
    const codes = Codes.ofSecret(secret);
    await owner.call('tokens.prove', { params: { id, tokenId: token.id }, body: { codes: [codes.at(0)] } });
    holders.push({ loginName, codes, next: 1 });
  }
  let holder = 0;
  const counting = async () => {
    const person = holders[holder++ % HOLDERS];
    await check(person.loginName, () => person.codes.at(person.next++));
  };

  process.stdout.write(`Giving ${HOLDERS} passes …\n`);
  const { settings, version } = await owner.call('settings.show');
  const bounds = { hours: 700, uses: 500, open: 10_000, perDay: 10_000 };
  await owner.call('settings.edit', {
    body: { ...settings, passes: { ...settings.passes, owner: bounds } },
    ifMatch: version,
  });
  const guests = [];
  for (let i = 0; i < HOLDERS; i++) {
    const loginName = `guest-${i}`;
    const { id } = await owner.call('people.add', { body: { displayName: loginName, loginNames: [loginName] } });
    const { code } = await owner.call('passes.give', { params: { id }, body: { reason: 'bench', uses: 500 } });
    guests.push({ loginName, code });
  }
  let guest = 0;
  const passing = async () => {
    const person = guests[guest++ % HOLDERS];
    await check(person.loginName, () => person.code);
  };

  const bareHandler = await startBare(installation, 'bare-handler.mjs');
  const bare = async () => {
    const person = people[turn++ % PEOPLE];
    const begun = await call(
      bareHandler.port,
      'POST',
      '/begin',
      { loginName: person.loginName, carries: ['code'], claims: { passwordChecked: true } },
      key,
    );
    await call(bareHandler.port, 'POST', '/prove', { id: begun.id, person: turn % PEOPLE }, key);
  };

  // Compilers and caches first: a service runs for months.
  await load(bare);
  await freshen();
  await load(ours);
  const rightOf = (run) => Math.round((100 * letIn) / (run.perSecond * SECONDS));
  const pairs = async (what, rounds, mineIs = ours) => {
    const runs = [];
    for (let round = 0; round < rounds; round++) {
      await freshen();
      letIn = 0;
      const mine = await measured(mineIs, { handler: service.child.pid, database: server.pid, loader: process.pid });
      const limit = await measured(bare, { handler: bareHandler.pid, database: server.pid, loader: process.pid });
      runs.push(mine.perSecond / limit.perSecond);
      const line = (name, r) => {
        const spent = r.spent.map(([who, ms]) => `${who} ${ms.toFixed(2)}`).join(', ');
        const times = `p50 ${r.p50.toFixed(1)} ms   p99 ${r.p99.toFixed(1)} ms`;
        return `  ${name} ${r.perSecond.toFixed(0).padStart(6)} checks/s   ${times}   processor ms a check: ${spent}\n`;
      };
      process.stdout.write(
        `${what}, round ${round + 1} (${rightOf(mine)} % let in)\n${line('ours', mine)}${line('bare', limit)}  ratio ${runs.at(-1).toFixed(2)}\n`,
      );
    }
    return median(runs);
  };
  const ratio = await pairs('As delivered', ROUNDS);

  await load(counting);
  const counted = await pairs('Tokens that count', ROUNDS, counting);

  await load(passing);
  const passed = await pairs('Temporary passes', ROUNDS, passing);

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

  // Groups in which everybody is, so that every rule about people has to be asked; none of them decides.
  const groups = [];
  for (let i = 0; i < GROUPS; i++) groups.push(await owner.call('groups.add', { body: { name: `group-${i}` } }));
  await sql.query(
    'INSERT INTO group_members (group_id, person_id, name_key) SELECT g.id, p.id, p.name_key FROM person_groups g CROSS JOIN persons p',
  );
  const publish = async (last) => {
    const rules = Array.from(
      { length: RULES - 1 },
      (_, i) =>
        `  - { rule: rule ${i}, who: { groups: [group-${i % GROUPS}] }, when: { days: [${['mon', 'tue', 'wed'][i % 3]}], between: "03:00 and 03:0${1 + (i % 9)}" }, then: refuse }\n`,
    );
    const decides = `{ rule: ${last}, at: { applications: [Bench] }, then: { ask for: [password + totp, password + hotp] } }`;
    const text = `form: 1\nrules:\n${rules.join('')}  - ${decides}\notherwise: { ask whoever has one: [password + totp] }\n`;
    const { version } = await owner.call('rulebookDraft.show');
    await owner.call('rulebookDraft.save', { body: { text }, ifMatch: version });
    await owner.call('rulebook.publish', { body: { message: last, lockedOut: 0 } });
  };
  await publish('first');
  await load(ours);
  const ruled = await pairs(`${RULES} rules, ${GROUPS} groups a person`, ROUNDS);
  const other = await startService({ ...env, NLATCH_LISTEN: `127.0.0.1:${await freePort()}` });
  stops.push(() => other.stop());
  const there = createClient({ server: other.url, token });
  const { rows: found } = await owner.call('people.list', { query: { loginName: 'person-0', limit: 1 } });
  const decidesThere = async () =>
    (await there.call('people.meets', { params: { id: found[0].id } })).rows.find(
      (row) => row.application.name === 'Bench',
    ).rule;
  const follows = [];
  for (let i = 0; i < 5; i++) {
    await decidesThere();
    await publish(`version ${i}`);
    const at = performance.now();
    while ((await decidesThere()) !== `version ${i}`) await new Promise((resolve) => setTimeout(resolve, 10));
    follows.push(performance.now() - at);
  }
  const follow = Math.max(...follows);
  const verdict = (good) => (good ? 'met' : 'NOT met');
  process.stdout.write(
    [
      '',
      `Machine: ${cpus()[0].model}, ${cpus().length} cores, Node ${process.version}; ${IN_FLIGHT} in flight, ${SECONDS} s a run, median of ${ROUNDS} pairs`,
      `TOTP checks against the bare handler: ${ratio.toFixed(2)} (goal ${GOALS.throughput}: ${verdict(ratio >= GOALS.throughput)})`,
      `HOTP checks against the bare handler: ${counted.toFixed(2)} (goal ${GOALS.throughput}: ${verdict(counted >= GOALS.throughput)})`,
      `Temporary passes against the bare handler: ${passed.toFixed(2)} (goal ${GOALS.throughput}: ${verdict(passed >= GOALS.throughput)})`,
      `TOTP checks with ${RULES} rules and ${GROUPS} groups a person: ${ruled.toFixed(2)} (goal ${GOALS.throughput}: ${verdict(ruled >= GOALS.throughput)})`,
      `A published rulebook on another node: at most ${follow.toFixed(0)} ms of ${follows.length} (goal ${GOALS.followMs}: ${verdict(follow < GOALS.followMs)})`,
      `Resident memory of the service, peak: ${memory.toFixed(0)} MB (goal ${GOALS.memoryMb}: ${verdict(memory < GOALS.memoryMb)})`,
      `nlatch --help: ${help.toFixed(0)} ms (goal ${GOALS.helpMs}: ${verdict(help < GOALS.helpMs)})`,
      `nlatch person list: ${list.toFixed(0)} ms (goal ${GOALS.listMs}: ${verdict(list < GOALS.listMs)})`,
      `node -e 0: ${node.toFixed(0)} ms`,
      '',
    ].join('\n'),
  );
});
