import { canonicalJson, sha256, type Json } from '../crypto/index.js';
import type { ActorKind, Id, TrailAction } from '../vocabulary.js';

/**
 * One entry of the trail. People appear by their id only, which says nothing once the person is erased.
 */
export interface TrailEntry {
  /** Version of this form. */
  readonly v: 1;
  /** The process that wrote it, a UUID, new at each start. */
  readonly writer: Id;
  /** Its number among that writer's entries, from 1; a rolled-back change leaves a gap. */
  readonly number: number;
  /** RFC 3339, UTC, milliseconds. */
  readonly at: string;
  readonly actor: { readonly kind: ActorKind; readonly id: Id | null };
  readonly action: TrailAction;
  /** On what: a kind and an id. */
  readonly target: { readonly kind: string; readonly id: Id | null };
  /** The person whom it concerns, if any. */
  readonly person: Id | null;
  /** From where: the address that the request came from, if any. */
  readonly origin: string | null;
  /** Why: given by the actor or by the rule that decided. */
  readonly reason: string | null;
  /** Facts in a closed form for each action; never a secret, never contact data. */
  readonly details: Readonly<Record<string, Json>>;
}

/** SHA-256 over the entry's canonical form (RFC 8785): any change of any field changes it. */
export function entryDigest(entry: TrailEntry): Buffer {
  return sha256(usualForm(entry) ?? canonicalJson(entry as unknown as Json));
}

/**
 * The same bytes for an entry of exactly the fields above, whose order is known, so that only its details need sorting;
 * entries are hashed by the hundred thousand. Undefined for one that carries anything more: nothing may stay unhashed.
 */
function usualForm(entry: TrailEntry): string | undefined {
  const { v, writer, number, at, actor, action, target, person, origin, reason, details, ...more } = entry;
  if (Object.keys(more).length > 0 || Object.keys(actor).length !== 2 || Object.keys(target).length !== 2)
    return undefined;
  const rest = { number, origin, person, reason, target: { id: target.id, kind: target.kind }, v, writer };
  const before = JSON.stringify({ action, actor: { id: actor.id, kind: actor.kind }, at });
  return `${before.slice(0, -1)},"details":${canonicalJson(details)},${JSON.stringify(rest).slice(1)}`;
}
