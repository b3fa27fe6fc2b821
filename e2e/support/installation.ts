import { randomBytes } from 'node:crypto';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { setTimeout as delay } from 'node:timers/promises';
import type { Sent } from '@nimble-latch/api';
import { createClient, type Client } from '@nimble-latch/api/client';
import mariadb from 'mariadb';
import { inject } from 'vitest';
import { issueAccessToken } from '../../packages/service/src/areas/access/access-tokens.js';
import { createKeys } from '../../packages/service/src/host/chores/keys.js';
import { verify } from '../../packages/service/src/host/chores/trail.js';
import { readConfig } from '../../packages/service/src/platform/config.js';
import { closeRuntime, openRuntime } from '../../packages/service/src/host/runtime.js';
import { serve, startedText } from '../../packages/service/src/host/serve.js';
import type { Deps } from '../../packages/service/src/platform/deps.js';
import { createLogger } from '../../packages/service/src/platform/log/logger.js';
import { inTransaction } from '../../packages/service/src/platform/db/unit-of-work.js';
import { idText } from '../../packages/service/src/platform/ids.js';
import { codeAt, readPicture } from '../../packages/standins/src/phone/code.js';
import { chore, createDatabase, environment, PATIENCE_MS, startService } from '../../scripts/lib/installation.mjs';
import { freePort } from '../../scripts/lib/private-mariadb.mjs';
import { isAborting } from './aborting.js';
import type { DatabaseServer } from './one-server.js';

export const PASSWORD = 'harbour lights at dawn';

/**
 * The whole suite can be run with faults that its service has to live through: `NLATCH_TEST_FAULTS=first-runs scripts/test e2e`, and
 * `…=aborts` for those that another member of a cluster brings (aborts.mjs); `…=more-aborts` goes on where the run before was ended.
 */
const { NLATCH_TEST_FAULTS } = process.env;
const FAULTS = NLATCH_TEST_FAULTS === undefined || isAborting ? {} : { NLATCH_TEST_FAULTS };

/** A node that runs: in a process of its own, or in the one that tests it. */
export interface Running {
  readonly url: string;
  /** What it is made of, where it runs in this process. */
  readonly deps?: Deps;
  /** Everything that it logged. */
  readonly log: () => string;
  /** What it printed at its start. */
  readonly said: () => string;
  readonly runs: () => boolean;
  /** Answers the code that its process ended with. */
  stop(signal?: NodeJS.Signals): Promise<number | null>;
}
export interface Node extends Running {
  /** An owner's client of this node. */
  readonly owner: Client;
}

export interface Where {
  /** A server of the test's own instead of the one of all. */
  readonly server?: DatabaseServer | undefined;
  /**
   * Every node is a process. Otherwise the first one runs in the test's own, which saves the start of a program for each
   * installation; the second, where there is one, is a process always: what two nodes do to each other is never done in one.
   */
  readonly processes?: boolean;
}

/** A node within this process: the same service, its log kept here. */
async function serveWithin(env: Record<string, string>): Promise<Running> {
  let log = '';
  const config = readConfig(env);
  const service = await serve(config, createLogger(config.logLevel, { write: (line) => void (log += line) }));
  let stopped: Promise<void> | undefined;
  return {
    url: service.address.replace('127.0.0.1', 'localhost'),
    deps: service.deps,
    log: () => log,
    said: () => startedText(service),
    runs: () => stopped === undefined,
    async stop(signal = 'SIGTERM') {
      if (signal === 'SIGKILL')
        throw new Error('What runs in this process cannot be killed: start it with `processes`.');
      await (stopped ??= service.stop());
      return 0;
    },
  };
}

/** A whole installation of its own: database, key set, and as many nodes as a test wants. */
export class Installation {
  readonly dir = mkdtempSync(join(tmpdir(), 'nlatch-inst-'));
  readonly nodes: Node[] = [];
  ownerToken = '';
  setUpLink = '';
  database!: Awaited<ReturnType<typeof createDatabase>>;
  readonly #more: Record<string, string>;
  /** On the server of all: it is slow at times, and never away. */
  readonly #shared: boolean;
  readonly #processes: boolean;
  #begun = false;

  private constructor(more: Record<string, string>, { server, processes = server !== undefined || isAborting }: Where) {
    this.#more = more;
    this.#shared = server === undefined;
    this.#processes = processes;
  }

