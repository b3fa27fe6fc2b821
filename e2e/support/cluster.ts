import { readFileSync } from 'node:fs';
import { closeRuntime, openRuntime } from '../../packages/service/src/host/runtime.js';
import { readConfig } from '../../packages/service/src/platform/config.js';
import type { Deps } from '../../packages/service/src/platform/deps.js';
import { startPrivateCluster } from '../../scripts/lib/private-cluster.mjs';
import { Installation, type Node } from './installation.js';

export type Cluster = Awaited<ReturnType<typeof startPrivateCluster>>;
export type Member = Cluster['members'][number];

/** A cluster, and an installation on it. */
export interface OnCluster {
  readonly cluster: Cluster;
  readonly installation: Installation;
  /** One more node of ours: with what the one at this place was started. */
  startNode(at: number): Promise<Node>;
  /** What a service is made of, in the test's own process, on one of the members. */
  inside(member: Member): Promise<Deps>;
  stop(): Promise<void>;
}

/** A member as a server to make databases on. */
export const serverOf = (cluster: Cluster, member: Member) => ({
  host: member.host,
  port: member.port,
  clients: cluster.clients,
  adminUser: cluster.adminUser,
  adminPassword: cluster.adminPassword,
});

/** How often each race is run, and whether all of it is: with all other tests a part is, and `scripts/test-cluster` runs the whole. */
const given = process.env['NLATCH_CLUSTER_ROUNDS'];
export const ROUNDS = Number(given ?? 2);
export const WHOLE = given !== undefined;
/**
 * Whether members give each other up sooner than they do by themselves. Beside all other tests a machine may stand still for longer than
 * that: members that gave each other up then would be the machine's doing, and no finding.
 */
const QUICK = WHOLE && process.env['NLATCH_CLUSTER_PATIENCE'] !== 'default';

/**
 * Starts a cluster with an installation on it, and nodes of ours, each on a member of its own.
 *
 * @param reach whether a node knows of its own member alone, or of all members, its own one first
 */
export async function startOnCluster(
  nodes: number,
  more: Record<string, string> = {},
  reach: 'own-member' | 'all-members' = 'own-member',
  apart = false,
): Promise<OnCluster> {
  const cluster = await startPrivateCluster({ quick: QUICK, apart });
  try {
    const { members } = cluster;
    const of = (i: number): Record<string, string> => {
      const list = members.map((_, n) => members[(n + i) % members.length]!).map(({ host, port }) => `${host}:${port}`);
      return reach === 'own-member'
        ? { NLATCH_DATABASE_PORT: String(members[i % members.length]!.port) }
        : { NLATCH_DATABASE_HOST: '', NLATCH_DATABASE_HOSTS: list.join(',') };
    };
    const installation = await Installation.start(1, { ...more, ...of(0) }, { server: serverOf(cluster, members[0]!) });
    for (let i = 1; i < nodes; i++) await installation.startNode(of(i));
    return running(cluster, installation, of);
  } catch (error) {
    await cluster.stop();
    throw error;
  }
}

function running(
  cluster: Cluster,
  installation: Installation,
  of: (at: number) => Record<string, string> = () => ({}),
): OnCluster {
  const opened: Deps[] = [];
  return {
    cluster,
    installation,
    startNode: async (at) => await installation.startNode(of(at)),
    async inside(member) {
      const env = { ...(await installation.environment()), NLATCH_DATABASE_PORT: String(member.port) };
      const deps = await openRuntime(readConfig(env));
      opened.push(deps);
      return deps;
    },
    async stop() {
      try {
        await Promise.all(opened.map(closeRuntime));
        await installation.stop();
      } finally {
        await cluster.stop();
      }
    },
  };
}

/** Sign-ins that ended well, as the records have it. */
export const lettings = async ({ installation }: OnCluster): Promise<number> =>
  Number((await installation.sql<{ n: number }>("SELECT COUNT(*) AS n FROM sign_ins WHERE state = 'let-in'"))[0]!.n);

/** Says, once a test has failed, how each member is and what it logged last: without that nobody can tell whose doing it was. */
export async function tellMembers({ cluster }: OnCluster): Promise<void> {
  for (const member of cluster.members) {
    const states = await Promise.all(
      ['wsrep_cluster_status', 'wsrep_cluster_size', 'wsrep_local_state_comment'].map(
        async (name) => `${name} ${String(await member.status(name))}`,
      ),
    );
    const log = readFileSync(member.log, 'utf8').trim().split('\n').slice(-30).join('\n');
    process.stderr.write(`member ${member.number}: ${states.join(', ')}\n${log}\n`);
  }
}

/** Says a figure beside the tests' own lines. */
export const tell = (line: string, counts: ReadonlyMap<string, number>): void =>
  void process.stderr.write(
    `${line}; ${[...counts].map(([what, n]) => `${n} × ${what}`).join(', ') || 'all let in'}\n`,
  );

/** Tables that members do not have alike: their names and what each member makes of them. */
export async function alike({ cluster, installation }: OnCluster): Promise<string[]> {
  const { name } = installation.database;
  const tables = await installation.sql<{ t: string }>(
    'SELECT table_name AS t FROM information_schema.tables WHERE table_schema = DATABASE()',
  );
  const unlike: string[] = [];
  for (const { t } of tables) {
    // What the nodes write meanwhile (signs of life) has to have arrived everywhere.
    for (let tries = 0; ; tries++) {
      const sums = await Promise.all(
        cluster.members.map(
          async (member): Promise<string> =>
            await member.ask(`SET wsrep_sync_wait = 1; CHECKSUM TABLE \`${name}\`.\`${t}\``),
        ),
      );
      if (new Set(sums).size === 1) break;
      if (tries === 20) {
        unlike.push(`${t}: ${sums.join(' ')}`);
        break;
      }
    }
  }
  return unlike;
}

/** Starts a cluster and prepares an installation on it; no node of ours runs yet. */
export async function prepareOnCluster(more: Record<string, string> = {}): Promise<OnCluster> {
  const cluster = await startPrivateCluster({ quick: QUICK });
  try {
    const server = serverOf(cluster, cluster.members[0]!);
    return running(cluster, await Installation.prepare({ NLATCH_LOG_LEVEL: 'silent', ...more }, { server }));
  } catch (error) {
    await cluster.stop();
    throw error;
  }
}
