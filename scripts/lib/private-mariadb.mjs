/**
 * A MariaDB of one's own: data directory, socket and port apart from any system instance, on loopback only.
 * Used by the demo, the tests and the benchmark; a production installation brings its own server.
 */
import { spawn, spawnSync } from 'node:child_process';
import { randomBytes } from 'node:crypto';
import { existsSync, mkdirSync, mkdtempSync, readFileSync, rmSync, statfsSync, writeFileSync } from 'node:fs';
import { createServer } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { setTimeout as delay } from 'node:timers/promises';

/** A failure whose text already says what to do. */
export class SetupError extends Error {}

/** Where ports are kept that this account was given: files by their number, each with the process that asked. */
const GIVEN = join(tmpdir(), `nlatch-ports-${process.getuid?.() ?? 'all'}`);
/** Below those that the kernel gives to outgoing connections, which any program may come by at any moment. */
const LOWEST = 10_000;
const HIGHEST = 32_000;

/** Whether the process that a port was given to still runs; what can't be read was written this very moment. */
function stillHeld(file) {
  try {
    process.kill(Number(readFileSync(file, 'utf8')) || process.pid, 0);
    return true;
  } catch (error) {
    return error.code !== 'ESRCH';
  }
}

/** Takes a port for this process, unless another one of ours that still runs has it. */
function take(port) {
  mkdirSync(GIVEN, { recursive: true });
  const file = join(GIVEN, String(port));
  try {
    writeFileSync(file, String(process.pid), { flag: 'wx' });
    return true;
  } catch (error) {
    if (error.code !== 'EEXIST') throw error;
    // Left by a process that has ended: free at the next try, whoever makes it.
    if (!stillHeld(file)) rmSync(file, { force: true });
    return false;
  }
}

/**
 * A loopback port that is free, and is given to no other process of this account that asks here: it can be closed and
 * opened again for as long as the asking process runs.
 */
export async function freePort() {
  for (let tries = 0; tries < 1000; tries++) {
    const port = LOWEST + Math.floor(Math.random() * (HIGHEST - LOWEST));
    if (take(port) && (await portIsFree(port))) return port;
  }
  throw new SetupError(`No port between ${LOWEST} and ${HIGHEST} is free on 127.0.0.1.`);
}

/** Whether a loopback port can be bound. */
export function portIsFree(port) {
  return new Promise((resolve) => {
    const server = createServer();
    server.once('error', () => resolve(false));
    server.listen(port, '127.0.0.1', () => server.close(() => resolve(true)));
  });
}

/** Megabytes that a fresh data directory and its log take. */
const ROOM_MB = 300;

/** Whether the disk under a folder has no room for the server; its own messages do not say so plainly. */
function isFull(dir) {
  const { bavail, bsize } = statfsSync(dir);
  return (bavail * bsize) / 2 ** 20 < ROOM_MB;
}

function find(program, places) {
  const path = places.map((place) => join(place, program)).find(existsSync);
  if (!path) throw new SetupError(`${program} is not installed.\n  try: apt-get install mariadb-server`);
  return path;
}

/**
 * Starts a server over `dir` (made when missing) and answers when it takes connections.
 *
 * @param {{ dir: string, port?: number, durable?: boolean, bufferPoolMb?: number, serverOptions?: string[] }} options
 *   `durable`: flush at every commit (1) rather than once a second (2).
 * @returns {Promise<{ port: number, adminUser: string, adminPassword: string, stop: () => Promise<void>, pid: number }>}
 */