  /** Made, migrated, with a key set; no node runs yet. On a server of its own it migrates by itself. */
  static async prepare(more: Record<string, string> = {}, where: Where = {}): Promise<Installation> {
    const made = new Installation(more, where);
    const { server } = where;
    made.database = await createDatabase(server ?? inject('server'), `t_${randomBytes(5).toString('hex')}`);
    const env = await made.environment();
    if (server) await chore(env, 'migrate');
    else await made.sql(inject('schema'));
    await createKeys(readConfig(env));
    return made;
  }

  /** Running, owned by Ines Marlow, who came in by the printed set-up link. */
  static async start(nodes = 1, more: Record<string, string> = {}, where: Where = {}): Promise<Installation> {
    const made = await Installation.prepare(more, where);
    const first = await made.startNode();
    made.setUpLink = /(http\S+set-up#\S+)/.exec(first.said())![1]!;
    const open = createClient({ server: first.url });
    const setUp = async () =>
      await open.call('links.setUp', {
        body: {
          secret: made.setUpLink.split('#')[1]!,
          displayName: 'Ines Marlow',
          loginName: 'ines.marlow',
          password: PASSWORD,
        },
      });
    // On a machine that is busy with others the database may be late; whoever is told so comes again.
    for (let tries = 1; (await outcomes([setUp()]))[0] === 'unavailable' && tries < 20; tries++) await delay(1_000);
    await made.#setOwnerToken();
    made.nodes.splice(0, 1, { ...first, owner: made.client(first.url) });
    for (let i = 1; i < nodes; i++) await made.startNode();
    const { settings, version } = await made.owner.call('settings.show');
    // A wide window, so that a test need not wait 30 s for the next code.
    await made.owner.call('settings.edit', {
      body: { ...settings, totp: { ...settings.totp, window: 5 } },
      ifMatch: version,
    });
    return made;
  }

  /** As `nlatchd owner-token` makes one; without the program, of which every installation would wait for the start. */
  async #setOwnerToken(): Promise<void> {
    const [owner] = await this.sql<{ person_id: Buffer }>(
      "SELECT r.person_id FROM role_grants r JOIN persons p ON p.id = r.person_id WHERE r.role = 'owner' AND p.state = 'active'",
    );
    await this.#within(async (deps) => {
      const made = await inTransaction(
        deps,
        async (work) => await issueAccessToken(deps, work, idText(owner!.person_id), 'made on the host', 12, null),
      );
      this.ownerToken = made.token;
    });
  }

  /** Does something with the parts of the service themselves, on the installation's records. */
  async #within<T>(work: (deps: Deps) => Promise<T>): Promise<T> {
    const deps = await openRuntime(readConfig({ ...(await this.environment()), NLATCH_LOG_LEVEL: 'silent' }));
    return await work(deps).finally(async () => await closeRuntime(deps));
  }

  /** A new access token for the owner, where a test ended the one before. */
  async renewOwner(): Promise<void> {
    await this.#setOwnerToken();
    for (const [i, node] of this.nodes.entries()) this.nodes[i] = { ...node, owner: this.client(node.url) };
  }

  get owner(): Client {
    return this.nodes[0]!.owner;
  }

  get url(): string {
    return this.nodes[0]!.url;
  }

  client(server: string, token = this.ownerToken): Client {
    return createClient({ server, token });
  }

  async environment(): Promise<Record<string, string>> {
    const port = await freePort();
    return environment(this.database, {
      masterKeyFile: join(this.dir, 'master.key'),
      port,
      publicUrl: `http://localhost:${port}`,
      more: { ...FAULTS, ...(this.#shared ? { NLATCH_DATABASE_WAIT_SECONDS: '30' } : {}), ...this.#more },
    }) as Record<string, string>;
  }

  /** Starts one more node; each later one believes to be somewhere else, which must not matter. */
  async startNode(more: Record<string, string> = {}): Promise<Node> {
    const first = !this.#begun;
    this.#begun = true;
    const zone = first ? {} : { TZ: 'Pacific/Auckland' };
    const env = { ...(await this.environment()), ...inject('forNodes'), ...zone, ...more };
    const running: Running = first && !this.#processes ? await serveWithin(env) : await startService(env);
    const node = { ...running, owner: this.client(running.url) };
    this.nodes.push(node);
    return node;
  }

  /** A connection to the database with full rights, for looking and for tampering. */
  async sql<T = Record<string, unknown>>(statement: string, values: unknown[] = []): Promise<T[]> {
    const connection = await mariadb.createConnection({
      host: this.database.host,
      port: this.database.port,
      user: this.database.user,
      password: this.database.password,
      database: this.database.name,
      connectTimeout: PATIENCE_MS,
      bigIntAsNumber: true,
      multipleStatements: true,
      // What was acknowledged at another member is seen here.
      initSql: 'SET SESSION wsrep_sync_wait = 3',
    });
    try {
      return await connection.query<T[]>(statement, values);
    } finally {
      await connection.end();
    }
  }

  /** Everything that all nodes ever logged. */
  logs(): string {
    return this.nodes.map((node) => node.log() + node.said()).join('\n');
  }

  /** Ends all nodes. Whatever a test did, its trail must verify, unless the test itself tampered with it. */
  async stop({ tampered = false } = {}): Promise<void> {
    await Promise.all(this.nodes.map((node) => node.stop()));
    this.#sayWhatFailed();
    if (!tampered && this.nodes.length > 0) {
      const { findings } = await this.#within(async (deps) => await verify(deps, {}));
      if (findings.length > 0) throw new Error(`The trail does not verify: ${JSON.stringify(findings)}`);
    }
    rmSync(this.dir, { recursive: true, force: true });
  }

  /** Where a test fails now and then, it is here that one reads why: what nodes could not answer. Some of it tests ask for. */
  #sayWhatFailed(): void {
    const failed = this.logs()
      .split('\n')
      .filter((line) => line.includes('"request failed"'));
    for (const line of failed.slice(0, 3)) process.stdout.write(`of ${failed.length} calls that failed: ${line}\n`);
  }
}

