import { execFileSync } from 'node:child_process';
import { mkdtempSync, rmSync, statfsSync } from 'node:fs';
import { freemem, tmpdir } from 'node:os';
import { join } from 'node:path';
import type { TestProject } from 'vitest/node';
import { chore, createDatabase, environment } from '../../scripts/lib/installation.mjs';
import { startPrivateMariadb } from '../../scripts/lib/private-mariadb.mjs';
import { isAborting, startAborting } from './aborting.js';

export interface DatabaseServer {
  /** This machine, unless it is said. */
  readonly host?: string;
  readonly clients?: string;
  readonly port: number;
  readonly adminUser: string;
  readonly adminPassword: string;
}

declare module 'vitest' {
  interface ProvidedContext {
    server: DatabaseServer;
    /** Statements that make every table as the migrations leave it on an empty database, with what stands in them. */
    schema: string;
    /** What nodes are started with beside their settings. */
    forNodes: Readonly<Record<string, string>>;
  }
}

/** The migrations are run once; where they are not what is tested, a database gets what they made. */
async function migrated(server: DatabaseServer): Promise<string> {
  const database = await createDatabase(server, 'template');
  // A port that nothing listens on: migrating needs an address, and does not use it.
  await chore(
    environment(database, { masterKeyFile: '/nonexistent', port: 1, publicUrl: 'http://localhost:1' }),
    'migrate',
  );
  const to = [`--host=${database.host}`, `--port=${database.port}`, `--user=${database.user}`];
  const how = ['--skip-comments', '--skip-lock-tables', '--skip-add-locks', '--skip-add-drop-table', '--hex-blob'];
  return execFileSync('mariadb-dump', ['--no-defaults', ...to, ...how, database.name], {
    env: { ...process.env, MYSQL_PWD: database.password },
    encoding: 'utf8',
    maxBuffer: 1 << 24,
  });
}

/** Mebibytes that the databases of a whole run take, and as much again. */
const ROOM_MB = 4_096;

/** Where the run's database lies: in memory where there is room for it, since nothing of it outlives the run. */
function roomyDir(): string {
  const inMemory = '/dev/shm';
  try {
    const { bavail, bsize } = statfsSync(inMemory);
    if ((bavail * bsize) / 2 ** 20 > ROOM_MB && freemem() / 2 ** 20 > 2 * ROOM_MB) return inMemory;
  } catch {
    // A system without it has a disk.
  }
  return tmpdir();
}

/** One MariaDB for the whole run; each test file has databases of its own on it. With `NLATCH_TEST_FAULTS=aborts`, a cluster. */
export default async function setup(project: TestProject): Promise<() => Promise<void>> {
  if (isAborting) {
    const aborting = await startAborting();
    project.provide('server', aborting.server);
    project.provide('forNodes', aborting.environment);
    project.provide('schema', await migrated(aborting.server));
    return async () => void process.stderr.write(`${await aborting.stop()}\n`);
  }
  const dir = mkdtempSync(join(roomyDir(), 'nlatch-test-'));
  const server = await startPrivateMariadb({ dir });
  const { port, adminUser, adminPassword } = server;
  project.provide('server', { port, adminUser, adminPassword });
  project.provide('forNodes', {});
  project.provide('schema', await migrated({ port, adminUser, adminPassword }));
  return async () => {
    await server.stop();
    rmSync(dir, { recursive: true, force: true });
  };
}
