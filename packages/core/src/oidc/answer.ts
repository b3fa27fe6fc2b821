import type { Id, AcrValue, OidcError, Release } from '../vocabulary.js';
import type { Return } from './request.js';

/** An address with parameters added to whatever query it has. */
function withParameters(address: string, parameters: Readonly<Record<string, string | undefined>>): string {
  const added = new URLSearchParams(
    Object.entries(parameters).filter((pair): pair is [string, string] => pair[1] !== undefined),
  ).toString();
  if (added === '') return address;
  return `${address}${address.includes('?') ? '&' : '?'}${added}`;
}

/** Back with a code (RFC 6749 §4.1.2), saying who gave it, so that no other server's answer is taken for ours (RFC 9207). */
export const backWithCode = ({ redirectUri, state }: Return, code: string, issuer: string): string =>
  withParameters(redirectUri, { code, state, iss: issuer });

/** Back with an error (RFC 6749 §4.1.2.1, OpenID Connect Core §3.1.2.6). */
export const backWithError = (
  { redirectUri, state }: Return,
  error: OidcError,
  description: string,
  issuer: string,
): string => withParameters(redirectUri, { error, error_description: description, state, iss: issuer });

/** Back after signing out (OpenID Connect RP-Initiated Logout §3). */
export const backFromEnd = (address: string, state: string | undefined): string => withParameters(address, { state });

/** What a code stands for, decided when somebody was let in. */
export interface Grant {
  readonly clientId: Id;
  readonly person: string;
  readonly nonce: string | undefined;
  /** Seconds since 1970: when the oldest of the proofs that counted was made. */
  readonly authTime: number;
  readonly acr: AcrValue | undefined;
  readonly amr: readonly string[];
  readonly releases: readonly Release[];
  /** Who signed in in the person's name. */
  readonly delegate?: string;
}

/** How long an ID token is good for, seconds: it is looked at when it comes, and not again. */
export const ID_TOKEN_SECONDS = 300;

/** The claims of an ID token, OpenID Connect Core §2. Who the person is besides is told by the userinfo endpoint alone. */
export function idTokenClaims(grant: Grant, issuer: string, nowSeconds: number): Readonly<Record<string, unknown>> {
  return {
    iss: issuer,
    sub: grant.person,
    aud: grant.clientId,
    iat: nowSeconds,
    exp: nowSeconds + ID_TOKEN_SECONDS,
    auth_time: grant.authTime,
    ...(grant.nonce === undefined ? {} : { nonce: grant.nonce }),
    ...(grant.acr === undefined ? {} : { acr: grant.acr }),
    amr: [...grant.amr],
    // RFC 8693 §4.1: the person is the subject, who acts for them the actor.
    ...(grant.delegate === undefined ? {} : { act: { sub: grant.delegate } }),
  };
}

/** Somebody, as far as it may be told. */
export interface Told {
  readonly id: string;
  readonly displayName: string;
  readonly loginName: string | null;
  readonly language: string;
  readonly timeZone: string;
  readonly mail: string | null;
  readonly groups: readonly string[];
  /** Seconds since 1970. */
  readonly changedAt: number;
}

/** What the userinfo endpoint says of somebody, OpenID Connect Core §5.1; `groups` after RFC 9068 §2.2.3.1. */
export function userInfo(person: Told, releases: readonly Release[]): Readonly<Record<string, unknown>> {
  return {
    sub: person.id,
    ...(releases.includes('profile')
      ? {
          name: person.displayName,
          ...(person.loginName === null ? {} : { preferred_username: person.loginName }),
          locale: person.language,
          zoneinfo: person.timeZone,
          updated_at: person.changedAt,
        }
      : {}),
    ...(releases.includes('email') && person.mail !== null ? { email: person.mail } : {}),
    ...(releases.includes('groups') ? { groups: [...person.groups] } : {}),
  };
}
