/** What the benchmarks over HTTP stand on: a service on a durable database of its own, and the bare handler beside it. */
import { spawn } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { createClient } from '@nimble-latch/api/client';
import { chore, createDatabase, environment, startService } from '../scripts/lib/installation.mjs';
import { freePort, startPrivateMariadb } from '../scripts/lib/private-mariadb.mjs';
import { agent } from './load.mjs';

/**
 * Sets one up for `work` and takes all of it away afterwards.
 *
 * @param {{ host?: string, more?: Record<string, string> }} options the host name that browsers know the service by; further settings
 * @param work gets the client of its owner, and `stops`: what is to be ended before all this, the last first
 */
export async function withInstallation({ host, more = {} }, work) {
  const dir = mkdtempSync(join(tmpdir(), 'nlatch-bench-'));
  const server = await startPrivateMariadb({ dir: join(dir, 'db'), durable: true, bufferPoolMb: 512 });
  const stops = [() => server.stop()];
  try {
    const database = await createDatabase(server, 'nlatch_bench');
    const port = await freePort();
    const env = environment(database, {
      masterKeyFile: join(dir, 'master.key'),
      port,
      ...(host ? { publicUrl: `http://${host}:${port}` } : {}),
      more: { NLATCH_LOG_LEVEL: 'warn', NLATCH_DATABASE_CONNECTIONS: '16', ...more },
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
    await work({ dir, server, database, port, env, service, owner, token, stops });
  } finally {
    agent.destroy();
    for (const stop of stops.reverse()) await stop();
    rmSync(dir, { recursive: true, force: true });
  }
}

/** An application whose word about passwords is taken. Answers it with the key of its connection. */
export async function connected(owner) {
  const application = await owner.call('applications.add', { body: { name: 'Bench' } });
  const { key } = await owner.call('connections.add', {
    params: { id: application.id },
    body: { claims: ['password-checked'] },
  });
  return { application, key };
}

/** Starts a bare handler on the same database; it is ended with the installation. */
export async function startBare({ env, stops }, file, more = {}) {
  const port = await freePort();
  const child = spawn(process.execPath, [fileURLToPath(new URL(file, import.meta.url))], {
    env: { ...env, ...more, BARE_PORT: String(port) },
    stdio: ['ignore', 'pipe', 'inherit'],
  });
  stops.push(() => child.kill());
  await new Promise((resolve) => child.stdout.once('data', resolve));
  return { port, pid: child.pid };
}
