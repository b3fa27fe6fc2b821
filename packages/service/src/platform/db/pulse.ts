import { connect as connectSocket, type Socket } from 'node:net';
import { setTimeout as delay } from 'node:timers/promises';
import { createConnection, type Connection, type ConnectionConfig } from 'mariadb';
import type { Logger } from 'pino';
import type { Sequelize } from 'sequelize';

/** How often the database is asked for a sign of life, and how often once it has given none. */
const BEAT_MS = 1_000;
const SILENT_BEAT_MS = 250;
/** How long an answer may take. A busy server answers this question at once: it needs no disk and no lock. */
const PATIENCE_MS = 3_000;
/** A process that was held up itself first reads what has come in meanwhile. */
const GRACE_MS = 200;

/** Nothing answers at the database: refused at once, since waiting would hold up everybody behind. */
export class DatabaseSilent extends Error {
  readonly code = 'ETIMEDOUT';
  constructor() {
    super('the database gives no sign of life');
  }
}

/**
 * Asks the database for a sign of life on a connection of its own. Where none comes (its host is gone, or it hangs), every
 * connection of the pools is dropped, so that nobody waits for an answer that won't come, and statements are refused until it
 * answers again.
 */
export class DatabasePulse {
  readonly #how: ConnectionConfig;
  readonly #log: Logger;
  readonly #sockets = new Set<Socket>();
  readonly #waiting = new Set<() => void>();
  #silent = false;
  readonly #stopped = new AbortController();
  #asked: AbortController | undefined;
  #connection: Connection | undefined;
  #beating: Promise<void> = Promise.resolve();

  constructor(how: ConnectionConfig, log: Logger) {
    this.#how = how;
    this.#log = log;
  }

  /** Whether the last question went unanswered. */
  get silent(): boolean {
    return this.#silent;
  }

  /** A socket for a pool's connection; dropped with the others. For the driver's option `stream`. */
  readonly socket = (): Socket => {
    const socket = connectSocket(this.#how.port ?? 3306, this.#how.host);
    socket.setNoDelay(true);
    this.#sockets.add(socket);
    socket.once('close', () => this.#sockets.delete(socket));
    return socket;
  };

  start(): void {
    this.#beating = this.#beat();
  }

  async stop(): Promise<void> {
    this.#stopped.abort();
    this.#asked?.abort();
    await this.#beating;
  }

  /**
   * What is waited for, or {@link DatabaseSilent} as soon as that is known.
   *
   * @param late is given what comes after that
   */
  async orSilence<T>(wanted: Promise<T>, late: (value: T) => void): Promise<T> {
    return await new Promise<T>((resolve, reject) => {
      let gone = false;
      const giveUp = () => {
        gone = true;
        reject(new DatabaseSilent());
      };
      this.#waiting.add(giveUp);
      wanted.then(
        (value) => {
          this.#waiting.delete(giveUp);
          if (gone) late(value);
          else resolve(value);
        },
        (error: unknown) => {
          this.#waiting.delete(giveUp);
          // eslint-disable-next-line @typescript-eslint/prefer-promise-reject-errors -- handed on as it came
          reject(error);
        },
      );
    });
  }

  async #beat(): Promise<void> {
    const { signal } = this.#stopped;
    while (!signal.aborted) {
      const answered = await this.#ask();
      // eslint-disable-next-line @typescript-eslint/no-unnecessary-condition -- stopped while it was asked
      if (signal.aborted) break;
      if (answered === this.#silent) this.#turn(!answered);
      await delay(this.#silent ? SILENT_BEAT_MS : BEAT_MS, undefined, { signal }).catch(() => undefined);
    }
    this.#connection?.destroy();
  }

  #turn(silent: boolean): void {
    this.#silent = silent;
    if (!silent) return this.#log.warn('the database answers again');
    this.#log.error('the database does not answer; calls are refused until it does');
    // An error on the socket is what the driver takes all its statements for lost by.
    for (const socket of this.#sockets) socket.destroy(Object.assign(new DatabaseSilent(), { code: 'ECONNRESET' }));
    for (const giveUp of [...this.#waiting]) giveUp();
  }

  async #connect(how: ConnectionConfig): Promise<Connection> {
    const connection = await createConnection(how);
    // Between two questions nothing else hears of it that the connection broke; the next question finds out.
    connection.on('error', () => undefined);
    return connection;
  }

  async #ask(): Promise<boolean> {
    let socket: Socket | undefined;
    const question = (async () => {
      this.#connection ??= await this.#connect({
        ...this.#how,
        connectTimeout: PATIENCE_MS,
        stream: () => {
          socket = connectSocket(this.#how.port ?? 3306, this.#how.host);
          return socket;
        },
      });
      await this.#connection.query('SELECT 1');
      return true;
    })().catch(() => false);
    const asked = new AbortController();
    const { signal } = asked;
    this.#asked = asked;
    const late = (async () => {
      await delay(PATIENCE_MS, undefined, { signal });
      await delay(GRACE_MS, undefined, { signal });
      return false;
    })().catch(() => false);
    const answered = await Promise.race([question, late]);
    asked.abort();
    if (!answered) {
      this.#connection?.destroy();
      this.#connection = undefined;
      socket?.destroy();
    }
    return answered;
  }
}

/**
 * Connections of this pool are refused while the pulse is silent, and given up being waited for as soon as it falls silent:
 * to models, transactions and statements alike, since all of them get theirs here.
 */
export function goBy(sequelize: Sequelize, pulse: DatabasePulse): void {
  const pool = sequelize.connectionManager;
  const lend = pool.getConnection.bind(pool);
  pool.getConnection = async (options) => {
    if (pulse.silent) throw new DatabaseSilent();
    return await pulse.orSilence(lend(options), (late) => pool.releaseConnection(late));
  };
}
