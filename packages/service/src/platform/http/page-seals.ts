import { SealBroken, UnknownKey } from '@nimble-latch/core/secrets';
import type { AuthorizationRequest } from '@nimble-latch/core/oidc';
import type { Claim, OwnPlace, Id } from '@nimble-latch/core/vocabulary';
import type { Deps } from '../deps.js';
import { Refusal } from '../errors.js';

/** How long somebody may take from the application to the first answer on our page. */
export const PAGE_SEAL_MS = 15 * 60_000;

/** A request to sign in, on its way through the browser: checked once, and sealed so that nobody there can change it. */
export interface SealedRequest extends Omit<AuthorizationRequest, 'idTokenHint'> {
  /** The person whom an ID token of ours names. */
  readonly hintPerson: Id | 'nobody' | undefined;
  /** Claims that the application made and was not granted. */
  readonly ignoredClaims: readonly Claim[];
  /** Good for one sign-in: the id under which it is noted as spent. */
  readonly once: Id | undefined;
}

/** A request to sign out. */
export interface SealedEnd {
  /** Where to go afterwards; undefined where nothing was asked for, or nothing that is registered. */
  readonly redirect: string | undefined;
  readonly state: string | undefined;
}

/** Somebody proved at one of our own places who they are: what they may do there, for a quarter of an hour. */
export interface SealedRight {
  readonly personId: Id;
  readonly signInId: Id;
  readonly place: OwnPlace;
  /** Nothing was proved but a password. */
  readonly first: boolean;
  /** The invitation that was brought; `leant`: without it the right would not have been given. */
  readonly invited?: { readonly id: Id; readonly leant: boolean };
  /** Nothing was proved for it: it is of somebody signed in by our pages, whose session `signInId` names, and lets them look. */
  readonly looks?: true;
  /** Nothing was proved but a password and what is for the day that the rest is gone. */
  readonly lastResort?: true;
  /** The sign-in at an application that it is part of, and goes on when something was enrolled. */
  readonly within?: Id;
}

/** What keys are asked that find themselves: one question, for one place. */
export interface SealedQuestion {
  readonly id: Id;
  readonly place: string;
}

type Kind = 'sign-in' | 'sign-out' | 'pushed' | 'right' | 'nameless';
type Carried<K extends Kind> = K extends 'sign-out'
  ? SealedEnd
  : K extends 'right'
    ? SealedRight
    : K extends 'nameless'
      ? SealedQuestion
      : SealedRequest;

/** Seals something for a page, or for the address of a pushed request. Nothing of it is stored. */
export function sealForPage<K extends Kind>(deps: Deps, kind: K, what: Carried<K>, lifeMs = PAGE_SEAL_MS): string {
  const plain = JSON.stringify({ until: deps.now().getTime() + lifeMs, what });
  return deps.keys.current.seal('request', kind, Buffer.from(plain), deps.random(12)).toString('base64url');
}

/** Reverses {@link sealForPage}. Throws `request-gone` for what was altered, has run out, or was never ours. */
export async function openFromPage<K extends Kind>(deps: Deps, kind: K, text: string): Promise<Carried<K>> {
  const sealed = Buffer.from(text, 'base64url');
  try {
    const plain = await deps.keys.opening((keys) => keys.open('request', kind, sealed));
    const { until, what } = JSON.parse(plain.toString()) as { until: number; what: Carried<K> };
    if (deps.now().getTime() < until) return what;
  } catch (error) {
    // A key that is not in the set has been retired, and all that it sealed has run out long before.
    if (!(error instanceof SealBroken) && !(error instanceof UnknownKey)) throw error;
  }
  throw new Refusal('request-gone');
}
