import { connect as connectSocket, type Socket } from 'node:net';
import { setTimeout as delay } from 'node:timers/promises';
import type { Connection } from 'mariadb';
import type { Logger } from 'pino';
import type { Sequelize } from 'sequelize';
import { Lookout, nameOf, tlsTo, type HowToConnect, type Member, type Ssl, type Standing } from './members.js';

/** How often the database is asked for a sign of life, and how often once it has given none. */
const BEAT_MS = 1_000;
const SILENT_BEAT_MS = 250;
/** How long an answer may take. */
const PATIENCE_MS = 3_000;
/** A process that was held up itself first reads what has come in meanwhile. */
const GRACE_MS = 200;
/** How often members before the one in use are asked, and how long one has to have served before it is gone back to. */
const BACK_EVERY_MS = 5_000;
const BACK_AFTER_MS = 15_000;
/** Nodes go back one after another: each waits for up to so much longer, by chance. */
const BACK_SPREAD_MS = 15_000;

/** Nothing answers at the database: refused at once, since waiting would hold up everybody behind. */
export class DatabaseSilent extends Error {
  readonly code = 'ETIMEDOUT';
  constructor() {
    super('the database gives no sign of life');
  }
}

/**
 * Asks the database for a sign of life on a connection of its own, and chooses the member of a cluster that this node works with: the
 * first of its list that serves. Where no sign comes, or the member no longer serves (its host is gone, it hangs, it was cut off
 * from the others), every connection of the pools is dropped, so that nobody waits for an answer that won't come, and the next member
 * that serves is taken; while there is none, statements are refused. All pools are on the same member, so that a node reads what it wrote.
 */
export class DatabasePulse {
  readonly #lookouts: readonly Lookout[];
  readonly #standings: Standing[];
  readonly #log: Logger;
  readonly #sockets = new Set<Socket>();
  readonly #waiting = new Set<() => void>();
  #at = 0;
  #silent = false;
  #moves = 0;
  /** Since when each member before the one in use has served without a break. */
  readonly #servesSince = new Map<number, number>();
  #askedBack = 0;
  #spread = 0;
  readonly #stopped = new AbortController();
  #hurry = new AbortController();
  #beating: Promise<void> = Promise.resolve();

  constructor(members: readonly Member[], how: HowToConnect, log: Logger) {
    this.#lookouts = members.map((member) => new Lookout(member, how, PATIENCE_MS));
    this.#standings = members.map(() => ({ state: 'silent' }));
    this.#log = log;
  }

  /** Whether no member serves. */
  get silent(): boolean {
    return this.#silent;
  }

  /** The member in use. */
  get member(): Member {
    return this.#lookouts[this.#at]!.member;
  }

  /** Whether the member in use is part of a cluster: row locks that one server would hold mean nothing to its other members. */
  get clustered(): boolean {
    return this.#lookouts[this.#at]!.clustered ?? this.#lookouts.length > 1;
  }

  /** How often another member was taken. */
  get moves(): number {
    return this.#moves;
  }

