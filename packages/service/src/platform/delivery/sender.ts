import { select, write } from '../db/sql.js';
import { startLoop, type Loop } from '../jobs/loop.js';
import { renewLeases, takeDueRows } from '../jobs/leases.js';
import type { Deps } from '../deps.js';
import { idBytes, idText } from '../ids.js';
import type { Id } from '@nimble-latch/core/vocabulary';
import type { Channel, Message, Send } from './channel.js';
import { CHANNELS } from './channels.js';

/** How often a channel looks for what is due, beside being woken: what another node left, and what is tried again. */
const LOOKS_MS = 1_000;

/** What became of a message for good. `gone`: it failed, and so would any other to the same receiver. */
export type Delivery = 'sent' | 'failed' | 'gone';

/** Who hears what became of messages, by what those are about. Told at least once. */
export type Told = Readonly<Record<string, (deps: Deps, ids: readonly Id[], delivery: Delivery) => Promise<void>>>;

/** Messages that are taken at once for each lane: those of all lanes that are not noted yet may be sent twice where a process is killed. */
const AT_ONCE = 10;
/** How long it may take until what was sent is noted. */
const NOTED_MS = 100;

/** Sends what stands in the outbox until stopped, each channel by itself. */
export function startSending(deps: Deps, told: Told): readonly Loop[] {
  return (Object.values(CHANNELS) as unknown as Channel[]).map((channel) => {
    const way = channel.open(deps);
    let stopped = false;
    const loop = startLoop(`outbox ${channel.kind}`, LOOKS_MS, deps.log, async () => {
      await giveUpOverdue(deps, channel);
      if (way) await sendDue(deps, channel, way.send, told, () => stopped);
    });
    deps.bells.on(channel.kind, loop.wake);
    return {
      ...loop,
      stop: async () => {
        stopped = true;
        await loop.stop();
        way?.close();
      },
    };
  });
}

/**
 * Sends what is due of a channel, a few at a time. At least once: a process killed between sending and noting it sends again. A
 * message stays taken for as long as it waits here and is being sent, so that no other node sends it meanwhile.
 *
 * @param stopped says when to begin no more
 * @returns how many were looked at
 */
export async function sendDue<M extends Message>(
  deps: Deps,
  channel: Channel<M>,
  send: Send<M>,
  told: Told = {},
  stopped: () => boolean = () => false,
): Promise<number> {
  const tray = new Tray(deps, channel, told);
  try {
    const lanes = await Promise.all(
      Array.from({ length: channel.lanes }, async () => {
        let passed = 0;
        while (!stopped()) {
          const next = await tray.next();
          if (!next) break;
          await sendOne(deps, channel, send, tray, next);
          passed += 1;
        }
        return passed;
      }),
    );
    return lanes.reduce((sum, sent) => sum + sent, 0);
  } finally {
    await tray.putBack();
  }
}

interface Waiting {
  readonly id: Buffer;
  readonly sealed: Buffer;
  readonly attempts: number;
  readonly useful_until: Date | null;
  readonly about_kind: string | null;
  readonly about_id: Buffer | null;
}

/** The messages that this process has taken of a channel: those that wait, those under way, and those that are sent and not yet noted. */
class Tray {
  readonly #deps: Deps;
  readonly #channel: Pick<Channel, 'kind' | 'lanes' | 'leaseSeconds'>;
  readonly #told: Told;
  readonly #held = new Map<string, Buffer>();
  readonly #renewing: NodeJS.Timeout;
  #waiting: Waiting[] = [];
  #more = true;
  #sent: Waiting[] = [];
  #filling: Promise<void> | undefined;
  #soon: NodeJS.Timeout | undefined;
  #noting: Promise<void> | undefined;

