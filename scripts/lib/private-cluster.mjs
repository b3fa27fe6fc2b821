/**
 * Three MariaDB members of one's own under Galera, on loopback: for the tests of what holds on a cluster. A production installation
 * brings its own (docs/cluster.md).
 */
import { spawn, spawnSync } from 'node:child_process';
import { randomBytes } from 'node:crypto';
import { chmodSync, chownSync, existsSync, mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { setTimeout as delay } from 'node:timers/promises';
import { freePort, SetupError } from './private-mariadb.mjs';

const PROVIDERS = ['/usr/lib/galera/libgalera_smm.so', '/usr/lib64/galera-4/libgalera_smm.so'];
const SERVER = '/usr/sbin/mariadbd';
/** A state transfer on a machine that is busy takes its time. */
const READY_MS = 90_000;

/** Whether Galera's library is on this machine. */
export const hasGalera = () => PROVIDERS.some((path) => existsSync(path)) && existsSync(SERVER);

/** The account that members run as: state transfers by rsync refuse to work for root. */
function accountOf() {
  if (process.getuid?.() !== 0) return undefined;
  const found = spawnSync('id', ['-u', 'mysql'], { encoding: 'utf8' });
  const group = spawnSync('id', ['-g', 'mysql'], { encoding: 'utf8' });
  if (found.status !== 0) throw new SetupError('There is no account “mysql”.\n  try: apt-get install mariadb-server');
  return { uid: Number(found.stdout), gid: Number(group.stdout) };
}

const ip = (...args) => {
  const done = spawnSync('ip', args, { encoding: 'utf8' });
  if (done.status !== 0) throw new SetupError(`ip ${args.join(' ')}: ${done.stderr || done.error}`);
};

/**
 * A network name space for each member, and two virtual networks between them on this machine: one of the members' own, one for clients.
 * Needs root.
 */
function networkApart() {
  const mark = Math.floor(Math.random() * 200) + 20;
  const bridges = [`nlg${mark}`, `nlc${mark}`];
  const spaces = [];
  const link = (which, number) => `nl${which}${mark}n${number}`;
  for (const bridge of bridges) {
    ip('link', 'add', bridge, 'type', 'bridge');
    ip('link', 'set', bridge, 'up');
  }
  ip('addr', 'add', `10.${mark}.2.254/24`, 'dev', bridges[1]);
  return {
    group: (number) => `10.${mark}.1.${number}`,
    client: (number) => `10.${mark}.2.${number}`,
    inside: (number) => ['ip', 'netns', 'exec', `nl${mark}n${number}`],
    add(number) {
      const space = `nl${mark}n${number}`;
      ip('netns', 'add', space);
      spaces.push(space);
      ip('-n', space, 'link', 'set', 'lo', 'up');
      for (const [which, bridge, part] of [
        ['g', bridges[0], 1],
        ['c', bridges[1], 2],
      ]) {
        ip('link', 'add', link(which, number), 'type', 'veth', 'peer', 'name', `${which}0`, 'netns', space);
        ip('link', 'set', link(which, number), 'master', bridge, 'up');
        ip('-n', space, 'addr', 'add', `10.${mark}.${part}.${number}/24`, 'dev', `${which}0`);
        ip('-n', space, 'link', 'set', `${which}0`, 'up');
      }
    },
    cut(number, off) {
      ip('link', 'set', link('g', number), off ? 'down' : 'up');
    },
    remove() {
      // The links go with the name spaces.
      for (const space of spaces) ip('netns', 'del', space);
      for (const bridge of bridges) ip('link', 'del', bridge);
    },
  };
}

/** One member of a cluster: can be started, ended in every way, frozen, and asked. */
class Member {
  /** @type {import('node:child_process').ChildProcess | undefined} */
  #child;
  #exited = Promise.resolve();

  constructor(cluster, number, ports) {
    this.cluster = cluster;
    this.number = number;
    this.ports = ports;
    this.port = ports.sql;
    /** Where it is called by clients, and where by other members. */
    this.host = cluster.net?.client(number) ?? '127.0.0.1';
    this.groupHost = cluster.net?.group(number) ?? '127.0.0.1';
    this.dir = join(cluster.dir, `m${number}`);
    this.socket = join(cluster.dir, `m${number}.s`);
    this.log = join(this.dir, 'error.log');
  }

  get pid() {
    return this.#child?.pid;
  }

  get running() {
    return this.#child !== undefined && this.#child.exitCode === null && this.#child.signalCode === null;
  }

  /** Starts it; `first` makes a new cluster. Answers when it serves. */
  async start({ first = false, wait = true } = {}) {
    const { ports, cluster, number } = this;
    const own = `${this.groupHost}:${ports.group}`;
    const provider = [
      `gmcast.listen_addr=tcp://${own}`,
      `ist.recv_addr=${this.groupHost}:${ports.ist}`,
      'gcache.size=32M',
      `gcache.dir=${this.dir}/data`,
      ...cluster.providerOptions,
    ];
    const group = cluster.members.map((member) => `${member.groupHost}:${member.ports.group}`).join(',');
    const inside = cluster.net?.inside(number) ?? [];
    const [program, ...before] = [...inside, SERVER];
    this.#child = spawn(
      program,
      // prettier-ignore
      [...before, '--no-defaults', `--datadir=${this.dir}/data`, `--tmpdir=${this.dir}/tmp`, `--socket=${this.socket}`, `--pid-file=${this.dir}/pid`,
       `--log-error=${this.log}`, `--bind-address=${cluster.net ? '0.0.0.0' : '127.0.0.1'}`, `--port=${this.port}`, '--skip-name-resolve',
       '--character-set-server=utf8mb4', '--collation-server=utf8mb4_unicode_ci', '--default-time-zone=+00:00', '--innodb-buffer-pool-size=64M',
       '--innodb-log-file-size=32M', '--innodb-flush-log-at-trx-commit=2', '--max-connections=400', '--binlog-format=ROW',
       '--default-storage-engine=InnoDB', '--innodb-autoinc-lock-mode=2', '--wsrep-on=ON',
       `--wsrep-provider=${PROVIDERS.find((path) => existsSync(path))}`, '--wsrep-cluster-name=nlatch', `--wsrep-cluster-address=gcomm://${group}`,
       `--wsrep-node-name=m${number}`, `--wsrep-node-address=${own}`, `--wsrep-node-incoming-address=${this.host}:${this.port}`,
       '--wsrep-sst-method=rsync', `--wsrep-sst-receive-address=${this.groupHost}:${ports.sst}`, `--wsrep-provider-options=${provider.join(';')}`,
       ...cluster.serverOptions, ...(first ? ['--wsrep-new-cluster'] : []), ...(cluster.account ? ['--user=mysql'] : [])],
      { stdio: 'ignore', detached: true },
    );
    const child = this.#child;
    this.#exited = new Promise((resolve) => child.once('exit', resolve));
    if (wait) await this.ready();
  }

  /** Waits until it serves, as a member of the part that does. */
  async ready() {
    const until = Date.now() + READY_MS;
    while ((await this.status('wsrep_ready')) !== 'ON' || (await this.status('wsrep_local_state')) !== '4') {
      if (!this.running || Date.now() > until)
        throw new SetupError(
          `Member ${this.number} did not come up. See ${this.log}:\n${readFileSync(this.log, 'utf8').split('\n').slice(-12).join('\n')}`,
        );
      await delay(50);
    }
  }

  /**
   * Statements as root, over the socket; their rows as text.
   * @param {string} sql
   * @returns {Promise<string>}
   */
  ask(sql) {
    return new Promise((resolve, reject) => {
      const child = spawn(
        'mariadb',
        ['--no-defaults', '--connect-timeout=3', `--socket=${this.socket}`, '-uroot', '-N', '-B'],
        { stdio: ['pipe', 'pipe', 'pipe'] },
      );
      let out = '';
      let err = '';
      const timer = setTimeout(() => child.kill('SIGKILL'), 20_000);
      child.stdout.on('data', (data) => (out += data));
      child.stderr.on('data', (data) => (err += data));
      child.once('error', reject);
      child.once('close', (code) => {
        clearTimeout(timer);
        if (code === 0) resolve(out.trim());
        else reject(new Error(err.trim() || `ended with ${code}`));
      });
      // It may be gone before it has read.
      child.stdin.on('error', () => undefined);
      child.stdin.end(sql);
    });
  }

  /** One of the server's status variables; undefined where it does not answer. */
  async status(name) {
    return (await this.ask(`SHOW STATUS LIKE '${name}'`).catch(() => ''))?.split('\t')[1];
  }

  /** How far it had come when it ended, by its own recovery. */
  position() {
    const found = spawnSync(
      SERVER,
      // prettier-ignore
      ['--no-defaults', `--datadir=${this.dir}/data`, `--tmpdir=${this.dir}/tmp`, '--innodb-log-file-size=32M', '--wsrep-recover',
       `--log-error=${this.dir}/recover.log`, ...(this.cluster.account ? ['--user=mysql'] : [])],
      { encoding: 'utf8' },
    );
    const said = existsSync(`${this.dir}/recover.log`) ? readFileSync(`${this.dir}/recover.log`, 'utf8') : found.stderr;
    return Number([...said.matchAll(/Recovered position:? *[0-9a-f-]+:(\d+)/g)].at(-1)?.[1] ?? -1);
  }

  kill(signal) {
    if (this.running) this.#child.kill(signal);
  }

  /** Cuts it off from the other members, or joins it to them again; clients reach it all the while. For clusters that are `apart`. */
  cut(off = true) {
    this.cluster.net.cut(this.number, off);
  }

  /** Ends it, in order or at once, and answers when it is gone. */
  async stop(signal = 'SIGTERM') {
    this.kill(signal);
    await this.#exited;
  }
}

