import type { Node } from '../support/installation.js';

/**
 * Use cases that exclude each other, each pair at the same moment on two members. What comes out must be what comes out when one of them
 * is done after the other, in the one order or the other: that is tried first, so nothing has to be known of any of them here.
 */
export interface Pair<C> {
  readonly make: (n: string) => Promise<C>;
  readonly one: (at: Node, context: C) => Promise<unknown>;
  readonly other: (at: Node, context: C) => Promise<unknown>;
  /** What is to be seen afterwards, beside what the two were answered. */
  readonly left: (context: C) => Promise<unknown>;
}

export const pair = <C>(all: Pair<C>): Pair<unknown> => all as Pair<unknown>;
