import type { DatabaseState } from '@nimble-latch/core/vocabulary';
import { connect as connectSocket, isIP, type Socket } from 'node:net';
import { checkServerIdentity, type ConnectionOptions } from 'node:tls';
import { createConnection, type Connection, type ConnectionConfig } from 'mariadb';

/** A database server: the only one, or one of a cluster's. */
export interface Member {
  readonly host: string;
  readonly port: number;
}

/** How a member is said where people read. */
export const nameOf = ({ host, port }: Member): string => `${host.includes(':') ? `[${host}]` : host}:${port}`;

/** What the driver hands on to TLS; its own type knows as much of it. */
export interface Ssl {
  readonly ca: Buffer;
  readonly rejectUnauthorized: true;
}

/**
 * TLS to a member: its certificate has to be for the very address that it is called by. The driver is given a socket of ours and tells TLS of
 * no name, which would then take the other side for `localhost` (Node's `tls.connect`).
 */
export function tlsTo({ host }: Member, ssl: Ssl | undefined): { readonly ssl?: Ssl } {
  if (ssl === undefined) return {};
  const named: Pick<ConnectionOptions, 'servername' | 'checkServerIdentity'> = {
    // An address is no name to ask for (RFC 6066, section 3).
    ...(isIP(host) === 0 ? { servername: host } : {}),
    checkServerIdentity: (_, certificate) => checkServerIdentity(host, certificate),
  };
  return { ssl: { ...ssl, ...named } };
}

/** How a member stands. */
export interface Standing {
  /** Whether statements may be sent to it. */
  readonly state: DatabaseState;
  /** Where it does not serve: what the driver says, or what it is doing meanwhile. */
  readonly why?: string;
  /** Part of a cluster: how many members that part has, and how many writes of others wait here to be carried out. */
  readonly cluster?: { readonly size: number; readonly waiting: number; readonly state: string };
}

/** Of wsrep's local states: one that keeps up with the others. A donor lags behind while it gives. */
const SYNCED = '4';

/** Everything but the member. */
export type HowToConnect = Pick<ConnectionConfig, 'user' | 'password' | 'database'> & {
  readonly ssl?: Ssl;
};

/** A connection to one member, kept for asking how it stands. */
export class Lookout {
  readonly member: Member;
  readonly #how: HowToConnect;
  readonly #patienceMs: number;
  #connection: Connection | undefined;
  #socket: Socket | undefined;
  #clustered: boolean | undefined;
  /** It was asked on this connection whether it is part of a cluster. */
  #placed = false;
  #asking: Promise<Standing> | undefined;
  /** Goes on when whoever asked has let go: an answer to a question of before is nobody's, if it comes at all. */
  #round = 0;

  constructor(member: Member, how: HowToConnect, patienceMs: number) {
    this.member = member;
    this.#how = how;
    this.#patienceMs = patienceMs;
  }

  /** Whether it is part of a cluster, by its last word; not known before it was asked. */
  get clustered(): boolean | undefined {
    return this.#clustered;
  }

  /**
   * Asks once. It answers when it can: whoever asks has patience of their own, and lets go ({@link close}) when that ends.
   * A busy server answers this question at once: it needs no disk and no lock, and is answered where other statements are not.
   */
  async ask(): Promise<Standing> {
    // Whoever comes meanwhile is told the same, and no second connection is made.
    const asking = this.#asking ?? this.#askTwice(this.#round);
    this.#asking = asking;
    const standing = await asking;
    if (this.#asking === asking) this.#asking = undefined;
    return standing;
  }

  async #askTwice(round: number): Promise<Standing> {
    const kept = this.#connection !== undefined;
    const standing = await this.#askOnce(round);
    // A connection that was ended says nothing of the server.
    return kept && standing.state === 'silent' && round === this.#round ? await this.#askOnce(round) : standing;
  }

  async #askOnce(round: number): Promise<Standing> {
    try {
      this.#connection ??= await this.#connect();
      const connection = this.#connection;
      if (!this.#placed) {
        const variables = await valuesOf(connection, "SHOW GLOBAL VARIABLES LIKE 'wsrep_on'");
        this.#clustered = variables.get('wsrep_on') === 'ON';
        this.#placed = true;
      }
      if (!this.#clustered) {
        await connection.query('SELECT 1');
        return { state: 'serves' };
      }
      return standingOf(await valuesOf(connection, "SHOW GLOBAL STATUS LIKE 'wsrep%'"));
    } catch (error) {
      if (round === this.#round) this.#drop();
      const { errno, code } = error as { errno?: number; code?: string };
      // Access denied; no such database.
      if (errno === 1045 || errno === 1044 || errno === 1049) return { state: 'refuses', why: code ?? String(errno) };
      return { state: 'silent', ...(code === undefined ? {} : { why: code }) };
    }
  }

  /** Lets go of a question that is not answered, too: the driver need not say that it never will be. */
  close(): void {
    this.#round += 1;
    this.#asking = undefined;
    this.#drop();
  }

  #drop(): void {
    this.#connection?.destroy();
    this.#connection = undefined;
    // An error is what the driver gives up a connection by that is still being made.
    this.#socket?.destroy(Object.assign(new Error('let go'), { code: 'ECONNRESET' }));
    this.#socket = undefined;
    // It may come back as another one; until it says so it is taken for what it was.
    this.#placed = false;
  }

  async #connect(): Promise<Connection> {
    const { host, port } = this.member;
    const connection = await createConnection({
      ...this.#how,
      ...tlsTo(this.member, this.#how.ssl),
      host,
      port,
      connectTimeout: this.#patienceMs,
      stream: () => {
        this.#socket = connectSocket(port, host);
        this.#socket.on('error', () => undefined);
        return this.#socket;
      },
    });
    // Between two questions nothing else hears of it that the connection broke; the next question finds out.
    connection.on('error', () => undefined);
    return connection;
  }
}

async function valuesOf(connection: Connection, show: string): Promise<ReadonlyMap<string, string>> {
  const rows = await connection.query<{ Variable_name: string; Value: string }[]>(show);
  return new Map(rows.map((row) => [row.Variable_name, row.Value]));
}

/** What the status variables of wsrep say: a member that is ready and keeps up serves. */
export function standingOf(values: ReadonlyMap<string, string>): Standing {
  const state = values.get('wsrep_local_state_comment') ?? 'Unknown';
  const cluster = {
    size: Number(values.get('wsrep_cluster_size') ?? 0),
    waiting: Number(values.get('wsrep_local_recv_queue') ?? 0),
    state,
  };
  if (values.get('wsrep_cluster_status') !== 'Primary') return { state: 'not-ready', why: 'cut off', cluster };
  if (values.get('wsrep_ready') !== 'ON' || values.get('wsrep_local_state') !== SYNCED)
    return { state: 'not-ready', why: state, cluster };
  return { state: 'serves', cluster };
}
