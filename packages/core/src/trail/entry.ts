import { canonicalJson, sha256, type Json } from '../crypto/index.js';
import type { ActorKind, TrailAction } from '../vocabulary.js';

/**
 * One entry of the trail. People appear by their id only, which says nothing once the person is erased.
 */
export interface TrailEntry {
  /** Version of this form. */
  readonly v: 1;
  /** The process that wrote it, a UUID, new at each start. */
  readonly writer: string;
  /** Its number among that writer's entries, from 1; a rolled-back change leaves a gap. */
  readonly number: number;
  /** RFC 3339, UTC, milliseconds. */
  readonly at: string;
  readonly actor: { readonly kind: ActorKind; readonly id: string | null };
  readonly action: TrailAction;
  /** On what: a kind and an id. */
  readonly target: { readonly kind: string; readonly id: string | null };
  /** The person whom it concerns, if any. */
  readonly person: string | null;
  /** From where: the address that the request came from, if any. */
  readonly origin: string | null;
  /** Why: given by the actor or by the rule that decided. */
  readonly reason: string | null;
  /** Facts in a closed form for each action; never a secret, never contact data. */
  readonly details: Readonly<Record<string, Json>>;
}

/** SHA-256 over the entry's canonical form (RFC 8785): any change of any field changes it. */
export function entryDigest(entry: TrailEntry): Buffer {
  return sha256(canonicalJson(entry as unknown as Json));
}