/** The stand-in phone with one key; gives codes that were not used yet. */
export class Phone {
  readonly #account: ReturnType<typeof readPicture>;
  #last: number;

  constructor(keyUri: string) {
    this.#account = readPicture(keyUri);
    this.#last = Math.floor(Date.now() / 1000 / this.#account.seconds) - 1;
  }

  /** The code of now, or of the first step after the last one given. */
  next(): string {
    const now = Math.floor(Date.now() / 1000 / this.#account.seconds);
    this.#last = Math.max(now, this.#last + 1);
    return codeAt(this.#account, this.#last * this.#account.seconds * 1000).code;
  }

  at(offSeconds: number): string {
    return codeAt(this.#account, Date.now() + offSeconds * 1000).code;
  }
}

/** A person with a password and a proven app. */
export async function personWithApp(
  owner: Client,
  loginName: string,
  more: Partial<Sent<'people.add', 'body'>> = {},
): Promise<{ id: string; phone: Phone; authenticator: string }> {
  const person = await owner.call('people.add', {
    body: { displayName: loginName, loginNames: [loginName], ...more },
  });
  await owner.call('people.setPassword', { params: { id: person.id }, body: { password: PASSWORD } });
  const begun = await owner.call('totp.begin', { params: { id: person.id }, body: {} });
  const phone = new Phone(begun.keyUri);
  await owner.call('totp.prove', { params: { id: begun.authenticator.id }, body: { codes: [phone.next()] } });
  return { id: person.id, phone, authenticator: begun.authenticator.id };
}

interface ConnectBody {
  scopes?: ('check' | 'read')[];
  claims?: ('password-checked' | 'source-address' | 'browser' | 'risk')[];
}

/** A registered application, connected; its key. */
export async function connectedApplication(
  owner: Client,
  name: string,
  body: ConnectBody = {},
): Promise<{ id: string; connection: string; key: string }> {
  const application = await owner.call('applications.add', { body: { name } });
  const issued = await owner.call('connections.add', { params: { id: application.id }, body });
  return { id: application.id, connection: issued.connection.id, key: issued.key! };
}

/** Answers of many calls at once: their values, or the codes of their problems. */
export async function outcomes<T>(calls: Promise<T>[]): Promise<(T | string)[]> {
  return (await Promise.allSettled(calls)).map((one) =>
    one.status === 'fulfilled' ? one.value : ((one.reason as { code?: string }).code ?? String(one.reason)),
  );
}
