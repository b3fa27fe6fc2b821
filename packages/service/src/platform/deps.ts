import type { EventEmitter } from 'node:events';
import type { Logger } from 'pino';
import type { Sequelize } from 'sequelize';
import type { PasswordHasher } from './secrets/password-hasher.js';
import type { HeavyWork } from './heavy/heavy-work.js';
import type { KeyStore } from './secrets/key-store.js';
import type { TrailWriter } from './trail/writer.js';
import type { Metrics } from './log/metrics.js';
import type { DatabasePulse } from './db/pulse.js';
import type { Batcher } from './db/batcher.js';
import type { Config } from './config.js';
import type { IdSequence } from './ids.js';

/** What every use case may use, whatever areas there are. Time and randomness come in here, so that tests can hold them. */
export interface PlatformDeps {
  readonly config: Config;
  readonly sequelize: Sequelize;
  /** A small pool for what is read beside a running transaction: keys and settings. */
  readonly settingsPool: Sequelize;
  /** Whether the database gives a sign of life. */
  readonly pulse: DatabasePulse;
  /** Reads and inserts of many requests at once, on the main pool. */
  readonly batcher: Batcher;
  readonly now: () => Date;
  readonly random: (bytes: number) => Buffer;
  readonly sequence: IdSequence;
  readonly keys: KeyStore;
  readonly hasher: PasswordHasher;
  /** Work whose cost callers decide, beside the service. */
  readonly heavy: HeavyWork;
  readonly trail: TrailWriter;
  readonly metrics: Metrics;
  /** Rung by the kind of a channel when something was put into the outbox for it. */
  readonly bells: EventEmitter;
  readonly log: Logger;
  readonly version: string;
}

/** The same with what areas provide: each declares its members where their type stands (`declare module`), and provides them in its description. */
// eslint-disable-next-line @typescript-eslint/no-empty-object-type -- areas add to it
export interface Deps extends PlatformDeps {}
