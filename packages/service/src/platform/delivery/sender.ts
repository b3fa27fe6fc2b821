import { selectOne, write } from '../db/sql.js';
import { startLoop, type Loop } from '../jobs/loop.js';
import { renewLease, takeDueRow } from '../jobs/leases.js';
import type { Deps } from '../deps.js';
import { idBytes, idText } from '../ids.js';
import type { Id } from '@nimble-latch/core/vocabulary';
import type { Channel, Message, Send } from './channel.js';
import { CHANNELS } from './channels.js';

/** How often a channel looks for what is due, beside being woken: what another node left, and what is tried again. */
const LOOKS_MS = 1_000;

/** What became of a message for good. */
export type Delivery = 'sent' | 'failed';

/** Who hears what became of messages, by what those are about. Told at least once. */
export type Told = Readonly<Record<string, (deps: Deps, id: Id, delivery: Delivery) => Promise<void>>>;

/** Sends what stands in the outbox until stopped, each channel by itself. */
export function startSending(deps: Deps, told: Told): readonly Loop[] {
  return (Object.values(CHANNELS) as unknown as Channel[]).map((channel) => {
    const way = channel.open(deps.config);
    const loop = startLoop(`outbox ${channel.kind}`, LOOKS_MS, deps.log, async () => {
      await giveUpOverdue(deps, channel);
      if (way) await sendDue(deps, channel, way.send, told);
    });
    deps.bells.on(channel.kind, loop.wake);
    return {
      ...loop,
      stop: async () => {
        await loop.stop();
        way?.close();
      },
    };
  });
}

/**
 * Sends what is due of a channel, a few at a time. At least once: a process killed between sending and noting it sends again. A
 * message stays taken for as long as it is being sent, so that no other node sends it meanwhile.
 *
 * @returns how many were looked at
 */
export async function sendDue<M extends Message>(
  deps: Deps,
  channel: Channel<M>,
  send: Send<M>,
  told: Told = {},
): Promise<number> {
  const lanes = await Promise.all(
    Array.from({ length: channel.lanes }, async () => await lane(deps, channel, send, told)),
  );
  return lanes.reduce((sum, sent) => sum + sent, 0);
}

async function lane<M extends Message>(deps: Deps, channel: Channel<M>, send: Send<M>, told: Told): Promise<number> {
  for (let passed = 0; ; passed++) {
    const id = await takeDueRow(deps, 'outbox', [channel.kind], channel.leaseSeconds);
    if (!id) return passed;
    await sendOne(deps, channel, send, told, id);
  }
}

interface Waiting {
  readonly sealed: Buffer;
  readonly attempts: number;
  readonly useful_until: Date | null;
  readonly about_kind: string | null;
  readonly about_id: Buffer | null;
}

/** Tells whoever wants to know. A kind of a newer release is nobody's here. */
async function tell(deps: Deps, told: Told, { about_kind, about_id }: Waiting, delivery: Delivery): Promise<void> {
  if (about_kind !== null && about_id !== null && Object.hasOwn(told, about_kind))
    await told[about_kind]!(deps, idText(about_id), delivery);
}

async function sendOne<M extends Message>(
  deps: Deps,
  channel: Channel<M>,
  send: Send<M>,
  told: Told,
  id: Buffer,
): Promise<void> {
  const row = await selectOne<Waiting>(
    deps,
    'SELECT sealed, attempts, useful_until, about_kind, about_id FROM outbox WHERE id = :id AND lease_holder = :holder',
    { id, holder: idBytes(deps.trail.id) },
  );
  if (!row) return;
  const late = row.useful_until !== null && row.useful_until.getTime() <= deps.now().getTime();
  if (late) return await noteDelivery(deps, channel, id, row, 'overdue');
  const kept = setInterval(
    () => void renewLease(deps, 'outbox', id, channel.leaseSeconds).catch(() => undefined),
    (channel.leaseSeconds * 1_000) / 3,
  );
  try {
    const plain = await deps.keys.opening((keys) => keys.open('outbox', `outbox/${idText(id)}`, row.sealed));
    await inTime(channel.mostMs, async (signal) => await send(JSON.parse(plain.toString()) as M, signal));
    await tell(deps, told, row, 'sent');
    await write(deps, 'DELETE FROM outbox WHERE id = :id AND lease_holder = :holder', {
      id,
      holder: idBytes(deps.trail.id),
    });
    deps.metrics.outbox.inc({ kind: channel.kind, outcome: 'sent' });
  } catch (error) {
    const over = row.attempts >= channel.retry.most || channel.refusedForGood(error);
    if (over) await tell(deps, told, row, 'failed');
    await noteDelivery(deps, channel, id, row, over ? 'failed' : 'retried', error);
  } finally {
    clearInterval(kept);
  }
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
  { attempts }: Waiting,
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
      nextAt: new Date(deps.now().getTime() + retry.delayMs(attempts)),
      lastError: outcome === 'overdue' ? outcome : error instanceof Error ? error.name : 'unknown',
    },
  );
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
