import type { ServerResponse } from 'node:http';
import type { Id } from '@nimble-latch/core/vocabulary';
import { stateOfAsked } from '../../areas/push/asked.js';
import { readSignIn } from '../../areas/signins/store.js';
import { select } from '../../platform/db/sql.js';
import type { Deps } from '../../platform/deps.js';
import { idBytes, idText } from '../../platform/ids.js';

/** How often something is sent to each while nothing happens: who has gone is found out by that, and what lies between keeps the connection. */
export const BEAT_MS = 10_000;
/** How often those are looked for whose turn it is. */
const TURN_MS = 500;
/** How many are looked at in one read. */
const AT_ONCE = 1_000;

/** Where what is told goes to: the answer of a call that has begun. */
export type Line = Pick<ServerResponse, 'write' | 'end' | 'destroy' | 'destroyed' | 'writableNeedDrain'>;

/** All that is kept of whoever listens: there may be thousands. */
export interface Listening {
  readonly line: Line;
  readonly signIn: Id;
  /** The key that the call was made with. */
  readonly key: Id;
  /** What their phones were asked, until when; undefined where no phone is waited for. */
  readonly asked: Id | undefined;
  readonly until: number;
  /** The version of the sign-in that was seen last. */
  seen: number;
}

interface Kept extends Listening {
  next: number;
  readonly wake: () => void;
}

const event = (name: string, facts: object = {}): string => `event: ${name}\ndata: ${JSON.stringify(facts)}\n\n`;

/**
 * Whoever listens at this node to what becomes of a sign-in. Phones that have answered are heard of at once; what else may have happened is
 * looked up at each beat, for all whose turn it is in one read.
 */
export class SignInListeners {
  readonly #deps: Deps;
  readonly #all = new Set<Kept>();
  #turning: NodeJS.Timeout | undefined;
  #busy = false;
  #ended = false;

  constructor(deps: Deps) {
    this.#deps = deps;
  }

  get size(): number {
    return this.#all.size;
  }

  /** @returns what is called once whoever listens has gone */
  add(listening: Listening): () => void {
    const { line, asked, until } = listening;
    line.write('retry: 3000\n\n');
    if (asked !== undefined) line.write(event('waiting', { until: new Date(until).toISOString() }));
    const wake = () => void this.#tell([kept]).then(() => this.#watch(kept));
    const kept: Kept = { ...listening, next: this.#now() + BEAT_MS, wake };
    this.#all.add(kept);
    if (this.#ended) this.#over(kept);
    else if (asked === undefined) kept.wake();
    else this.#watch(kept);
    this.#turning ??= setInterval(() => void this.#turn(), TURN_MS).unref();
    return () => this.#drop(kept);
  }

  /** Ends them all, and whoever comes yet, so that the node can stop. */
  end(): void {
    this.#ended = true;
    for (const kept of this.#all) this.#over(kept);
  }

  #now(): number {
    return this.#deps.now().getTime();
  }
  #left({ until }: Listening): number {
    return Math.max(0, until - this.#now());
  }

  /** Where too many are waited for at this node, the beats find out. */
  #watch(kept: Kept): void {
    if (kept.asked !== undefined && this.#all.has(kept))
      this.#deps.phoneAnswers.watch(kept.asked, this.#left(kept), kept.wake);
  }

  #drop(kept: Kept): void {
    if (!this.#all.delete(kept)) return;
    if (kept.asked !== undefined) this.#deps.phoneAnswers.leave(kept.asked, kept.wake);
    if (this.#all.size > 0) return;
    clearInterval(this.#turning);
    this.#turning = undefined;
  }

  #over(kept: Kept, last?: string): void {
    this.#drop(kept);
    if (last !== undefined) kept.line.write(last);
    kept.line.end();
  }

  /** One beat of those whose turn it is; while the database is away they are beaten to none the less. */
  async #turn(): Promise<void> {
    if (this.#busy) return;
    this.#busy = true;
    try {
      const now = this.#now();
      const due = [...this.#all].filter(({ next }) => next <= now);
      for (let from = 0; from < due.length; from += AT_ONCE) await this.#beat(due.slice(from, from + AT_ONCE), now);
    } finally {
      this.#busy = false;
    }
  }

  async #beat(due: readonly Kept[], now: number): Promise<void> {
    for (const kept of due) {
      kept.next = now + BEAT_MS;
      if (kept.line.destroyed) this.#drop(kept);
      // Who takes nothing of what is sent has gone, and holds on to it.
      else if (kept.line.writableNeedDrain) kept.line.destroy();
      else kept.line.write(':\n\n');
    }
    try {
      const [standing, versions] = await Promise.all([this.#keysOf(due), this.#versionsOf(due)]);
      // A key that was taken away hears nothing more.
      for (const kept of due) if (!standing.has(kept.key)) this.#over(kept);
      await this.#tell(due.filter((kept) => versions.get(kept.signIn) !== kept.seen || kept.until <= now));
    } catch (error) {
      this.#away(error);
    }
  }

  /** What there is to tell each; who still waits goes on waiting. */
  async #tell(some: readonly Kept[]): Promise<void> {
    for (const kept of some)
      try {
        if (!this.#all.has(kept)) continue;
        const last = await this.#whatOf(kept);
        if (!(await this.#keysOf([kept])).has(kept.key)) this.#over(kept);
        else if (last !== undefined) this.#over(kept, last);
      } catch (error) {
        this.#away(error);
      }
  }

  /** What is to be told for good; undefined while it is still waited for. */
  async #whatOf(kept: Kept): Promise<string | undefined> {
    const { version, signIn } = await readSignIn(this.#deps, kept.signIn);
    kept.seen = version;
    if (signIn.state !== 'asking') return event('ended', { state: signIn.state, reason: signIn.reason });
    if (kept.asked === undefined || signIn.waits?.request !== kept.asked) return event('moved-on');
    if ((await stateOfAsked(this.#deps, kept.asked)) === 'approved') return event('answered');
    return this.#left(kept) === 0 ? event('over') : undefined;
  }

  /** Of the keys that calls were made with, those that still are ones. */
  async #keysOf(some: readonly Kept[]): Promise<ReadonlySet<Id>> {
    const rows = await select<{ id: Buffer }>(
      this.#deps,
      'SELECT id FROM connection_keys WHERE id IN (:keys) AND (expires_at IS NULL OR expires_at > UTC_TIMESTAMP(3))',
      { keys: [...new Set(some.map(({ key }) => key))].map(idBytes) },
    );
    return new Set(rows.map(({ id }) => idText(id)));
  }

  async #versionsOf(some: readonly Kept[]): Promise<ReadonlyMap<Id, number>> {
    const rows = await select<{ id: Buffer; version: number }>(
      this.#deps,
      'SELECT id, version FROM sign_ins WHERE id IN (:ids)',
      { ids: some.map(({ signIn }) => idBytes(signIn)) },
    );
    return new Map(rows.map(({ id, version }) => [idText(id), version]));
  }

  #away(error: unknown): void {
    this.#deps.log.warn({ error }, 'it cannot be seen what has become of sign-ins; it is tried again');
  }
}
