import type { Grant, Rights } from '@nimble-latch/core/access';
import type { Id, Claim, Permission, Scope } from '@nimble-latch/core/vocabulary';
import type { NewEntry } from '../trail/writer.js';

/** Somebody with a role, signed in to the console or holding an access token. */
export interface OperatorActor {
  readonly kind: 'person';
  readonly personId: Id;
  readonly displayName: string;
  readonly loginName: string;
  readonly timeZone: string;
  readonly language: string;
  readonly grants: readonly Grant[];
  readonly rights: Rights;
  /** What an access token may do at most; null where it is all that its person may. */
  readonly narrowedTo: readonly Permission[] | null;
  readonly by: 'console' | 'access-token';
  /** Id of the session or the access token. */
  readonly credentialId: Id;
  /** The session came from an owner link: the host vouches for it. */
  readonly byLink: boolean;
  readonly provedAt: Date;
  readonly expiresAt: Date;
  readonly csrf: string | null;
}

/** The groups that a list is narrowed to for this operator; undefined where they reach everybody. */
export function groupsWithin(actor: OperatorActor, permission: Permission): readonly Id[] | undefined {
  const reach = actor.rights.get(permission);
  return reach === 'everybody' ? undefined : [...(reach ?? [])];
}

/** A connected application. */
export interface ApplicationActor {
  readonly kind: 'application';
  readonly applicationId: Id;
  readonly connectionId: Id;
  /** The key that it showed. */
  readonly keyId: Id;
  readonly scopes: readonly Scope[];
  readonly claims: readonly Claim[];
}

/** Nobody known yet. */
export interface AnybodyActor {
  readonly kind: 'anybody';
}

/** Somebody who is signed in by our pages, acting for themselves. */
export interface PageActor {
  readonly kind: 'page';
  readonly personId: Id;
}

export type Actor = OperatorActor | ApplicationActor | AnybodyActor | PageActor;

/** The actor as the trail names it. */
export function trailActor(actor: Actor): NewEntry['actor'] {
  switch (actor.kind) {
    case 'person':
    case 'page':
      return { kind: 'person', id: actor.personId };
    case 'application':
      return { kind: 'application', id: actor.applicationId };
    case 'anybody':
      return { kind: 'person', id: null };
  }
}

/** A trail entry of one call, with the parts that most have in common filled in. */
export function entryOf(
  call: { readonly actor: Actor; readonly origin: string },
  action: NewEntry['action'],
  target: NewEntry['target'],
  more: Partial<Pick<NewEntry, 'person' | 'reason' | 'details'>> = {},
): NewEntry {
  return {
    actor: trailActor(call.actor),
    action,
    target,
    person: null,
    origin: call.origin,
    reason: null,
    details: {},
    ...more,
  };
}
