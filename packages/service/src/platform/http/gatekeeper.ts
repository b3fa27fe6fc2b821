import type { Access } from '@nimble-latch/api';
import type { FastifyRequest } from 'fastify';
import type { Deps } from '../deps.js';
import { Refusal } from '../errors.js';
import type { Actor, OperatorActor } from './actors.js';

/** `__Host-`: only ever sent over TLS (or to this machine), to this host, for every path. */
export const SESSION_COOKIE = '__Host-nlatch';

/** Decides who calls and whether they may: asked of every call of the contract before anything else. Each throws a Refusal. */
export interface Gatekeeper {
  /** Who calls. Throws where that cannot be told, or where they are nobody who could make this kind of call. */
  identify(request: FastifyRequest, access: Access, changes: boolean): Promise<Actor>;
  /**
   * Asserts that an operator may do this to whom it is about. Throws a {@link PermissionRefusal}.
   *
   * @param params the parameters of the path, parsed; undefined where they name nothing that could exist
   */
  assertMay(
    actor: OperatorActor,
    access: Extract<Access, { kind: 'operator' }>,
    params: unknown,
    changes: boolean,
  ): Promise<void>;
  /** Asserts that the caller has proved themselves lately, where they sit at a console: one left open is no proof. */
  assertFresh(actor: Actor): void;
}

/**
 * The request was made by a page of this console. Browsers send Origin with every POST, PUT, PATCH and DELETE, and
 * Sec-Fetch-Site where they know it; neither can be set by another page's script.
 */
export function assertSameOrigin(deps: Deps, request: FastifyRequest): void {
  const { origin } = request.headers;
  const site = request.headers['sec-fetch-site'];
  if (origin !== undefined && origin !== deps.config.publicUrl.origin) throw new Refusal('cross-site');
  if (site !== undefined && site !== 'same-origin' && site !== 'none') throw new Refusal('cross-site');
}