/**
 * Starts a cluster of three. `quick` members give each other up after two seconds instead of five.
 *
 * Members that are `apart` have network name spaces of their own, and can be cut off from each other.
 *
 * @param {{ quick?: boolean, apart?: boolean, serverOptions?: string[], providerOptions?: string[] }} [options]
 */
export async function startPrivateCluster({
  quick = true,
  apart = false,
  serverOptions = [],
  providerOptions = [],
} = {}) {
  if (!hasGalera()) throw new SetupError('Galera is not installed.\n  try: apt-get install galera-4 rsync');
  const account = accountOf();
  const dir = mkdtempSync(join(existsSync('/dev/shm') ? '/dev/shm' : tmpdir(), 'nlatch-cluster-'));
  chmodSync(dir, 0o755);
  if (account) chownSync(dir, account.uid, account.gid);
  const cluster = {
    dir,
    account,
    net: apart ? networkApart() : undefined,
    serverOptions,
    providerOptions: [
      ...(quick
        ? [
            'evs.keepalive_period=PT0.5S',
            'evs.suspect_timeout=PT2S',
            'evs.inactive_timeout=PT5S',
            'evs.inactive_check_period=PT0.25S',
          ]
        : []),
      ...providerOptions,
    ],
    /** @type {Member[]} */
    members: [],
    /** Where accounts may come from. */
    clients: apart ? '%' : '127.0.0.1',
    adminUser: 'nlatch_admin',
    adminPassword: randomBytes(18).toString('base64url'),
    /** The address list that nodes are given. */
    get hosts() {
      return this.members.map(({ host, port }) => `${host}:${port}`).join(',');
    },
    /** Starts all members after all of them were gone: the one that was stopped last, or has most, goes first and makes the cluster anew. */
    async startAgain() {
      const positions = this.members.map((member) => member.position());
      const saysSo = this.members.findIndex(({ dir }) =>
        readFileSync(join(dir, 'data/grastate.dat'), 'utf8').includes('safe_to_bootstrap: 1'),
      );
      const last = saysSo < 0 ? positions.indexOf(Math.max(...positions)) : saysSo;
      const first = this.members[last];
      const state = join(first.dir, 'data/grastate.dat');
      writeFileSync(state, readFileSync(state, 'utf8').replace('safe_to_bootstrap: 0', 'safe_to_bootstrap: 1'));
      await first.start({ first: true });
      for (const member of this.members) if (member !== first) await member.start();
    },
    async stop() {
      for (const member of this.members) {
        member.kill('SIGCONT');
        await member.stop('SIGKILL');
      }
      this.net?.remove();
      rmSync(dir, { recursive: true, force: true });
    },
  };
  for (const number of [1, 2, 3]) {
    const [sql, group, ist, sst] = [await freePort(), await freePort(), await freePort(), await freePort()];
    cluster.net?.add(number);
    const member = new Member(cluster, number, { sql, group, ist, sst });
    for (const folder of ['', '/data', '/tmp']) {
      mkdirSync(member.dir + folder, { recursive: true });
      if (account) chownSync(member.dir + folder, account.uid, account.gid);
    }
    cluster.members.push(member);
  }
  const [first, ...others] = cluster.members;
  try {
    const init = spawnSync(
      '/usr/bin/mariadb-install-db',
      // prettier-ignore
      ['--no-defaults', `--datadir=${first.dir}/data`, `--tmpdir=${first.dir}/tmp`, '--auth-root-authentication-method=normal', '--skip-test-db', '--skip-name-resolve',
       '--innodb-log-file-size=32M', ...(account ? ['--user=mysql'] : [])],
      { encoding: 'utf8' },
    );
    if (init.status !== 0) throw new SetupError(`MariaDB could not make a data directory:\n${init.stderr}`);
    writeFileSync(join(dir, 'admin-password'), cluster.adminPassword, { mode: 0o600 });
    await first.start({ first: true });
    await first.ask(
      `DELETE FROM mysql.global_priv WHERE User = 'root' AND Host <> 'localhost' OR User = ''; FLUSH PRIVILEGES;
       CREATE USER '${cluster.adminUser}'@'${cluster.clients}' IDENTIFIED BY '${cluster.adminPassword}';
       GRANT ALL ON *.* TO '${cluster.adminUser}'@'${cluster.clients}' WITH GRANT OPTION;`,
    );
    for (const member of others) await member.start();
  } catch (error) {
    await cluster.stop();
    throw error;
  }
  return cluster;
}
