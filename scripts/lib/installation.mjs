/**
 * Helpers to set an installation up on a private MariaDB: a database with an account of its own, and the environment
 * that nlatchd reads. Used by the demo, the tests and the benchmark.
 */
import { randomBytes } from 'node:crypto';
import { spawn } from 'node:child_process';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import mariadb from 'mariadb';

export const ROOT = fileURLToPath(new URL('../..', import.meta.url));
/** A run in which the cluster aborts what nodes do puts itself between their modules, which the bundle has made one of. */
export const NLATCHD = join(
  ROOT,
  process.env.NLATCH_TEST_FAULTS?.includes('aborts')
    ? 'packages/service/dist/host/main.js'
    : 'packages/service/bin/nlatchd.js',
);
export const NLATCH = join(ROOT, 'packages/cli/bin/nlatch.js');
export const STANDIN = join(ROOT, 'packages/standins/bin/nlatch-standin.js');

/** A database on a machine that is busy with others answers late; one second is the driver's own. */
export const PATIENCE_MS = 20_000;

/** Makes the database and its account where they are missing; sets the account's password. */
export async function createDatabase(server, name, password = randomBytes(12).toString('base64url')) {
  const { host = '127.0.0.1', clients = '127.0.0.1' } = server;
  const connection = await mariadb.createConnection({
    host,
    port: server.port,
    user: server.adminUser,
    password: server.adminPassword,
    connectTimeout: PATIENCE_MS,
  });
  try {
    await connection.query(
      `CREATE DATABASE IF NOT EXISTS \`${name}\` CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci`,
    );
    await connection.query(`CREATE OR REPLACE USER '${name}'@'${clients}' IDENTIFIED BY '${password}'`);
    await connection.query(`GRANT ALL ON \`${name}\`.* TO '${name}'@'${clients}'`);
  } finally {
    await connection.end();
  }
  return { host, port: server.port, name, user: name, password };
}

/** Removes a database with all that is in it. */
export async function dropDatabase(server, name) {
  const connection = await mariadb.createConnection({
    host: '127.0.0.1',
    port: server.port,
    user: server.adminUser,
    password: server.adminPassword,
    connectTimeout: PATIENCE_MS,
  });
  await connection.query(`DROP DATABASE IF EXISTS \`${name}\``);
  await connection.end();
}

/** The settings of an installation. `port` 0 asks the kernel for one. */
export function environment(database, { masterKeyFile, port = 0, publicUrl, more = {} }) {
  return {
    PATH: process.env.PATH,
    HOME: process.env.HOME ?? '/root',
    NLATCH_DATABASE_HOST: database.host,
    NLATCH_DATABASE_PORT: String(database.port),
    NLATCH_DATABASE_NAME: database.name,
    NLATCH_DATABASE_USER: database.user,
    NLATCH_DATABASE_PASSWORD: database.password,
    NLATCH_MASTER_KEY_FILE: masterKeyFile,
    NLATCH_LISTEN: `127.0.0.1:${port}`,
    ...(publicUrl ? { NLATCH_PUBLIC_URL: publicUrl } : {}),
    ...more,
  };
}

/**
 * Runs a program to its end.
 * @param {string} program
 * @param {readonly string[]} args
 * @param {{ env?: Record<string, string | undefined>, input?: string, cwd?: string, timeoutMs?: number }} [options]
 * @returns {Promise<{ code: number | null, signal: string | null, out: string, err: string }>}
 */
export function run(program, args, { env, input, cwd, timeoutMs = 120_000 } = {}) {
  return new Promise((resolve, reject) => {
    const child = spawn(process.execPath, [program, ...args], { env, cwd, stdio: ['pipe', 'pipe', 'pipe'] });
    let out = '';
    let err = '';
    const timer = setTimeout(() => child.kill('SIGKILL'), timeoutMs);
    child.stdout.on('data', (data) => (out += data));
    child.stderr.on('data', (data) => (err += data));
    child.once('error', reject);
    child.once('close', (code, signal) => {
      clearTimeout(timer);
      resolve({ code, signal, out, err });
    });
    child.stdin.end(input ?? '');
  });
}

/** Runs a chore of nlatchd; throws with what it said when it fails. */
export async function chore(env, ...args) {
  // Loading or verifying a large installation takes minutes.
  const result = await run(NLATCHD, args, { env, timeoutMs: 1_800_000 });
  if (result.code !== 0)
    throw new Error(`nlatchd ${args.join(' ')} ended with ${result.code}: ${result.err || result.out}`);
  return result.out.trim();
}

/**
 * Starts the service as a process and answers once it listens.
 * @param {Record<string, string | undefined>} env
 * @param {string[]} [args]
 * @param {(lines: string) => void} [onLog] is given what it logs, from the first line on
 * @returns {Promise<{ url: string, child: import('node:child_process').ChildProcess, log: () => string, said: () => string, runs: () => boolean, stop: (signal?: string) => Promise<number | null> }>}
 */
export function startService(env, args = [], onLog = () => undefined) {
  return new Promise((resolve, reject) => {
    const child = spawn(process.execPath, [NLATCHD, 'serve', ...args], { env, stdio: ['ignore', 'pipe', 'pipe'] });
    let log = '';
    let said = '';
    const ended = new Promise((done) => child.once('close', (code) => done(code)));
    child.stdout.on('data', (data) => {
      log += data;
      onLog(String(data));
    });
    child.stderr.on('data', (data) => {
      said += data;
      const url = /listens at (\S+)/.exec(said)?.[1];
      if (url)
        resolve({
          url: url.replace('127.0.0.1', 'localhost'),
          child,
          log: () => log,
          said: () => said,
          runs: () => child.exitCode === null && child.signalCode === null,
          async stop(signal = 'SIGTERM') {
            if (child.exitCode === null && child.signalCode === null) child.kill(signal);
            return await ended;
          },
        });
    });
    child.once('error', reject);
    void ended.then((code) => reject(new Error(`nlatchd serve ended with ${code}: ${said || log}`)));
  });
}