  constructor(deps: Deps, channel: Pick<Channel, 'kind' | 'lanes' | 'leaseSeconds'>, told: Told) {
    this.#deps = deps;
    this.#channel = channel;
    this.#told = told;
    this.#renewing = setInterval(
      () => void renewLeases(deps, 'outbox', [...this.#held.values()], channel.leaseSeconds).catch(() => undefined),
      (channel.leaseSeconds * 1_000) / 3,
    );
  }

  /** The next message to be sent; undefined where none is due. More are fetched while the last ones are being sent. */
  async next(): Promise<Waiting | undefined> {
    const few = this.#more ? this.#channel.lanes : 0;
    if (this.#waiting.length <= few) {
      // Whoever waits for it hears of a failure; where nobody does, the next one to come tries again.
      this.#filling ??= this.#fill().finally(() => (this.#filling = undefined));
      if (this.#waiting.length === 0) await this.#filling;
      else this.#filling.catch(() => undefined);
    }
    return this.#waiting.shift();
  }

  async #fill(): Promise<void> {
    const { kind, leaseSeconds } = this.#channel;
    const ids = await takeDueRows(this.#deps, 'outbox', kind, leaseSeconds, this.#most);
    this.#more = ids.length > 0;
    if (!this.#more) return;
    const rows = await select<Waiting>(
      this.#deps,
      'SELECT id, sealed, attempts, useful_until, about_kind, about_id FROM outbox WHERE id IN (:ids) AND lease_holder = :holder ORDER BY next_at',
      { ids: [...ids], holder: idBytes(this.#deps.trail.id) },
    );
    const fresh = rows.filter(({ id }) => !this.#held.has(id.toString('hex')));
    for (const { id } of fresh) this.#held.set(id.toString('hex'), id);
    this.#waiting.push(...fresh);
  }

  /** How many are taken at once, and may be sent and not yet noted. */
  get #most(): number {
    return this.#channel.lanes * AT_ONCE;
  }

  /** It is not held any more, however it went. */
  release({ id }: Waiting): void {
    this.#held.delete(id.toString('hex'));
  }

  /** It is sent, which is noted together with others, and soon. Nobody waits for that, unless too many are not noted yet. */
  async sent(row: Waiting): Promise<void> {
    this.#sent.push(row);
    this.#deps.metrics.outbox.inc({ kind: this.#channel.kind, outcome: 'sent' });
    if (this.#sent.length >= this.#most) await this.#note();
    else this.#soon ??= setTimeout(() => void this.#note().catch(() => undefined), NOTED_MS);
  }

  /** Notes what is sent by now, after what is being noted. Where that fails they stay, and are noted with the next ones. */
  async #note(): Promise<void> {
    clearTimeout(this.#soon);
    this.#soon = undefined;
    await this.#noting;
    // Whoever waited as well may have begun already.
    this.#noting ??= this.#noteSome().finally(() => (this.#noting = undefined));
    await this.#noting;
  }

  async #noteSome(): Promise<void> {
    const rows = [...this.#sent];
    if (rows.length === 0) return;
    await this.tell(rows, 'sent');
    await write(this.#deps, 'DELETE FROM outbox WHERE id IN (:ids) AND lease_holder = :holder', {
      ids: rows.map(({ id }) => id),
      holder: idBytes(this.#deps.trail.id),
    });
    this.#sent.splice(0, rows.length);
    for (const row of rows) this.release(row);
  }

  /** Tells whoever wants to know. A kind of a newer release is nobody's here. */
  async tell(rows: readonly Waiting[], delivery: Delivery): Promise<void> {
    for (const [kind, tell] of Object.entries(this.#told)) {
      const ids = rows.flatMap(({ about_kind, about_id }) =>
        about_kind === kind && about_id ? [idText(about_id)] : [],
      );
      if (ids.length > 0) await tell(this.#deps, ids, delivery);
    }
  }

  /** Notes what is sent, and gives what was taken and not begun to whoever comes next. */
  async putBack(): Promise<void> {
    clearInterval(this.#renewing);
    await Promise.allSettled([this.#filling, this.#noting]);
    try {
      await this.#note();
    } finally {
      await this.#giveBack(this.#waiting.splice(0));
    }
  }

  async #giveBack(rows: readonly Waiting[]): Promise<void> {
    if (rows.length === 0) return;
    await write(
      this.#deps,
      `UPDATE outbox SET state = 'waiting', attempts = attempts - 1, lease_holder = NULL, lease_until = NULL
       WHERE id IN (:ids) AND lease_holder = :holder`,
      { ids: rows.map(({ id }) => id), holder: idBytes(this.#deps.trail.id) },
    );
  }
}

async function sendOne<M extends Message>(
  deps: Deps,
  channel: Channel<M>,
  send: Send<M>,
  tray: Tray,
  row: Waiting,
): Promise<void> {
  const { id } = row;
  const late = row.useful_until !== null && row.useful_until.getTime() <= deps.now().getTime();
  if (late) {
    await noteDelivery(deps, channel, id, row, 'overdue');
    tray.release(row);
    return;
  }
  try {
    const plain = await deps.keys.opening((keys) => keys.open('outbox', `outbox/${idText(id)}`, row.sealed));
    await inTime(
      channel.mostMs,
      async (signal) => await send(JSON.parse(plain.toString()) as M, { id: idText(id), signal }),
    );
  } catch (error) {
    const gone = channel.receiverGone?.(error) ?? false;
    const over = gone || row.attempts >= channel.retry.most || channel.refusedForGood(error);
    if (over) await tray.tell([row], gone ? 'gone' : 'failed');
    if (gone) await noteGone(deps, channel, id);
    else await noteDelivery(deps, channel, id, row, over ? 'failed' : 'retried', error);
    tray.release(row);
    return;
  }
  await tray.sent(row);
}

/** Whoever sends may ignore the signal: it is waited for no longer all the same. */
async function inTime(mostMs: number, doing: (signal: AbortSignal) => Promise<void>): Promise<void> {
  const end = new AbortController();
  let timer: NodeJS.Timeout | undefined;
  const over = new Promise<never>((_resolve, reject) => {
    timer = setTimeout(() => {
      const late = new DOMException('the channel took too long', 'TimeoutError');
      end.abort(late);
      reject(late);
    }, mostMs);
  });
  try {
    await Promise.race([doing(end.signal), over]);
  } finally {
    clearTimeout(timer);
  }
}

const SAID = {
  retried: 'message not sent; it is tried again',
  failed: 'message given up: it could not be sent',
  overdue: 'message given up: it is of no use any more',
} as const;

/** Notes what became of a message that was not sent. One that is given up keeps nothing of what it said. */
async function noteDelivery(
  deps: Deps,
  { kind, retry }: Pick<Channel, 'kind' | 'retry'>,
  id: Buffer,
  { attempts }: Pick<Waiting, 'attempts'>,
  outcome: keyof typeof SAID,
  error?: unknown,
): Promise<void> {
  deps.metrics.outbox.inc({ kind, outcome });
  deps.log.warn({ outboxKind: kind, attempts, error }, SAID[outcome]);
  await write(
    deps,
    `UPDATE outbox SET state = :state, next_at = :nextAt, last_error = :lastError, lease_holder = NULL, lease_until = NULL
     WHERE id = :id AND lease_holder = :holder`,
    {
      id,
      holder: idBytes(deps.trail.id),
      state: outcome === 'retried' ? 'waiting' : 'failed',
      nextAt: new Date(deps.now().getTime() + retry.delayMs(attempts, error)),
      lastError: outcome === 'overdue' ? outcome : error instanceof Error ? error.name : 'unknown',
    },
  );
}

/** Whom it went to is not there any more: whoever was told keeps that in mind, and there is nothing for anybody to mend. */
async function noteGone(deps: Deps, { kind }: Pick<Channel, 'kind'>, id: Buffer): Promise<void> {
  deps.metrics.outbox.inc({ kind, outcome: 'gone' });
  await write(deps, 'DELETE FROM outbox WHERE id = :id AND lease_holder = :holder', {
    id,
    holder: idBytes(deps.trail.id),
  });
}

/** Gives up what waits to be tried again, or for a channel that nothing is set up for, and is of no use by now. */
export async function giveUpOverdue(deps: Deps, { kind }: Pick<Channel, 'kind'>): Promise<void> {
  const given = await write(
    deps,
    `UPDATE outbox SET state = 'failed', last_error = 'overdue' WHERE kind = :kind AND state = 'waiting' AND useful_until <= :now`,
    { kind, now: deps.now() },
  );
  if (given === 0) return;
  deps.metrics.outbox.inc({ kind, outcome: 'overdue' }, given);
  deps.log.warn({ outboxKind: kind, messages: given }, SAID.overdue);
}