export async function startPrivateMariadb({ dir, port, durable = false, bufferPoolMb = 128, serverOptions = [] }) {
  const data = join(dir, 'data');
  const tmp = join(dir, 'tmp');
  // A socket path must stay under 108 bytes, which a deep project folder would break.
  const socketDir = mkdtempSync(join(tmpdir(), 'nlatch-db-'));
  const socket = join(socketDir, 's.sock');
  const asRoot = process.getuid?.() === 0 ? ['--user=root'] : [];
  mkdirSync(tmp, { recursive: true });
  const secretFile = join(dir, 'admin-password');
  const fresh = !existsSync(secretFile);
  if (fresh) {
    rmSync(data, { recursive: true, force: true });
    const init = spawnSync(
      find('mariadb-install-db', ['/usr/bin', '/usr/local/bin']),
      // prettier-ignore
      ['--no-defaults', `--datadir=${data}`, `--tmpdir=${tmp}`, '--auth-root-authentication-method=normal', '--skip-test-db', '--skip-name-resolve', ...asRoot],
      { encoding: 'utf8' },
    );
    if (init.status !== 0) {
      throw new SetupError(
        isFull(dir)
          ? `The disk is full: MariaDB could not make its data directory ${data}.\n  try: free some space (about ${ROOM_MB} MB are needed), then run this again`
          : `MariaDB could not make its data directory ${data}:\n${(init.stderr || init.stdout).trim().split('\n').slice(-5).join('\n')}`,
      );
    }
  }
  const listenPort = port ?? (await freePort());
  const errorLog = join(dir, 'error.log');
  const child = spawn(
    find('mariadbd', ['/usr/sbin', '/usr/local/sbin', '/usr/bin']),
    // prettier-ignore
    ['--no-defaults', `--datadir=${data}`, `--tmpdir=${tmp}`, `--socket=${socket}`, `--pid-file=${join(dir, 'pid')}`, `--log-error=${errorLog}`,
     '--bind-address=127.0.0.1', `--port=${listenPort}`, '--skip-name-resolve', '--character-set-server=utf8mb4', '--collation-server=utf8mb4_unicode_ci',
     '--default-time-zone=+00:00', `--innodb-buffer-pool-size=${bufferPoolMb}M`, `--innodb-flush-log-at-trx-commit=${durable ? 1 : 2}`, '--max-connections=400',
     '--sql-mode=STRICT_ALL_TABLES,NO_ENGINE_SUBSTITUTION,ERROR_FOR_DIVISION_BY_ZERO,NO_ZERO_DATE,NO_ZERO_IN_DATE',
     ...serverOptions, ...asRoot],
    { stdio: 'ignore', detached: true },
  );
  let ended = false;
  const exited = new Promise((resolve) =>
    child.once('exit', () => {
      ended = true;
      resolve();
    }),
  );
  const client = (args, input) =>
    spawnSync('mariadb', ['--no-defaults', `--socket=${socket}`, '-uroot', ...args], { input, encoding: 'utf8' });
  const deadline = Date.now() + 30_000;
  const password = fresh ? randomBytes(18).toString('base64url') : readFileSync(secretFile, 'utf8');
  for (;;) {
    const ping = spawnSync('mariadb-admin', ['--no-defaults', `--socket=${socket}`, '-uroot', `-p${password}`, 'ping']);
    if (/alive|Access denied/.test(String(ping.stdout) + String(ping.stderr))) break;
    if (ended || Date.now() > deadline) {
      const log = existsSync(errorLog) ? readFileSync(errorLog, 'utf8').trim().split('\n').slice(-4).join('\n') : '';
      const why = /Address already in use/.test(log)
        ? `Port ${listenPort} is taken.\n  try: NLATCH_DEMO_DATABASE_PORT=<another port> scripts/demo`
        : isFull(dir)
          ? `The disk is full.\n  try: free some space, then run this again`
          : `See ${errorLog}:\n${log}`;
      throw new SetupError(`MariaDB did not start. ${why}`);
    }
    await delay(50);
  }
  if (fresh) {
    // The passwordless accounts that the installer made over TCP go; the one on the socket gets a password.
    const made = client(
      [],
      `DELETE FROM mysql.global_priv WHERE User = 'root' AND Host <> 'localhost' OR User = '';
       CREATE USER 'nlatch_admin'@'127.0.0.1' IDENTIFIED BY '${password}';
       GRANT ALL ON *.* TO 'nlatch_admin'@'127.0.0.1' WITH GRANT OPTION;
       ALTER USER 'root'@'localhost' IDENTIFIED BY '${password}';
       FLUSH PRIVILEGES;`,
    );
    if (made.status !== 0) throw new SetupError(`MariaDB refused its first accounts: ${made.stderr.trim()}`);
    writeFileSync(secretFile, password, { mode: 0o600 });
  }
  return {
    port: listenPort,
    adminUser: 'nlatch_admin',
    adminPassword: password,
    pid: child.pid,
    async stop() {
      if (!ended) child.kill('SIGTERM');
      await exited;
      rmSync(socketDir, { recursive: true, force: true });
    },
  };
}
