import { RELEASES, type AcrValue, type OidcError, type Release, type Id } from '../vocabulary.js';
import { isAcr } from './acr.js';
import type { Client } from './client.js';
import { isChallenge } from './pkce.js';

/** What an application asks for when it sends somebody to sign in, once it is known to be right. */
export interface AuthorizationRequest {
  readonly clientId: Id;
  readonly redirectUri: string;
  readonly state: string | undefined;
  readonly nonce: string | undefined;
  readonly challenge: string;
  /** What it may learn, of what it asked for. */
  readonly releases: readonly Release[];
  /** Asked not to show anything: answered at once, or with an error. */
  readonly silent: boolean;
  /** Nothing that was proved before counts. */
  readonly anew: boolean;
  /** The person is to say who they are, whoever is signed in. */
  readonly otherPerson: boolean;
  /** Seconds for which a proof counts. */
  readonly maxAge: number | undefined;
  readonly acr: readonly AcrValue[];
  readonly loginHint: string | undefined;
  readonly idTokenHint: string | undefined;
  readonly languages: readonly string[];
  /** A pushed request says that the application has checked the password of the person whom it names. */
  readonly passwordChecked: boolean;
}

/** Where an answer to the application goes. */
export interface Return {
  readonly redirectUri: string;
  readonly state: string | undefined;
}

/** What is wrong with a request. Only where client and address are known to belong together is anybody sent back. */
export type RequestProblem =
  | { readonly kind: 'page'; readonly problem: 'client' | 'redirect-uri' }
  | { readonly kind: 'back'; readonly to: Return; readonly error: OidcError; readonly description: string };

export type Parameters = readonly (readonly [name: string, value: string])[];

/** Characters of all parameters together, names and values. */
export const REQUEST_CHARS = 6_000;
const STATE_CHARS = 2_000;
const NONCE_CHARS = 500;
const HINT_CHARS = 380;
/** Longest age that is worth a number: ten years, in seconds. */
const AGE_MOST = 315_360_000;

const PROMPTS = ['none', 'login', 'consent', 'select_account'];

/** The value of a parameter that is there once; undefined where it is missing, empty, or repeated. */
export function single(parameters: Parameters, name: string): string | undefined {
  const all = parameters.filter(([other]) => other === name);
  return all.length === 1 && all[0]![1] !== '' ? all[0]![1] : undefined;
}

const words = (value: string | undefined): string[] => (value ?? '').split(' ').filter(Boolean);

/**
 * Reads an authorization request: OpenID Connect Core §3.1.2.1 and §3.1.2.2, RFC 6749 §4.1.1, RFC 7636 §4.3 with S256
 * always, exact redirect addresses (RFC 9700 §2.1). Parameters that are not known are ignored, as both ask.
 *
 * @param client whoever `client_id` names; undefined for nobody
 * @param pushed whether the parameters came from the application itself, by a pushed request (RFC 9126)
 */
export function readRequest(
  parameters: Parameters,
  client: Client | undefined,
  pushed: boolean,
): AuthorizationRequest | RequestProblem {
  const get = (name: string) => single(parameters, name);
  if (!client || get('client_id') !== client.id) return { kind: 'page', problem: 'client' };
  const redirectUri = get('redirect_uri');
  if (redirectUri === undefined || !client.redirectUris.includes(redirectUri))
    return { kind: 'page', problem: 'redirect-uri' };
  const state = get('state');
  const back = (error: OidcError, description: string): RequestProblem => ({
    kind: 'back',
    to: { redirectUri, state: state !== undefined && state.length <= STATE_CHARS ? state : undefined },
    error,
    description,
  });
  const names = parameters.map(([name]) => name);
  const twice = names.find((name, i) => names.indexOf(name) !== i);
  // RFC 6749 §3.1: no parameter more than once.
  if (twice !== undefined) return back('invalid_request', `${shown(twice)} is there more than once`);
  if (parameters.reduce((sum, [name, value]) => sum + name.length + value.length, 0) > REQUEST_CHARS)
    return back('invalid_request', `more than ${REQUEST_CHARS} characters`);
  if (get('request') !== undefined) return back('request_not_supported', 'push the request instead (RFC 9126)');
  if (get('registration') !== undefined)
    return back('registration_not_supported', 'applications are registered by hand');
  if (get('response_type') !== 'code')
    return get('response_type') === undefined
      ? back('invalid_request', 'response_type is missing')
      : back('unsupported_response_type', 'response_type must be code');
  if (get('response_mode') !== undefined && get('response_mode') !== 'query')
    return back('invalid_request', 'response_mode must be query');
  const scopes = words(get('scope'));
  if (!scopes.includes('openid')) return back('invalid_scope', 'scope must contain openid');
  const challenge = get('code_challenge');
  if (challenge === undefined) return back('invalid_request', 'code_challenge is missing (PKCE, RFC 7636)');
  if (get('code_challenge_method') !== 'S256') return back('invalid_request', 'code_challenge_method must be S256');
  if (!isChallenge(challenge)) return back('invalid_request', 'code_challenge must be 43 characters of base64url');
  if ((state?.length ?? 0) > STATE_CHARS)
    return back('invalid_request', `state is longer than ${STATE_CHARS} characters`);
  const nonce = get('nonce');
  if ((nonce?.length ?? 0) > NONCE_CHARS)
    return back('invalid_request', `nonce is longer than ${NONCE_CHARS} characters`);
  const prompts = words(get('prompt'));
  const strange = prompts.find((prompt) => !PROMPTS.includes(prompt));
  if (strange !== undefined) return back('invalid_request', `prompt cannot be ${shown(strange)}`);
  if (prompts.includes('none') && prompts.length > 1)
    return back('invalid_request', 'prompt=none cannot stand with others');
  const age = get('max_age');
  if (age !== undefined && !/^\d{1,9}$/.test(age))
    return back('invalid_request', 'max_age must be a number of seconds');
  const loginHint = get('login_hint');
  if ((loginHint?.length ?? 0) > HINT_CHARS)
    return back('invalid_request', `login_hint is longer than ${HINT_CHARS} characters`);
  const passwordChecked = pushed && get('password_checked') === 'true';
  if (passwordChecked && loginHint === undefined)
    return back('invalid_request', 'password_checked needs login_hint: whose password it was');
  return {
    clientId: client.id,
    redirectUri,
    state,
    nonce,
    challenge,
    releases: RELEASES.filter((release) => scopes.includes(release) && client.releases.includes(release)),
    silent: prompts.includes('none'),
    anew: prompts.includes('login'),
    otherPerson: prompts.includes('select_account'),
    maxAge: age === undefined ? undefined : Math.min(Number(age), AGE_MOST),
    acr: words(get('acr_values')).filter(isAcr).slice(0, 10),
    loginHint,
    idTokenHint: get('id_token_hint'),
    languages: words(get('ui_locales')).slice(0, 10),
    passwordChecked,
  };
}

/** Something that came from outside, short and harmless enough to be told back (RFC 6749 §4.1.2.1: printable ASCII). */
const shown = (text: string): string => text.slice(0, 40).replace(/[^\w.-]/g, '?');
