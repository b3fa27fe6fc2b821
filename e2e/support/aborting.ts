import { mkdirSync, readdirSync, readFileSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { startPrivateCluster } from '../../scripts/lib/private-cluster.mjs';
import type { DatabaseServer } from './one-server.js';

/** Whether this run is one in which they do. */
export const isAborting = ['aborts', 'more-aborts'].includes(process.env['NLATCH_TEST_FAULTS'] ?? '');

/** What was met; kept, so that the next run can go on from there. */
const NOTES = join(import.meta.dirname, '../../.run/aborts');

/** A cluster whose other members abort what the nodes on the first one do: aborts.mjs. */
export interface Aborting {
  readonly server: DatabaseServer;
  /** What a node is started with. */
  readonly environment: Readonly<Record<string, string>>;
  /** Ends the cluster, and says what was aborted. */
  stop(): Promise<string>;
}

export async function startAborting(): Promise<Aborting> {
  const cluster = await startPrivateCluster();
  const [here, there] = cluster.members;
  await here!.ask(
    `CREATE DATABASE faults; CREATE TABLE faults.held (id BIGINT PRIMARY KEY, n INT NOT NULL);
     GRANT SELECT, UPDATE ON faults.held TO PUBLIC;`,
  );
  if (process.env['NLATCH_TEST_FAULTS'] !== 'more-aborts') rmSync(NOTES, { recursive: true, force: true });
  mkdirSync(NOTES, { recursive: true });
  const { adminUser, adminPassword } = cluster;
  return {
    server: { port: here!.port, adminUser, adminPassword },
    environment: {
      NODE_OPTIONS: `--import=${fileURLToPath(new URL('aborts.mjs', import.meta.url))}`,
      CLUSTER_ABORTS: JSON.stringify({
        here: here!.port,
        there: there!.port,
        admin: { user: adminUser, password: adminPassword },
        notes: NOTES,
      }),
    },
    async stop() {
      await cluster.stop();
      return told();
    },
  };
}

/** What all nodes together sent in transactions, and what of it was met by an abort. */
function told(): string {
  const texts = { seen: new Set<string>(), aborted: new Set<string>(), failed: new Set<string>() };
  for (const file of readdirSync(NOTES))
    for (const line of readFileSync(join(NOTES, file), 'utf8').split('\n').filter(Boolean)) {
      const { what, text } = JSON.parse(line) as { what: keyof typeof texts; text: string };
      texts[what].add(text);
    }
  const { seen, aborted, failed } = texts;
  const never = [...seen].filter((text) => !aborted.has(text));
  return [
    `Transactions were aborted before ${aborted.size} of ${seen.size} statements that nodes sent in them.`,
    ...never.map((text) => `  never before: ${text.slice(0, 200)}`),
    ...[...failed].map((text) => `  not to be had: ${text.slice(0, 200)}`),
  ].join('\n');
}