  /** All members in the order of the list, as each was when it was asked last. */
  get members(): readonly { readonly member: Member; readonly standing: Standing; readonly inUse: boolean }[] {
    return this.#lookouts.map(({ member }, i) => ({
      member,
      standing: this.#standings[i]!,
      inUse: i === this.#at && !this.#silent,
    }));
  }

  /** Asks all members how they stand, for whoever wants to know of them all. */
  async askAll(): Promise<void> {
    await Promise.all(this.#lookouts.map(async (_, i) => await this.#ask(i)));
  }

  /** A socket for a pool's connection to a member; dropped with the others. */
  socket({ host, port }: Member): Socket {
    const socket = connectSocket(port, host);
    socket.setNoDelay(true);
    this.#sockets.add(socket);
    socket.once('close', (failed) => {
      this.#sockets.delete(socket);
      if (failed) this.lookNow();
    });
    return socket;
  }

  /** Something went wrong that the member in use may be to blame for: it is asked now. */
  lookNow(): void {
    this.#hurry.abort();
  }

  /** Looks for the first member that serves, before anything is sent; answers how the members stand. */
  async find(): Promise<boolean> {
    const found = await this.#firstThatServes();
    this.#silent = found === undefined;
    if (found !== undefined) this.#at = found;
    return found !== undefined;
  }

  start(): void {
    this.#beating = this.#beat();
  }

  async stop(): Promise<void> {
    this.#stopped.abort();
    this.#hurry.abort();
    for (const lookout of this.#lookouts) lookout.close();
    await this.#beating;
    for (const lookout of this.#lookouts) lookout.close();
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
    while (!this.#ended()) {
      this.#hurry = new AbortController();
      await this.#look();
      if (this.#ended()) break;
      const wait = this.#silent ? SILENT_BEAT_MS : BEAT_MS;
      await delay(wait, undefined, { signal: this.#hurry.signal }).catch(() => undefined);
    }
  }

  #ended(): boolean {
    return this.#stopped.signal.aborted;
  }

  /** Asks the member in use, and goes on to another one where it does not serve. */
  async #look(): Promise<void> {
    const { state, why } = await this.#ask(this.#at);
    if (this.#ended()) return;
    if (state === 'serves') {
      if (this.#silent) {
        this.#silent = false;
        this.#log.warn({ member: nameOf(this.member) }, 'the database answers again');
      }
      // Beside the watch over the member in use: one that hangs takes its time to be asked.
      void this.#goBack();
      return;
    }
    const left = this.member;
    const wasSilent = this.#silent;
    // Nobody goes on waiting at a member that does not serve while others are asked.
    if (!wasSilent) this.#drop();
    const found = await this.#firstThatServes(this.#at);
    if (this.#ended()) return;
    if (found !== undefined) {
      this.#moveTo(found);
      this.#silent = false;
      this.#log.error(
        { left: nameOf(left), reason: why ?? state, member: nameOf(this.member) },
        'another member of the database is used',
      );
    } else if (!wasSilent) {
      this.#silent = true;
      this.#log.error(
        { member: nameOf(left), reason: why ?? state },
        'the database does not answer; calls are refused until it does',
      );
      for (const giveUp of [...this.#waiting]) giveUp();
    }
  }

  /** The preferred member is gone back to when it has served for a while; work under way ends where it is. */
  async #goBack(): Promise<void> {
    const now = performance.now();
    const at = this.#at;
    if (at === 0 || now - this.#askedBack < BACK_EVERY_MS) return;
    this.#askedBack = now;
    for (let i = 0; i < at; i++) {
      const { state } = await this.#ask(i);
      if (this.#ended() || this.#silent || this.#at !== at) return;
      if (state !== 'serves') {
        this.#servesSince.delete(i);
        continue;
      }
      const since = this.#servesSince.get(i) ?? now;
      this.#servesSince.set(i, since);
      if (now - since < BACK_AFTER_MS + this.#spread) continue;
      const left = this.member;
      this.#moveTo(i);
      this.#log.warn(
        { left: nameOf(left), member: nameOf(this.member) },
        'the preferred member of the database serves again and is used',
      );
      return;
    }
  }

  #moveTo(at: number): void {
    this.#at = at;
    this.#moves += 1;
    this.#servesSince.clear();
    this.#spread = Math.random() * BACK_SPREAD_MS;
  }

  /** All are asked at once, so that one that hangs does not hold up the others; the first of the list wins. */
  async #firstThatServes(but?: number): Promise<number | undefined> {
    const all = this.#lookouts.map(async (_, i) => (i === but ? undefined : (await this.#ask(i)).state));
    for (const [i, asked] of all.entries()) if ((await asked) === 'serves') return i;
    return undefined;
  }

  #drop(): void {
    // An error on the socket is what the driver takes all its statements for lost by.
    for (const socket of this.#sockets) socket.destroy(Object.assign(new DatabaseSilent(), { code: 'ECONNRESET' }));
  }

  async #ask(at: number): Promise<Standing> {
    const lookout = this.#lookouts[at]!;
    const answered = new AbortController();
    const late = (async () => {
      const { signal } = answered;
      await delay(PATIENCE_MS, undefined, { signal });
      await delay(GRACE_MS, undefined, { signal });
      return { state: 'silent' } as Standing;
    })();
    late.catch(() => undefined);
    const standing = await Promise.race([lookout.ask(), late]);
    answered.abort();
    if (standing.state === 'silent') lookout.close();
    this.#standings[at] = standing;
    return standing;
  }
}

/**
 * What another member has committed is carried out here before a read or a transaction begins: whoever was given a key, a session or a role
 * at one node can use it at the next one at once, and whoever lost it cannot. So for an UPDATE or DELETE that stands by itself, whose count of
 * rows decides. Inside a transaction nothing waits any more.
 */
const CAUSAL = 'SET SESSION wsrep_sync_wait = 3';

/** The member that a connection leads to. */
const memberOf = new WeakMap<object, Member>();

/**
 * Connections of this pool go to the pulse's member. They are refused while the pulse is silent, and given up being waited for as soon as
 * it falls silent: to models, transactions and statements alike, since all of them get theirs here. One to a member that is not in
 * use any more is put away when it comes up next.
 */
export function goBy(sequelize: Sequelize, pulse: DatabasePulse): void {
  const pool = sequelize.connectionManager as typeof sequelize.connectionManager & {
    connect(config: object): Promise<Connection>;
    destroyConnection(connection: unknown): Promise<void>;
  };
  const connect = pool.connect.bind(pool);
  pool.connect = async (config) => {
    const { member } = pulse;
    const { dialectOptions } = config as {
      dialectOptions?: { initSql?: readonly string[]; ssl?: Ssl };
    };
    const connection = await connect({
      ...config,
      ...member,
      dialectOptions: {
        ...dialectOptions,
        ...tlsTo(member, dialectOptions?.ssl),
        initSql: [...(dialectOptions?.initSql ?? []), ...(pulse.clustered ? [CAUSAL] : [])],
        stream: () => pulse.socket(member),
      },
    });
    memberOf.set(connection, member);
    return connection;
  };
  const lend = pool.getConnection.bind(pool);
  pool.getConnection = async (options) => {
    for (;;) {
      if (pulse.silent) throw new DatabaseSilent();
      const connection = await pulse.orSilence(lend(options), (late) => pool.releaseConnection(late));
      if (memberOf.get(connection) === pulse.member) return connection;
      await pool.destroyConnection(connection);
    }
  };
}
