import type { Claim, ConnectionKind, PromptKind, Scope } from '../../vocabulary.js';

/**
 * What there is to know of a kind of connection: how an application asks. Each is described once, in a file of its own beside this
 * one; whatever lists kinds, or asks what one of them can do, reads these. A member that is left out does not compile.
 */
export interface ConnectionSpec {
  readonly kind: ConnectionKind;
  /** A proper name, the same in every language: what a connection is called until somebody calls it something else. */
  readonly name: string;
  /** What one may do; none where the protocol leaves nothing to choose. */
  readonly scopes: readonly Scope[];
  /** Of those, what it may do unless somebody says otherwise. */
  readonly firstScopes: readonly Scope[];
  /** What can be claimed by it. */
  readonly claims: readonly Claim[];
  /** Whether it has a secret: always, or as its parameters say. */
  readonly secret: 'always' | 'by-parameters';
  /** Prompts that it can show; null where the application says so itself, with each sign-in. */
  readonly shows: readonly PromptKind[] | null;
  /** The application shows pages of its own: how it asks is told to whoever builds them, and keys answer from its origins. */
  readonly ownPages: boolean;
  /** It has parameters of its own. They travel under the name of the kind. */
  readonly hasParameters: boolean;
}

/** Describes a kind of connection, keeping its words as they are. */
export const connectionSpec = <const S extends ConnectionSpec>(spec: S): S => spec;
