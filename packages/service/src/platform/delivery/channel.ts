import type { Id } from '@nimble-latch/core/vocabulary';
import type { Deps } from '../deps.js';

/** What every message says of itself: by which channel it goes. */
export interface Message {
  readonly kind: string;
}

/** One time that a message is handed over. */
export interface Sending {
  /** The message's own, the same each time: whoever gets it twice can tell. */
  readonly id: Id;
  /** What is still under way when this comes is given up. */
  readonly signal: AbortSignal;
}

/** Hands one message over; throws where it is not taken. */
export type Send<M extends Message> = (message: M, sending: Sending) => Promise<void>;

/** What was opened to hand messages over by. */
export interface Way<M extends Message> {
  readonly send: Send<M>;
  /** Lets go of what is kept open, which would keep the process waiting. */
  readonly close: () => void;
}

/**
 * A way outward, described once: the outbox, its sender and what is told of it go by this. Each has lanes of its own, so that none
 * holds up another.
 */
export interface Channel<M extends Message = Message> {
  readonly kind: M['kind'];
  /** Messages on their way at the same time, on each node: one slow server holds up none but its own. */
  readonly lanes: number;
  /** Seconds for which a message is taken; it is taken anew while it is being sent, so that no other node sends it meanwhile. */
  readonly leaseSeconds: number;
  /** Milliseconds after which one that is being sent is given up for this time. */
  readonly mostMs: number;
  /** Milliseconds for which a message is of use, unless whoever sends it knows better: after them it is given up. */
  readonly usefulMs: number;
  /** When one that was not taken is tried again, and how often. */
  readonly retry: { readonly delayMs: (attempts: number, error: unknown) => number; readonly most: number };
  /** Whether what was thrown means that this message will never be taken: it is not tried again. */
  readonly refusedForGood: (error: unknown) => boolean;
  /** Whether it means that whom it goes to is not there any more, however often something else is sent; no channel has to know. */
  readonly receiverGone?: (error: unknown) => boolean;
  /** Opened once for each process; undefined where nothing is set up for it here. */
  readonly open: (deps: Pick<Deps, 'config' | 'now'>) => Way<M> | undefined;
}
