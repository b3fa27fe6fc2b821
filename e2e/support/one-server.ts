import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { TestProject } from 'vitest/node';
import { startPrivateMariadb } from '../../scripts/lib/private-mariadb.mjs';

export interface DatabaseServer {
  readonly port: number;
  readonly adminUser: string;
  readonly adminPassword: string;
}

declare module 'vitest' {
  interface ProvidedContext {
    server: DatabaseServer;
  }
}

/** One MariaDB for the whole run; each test file has databases of its own on it. */
export default async function setup(project: TestProject): Promise<() => Promise<void>> {
  const dir = mkdtempSync(join(tmpdir(), 'nlatch-test-'));
  const server = await startPrivateMariadb({ dir });
  const { port, adminUser, adminPassword } = server;
  project.provide('server', { port, adminUser, adminPassword });
  return async () => {
    await server.stop();
    rmSync(dir, { recursive: true, force: true });
  };
}
