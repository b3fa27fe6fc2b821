import { wayOf, type SignIn } from '@nimble-latch/core/signin';
import type { Id, Claim } from '@nimble-latch/core/vocabulary';
import type { Statement } from '../../platform/db/sql.js';
import { idBytes, idBytesOrNull } from '../../platform/ids.js';

/** A sign-in as stored: the state machine's own state, and what surrounds it. */
export interface StoredSignIn {
  readonly id: Id;
  readonly applicationId: Id;
  readonly connectionId: Id | null;
  /** Null for a login name that is nobody's, or a deactivated person's: then there is a decoy. */
  readonly personId: Id | null;
  readonly decoyId: Buffer | null;
  readonly displayName: string | null;
  /** An emergency account: that it is used is told to every owner. */
  readonly emergency: boolean;
  /** When the person was last noted as having signed in. */
  readonly lastSeenAt: Date | null;
  /** The operator who does it by hand. */
  readonly walkedBy: Id | null;
  readonly sourceAddress: string | null;
  readonly browser: string | null;
  readonly risk: number | null;
  readonly claims: readonly Claim[];
  readonly ignoredClaims: readonly Claim[];
  readonly version: number;
  readonly begunAt: Date;
  readonly endedAt: Date | null;
  readonly signIn: SignIn;
  /** Of one that is not written yet: what is to be written with it. */
  readonly begins?: readonly Statement[];
}

/** The columns that follow from the state machine's state. */
export function stateColumns(signIn: SignIn) {
  return {
    state: signIn.state,
    operatorReason: signIn.operatorReason,
    way: signIn.state === 'let-in' ? wayOf(signIn.proofs) : null,
    data: JSON.stringify(signIn),
  };
}

/** The row of a sign-in. */
export function signInColumns(stored: StoredSignIn) {
  return {
    id: idBytes(stored.id),
    applicationId: idBytes(stored.applicationId),
    connectionId: idBytesOrNull(stored.connectionId),
    personId: idBytesOrNull(stored.personId),
    decoyId: stored.decoyId,
    walkedBy: idBytesOrNull(stored.walkedBy),
    ...stateColumns(stored.signIn),
    sourceAddress: stored.sourceAddress,
    browser: stored.browser,
    risk: stored.risk,
    claims: stored.claims.join(' '),
    ignoredClaims: stored.ignoredClaims.join(' '),
    begunAt: stored.begunAt,
    endedAt: stored.endedAt,
  };
}
