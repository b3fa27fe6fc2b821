import { METHODS, type Method } from '../../vocabulary.js';
import { certificate } from './certificate.js';
import { email } from './email.js';
import { hotp } from './hotp.js';
import { pass } from './pass.js';
import { password } from './password.js';
import { push } from './push.js';
import { recovery } from './recovery.js';
import { sms } from './sms.js';
import type { MethodSpec, Offered, ParametersOf } from './spec.js';
import { sshkey } from './sshkey.js';
import { totp } from './totp.js';
import { voice } from './voice.js';
import { webauthn } from './webauthn.js';
import { workstation } from './workstation.js';

export type { MethodSpec, ModelParameter, Offered, ParameterSpec, ParametersOf, ParameterValue } from './spec.js';

/** Every method, by its name. */
export const METHOD_SPECS = {
  password,
  totp,
  hotp,
  webauthn,
  push,
  sms,
  voice,
  email,
  recovery,
  pass,
  certificate,
  workstation,
  sshkey,
} as const satisfies { readonly [M in Method]: MethodSpec & { readonly method: M } };

/** The method's description, without the words that it alone has. */
export const specOf = (method: Method): MethodSpec => METHOD_SPECS[method];

type Specs = typeof METHOD_SPECS;

/** A method that this release can enrol and check. */
export type OfferedMethod = { [M in Method]: Specs[M]['offered'] extends null ? never : M }[Method];

/** Methods that this release can enrol and check, in the order of all. */
export const OFFERED_METHODS = METHODS.filter((method): method is OfferedMethod => specOf(method).offered !== null);

/** Methods that somebody may be invited to: what they set up by themselves, and is not for the day that the rest is gone. */
export const INVITABLE_METHODS = OFFERED_METHODS.filter(
  (method): method is InvitableMethod => METHOD_SPECS[method].offered.bySelf && !specOf(method).lastResort,
);
export type InvitableMethod = {
  [M in OfferedMethod]: Specs[M] extends { readonly lastResort: false; readonly offered: { readonly bySelf: true } }
    ? M
    : never;
}[OfferedMethod];

/** What is said of a method that can be enrolled here. */
export const offeredSpec = (method: OfferedMethod): Offered => METHOD_SPECS[method].offered;

/** A method whose codes may have a PIN before them. */
export type PinnedMethod = {
  [M in OfferedMethod]: Specs[M]['offered'] extends { readonly takesPin: true } ? M : never;
}[OfferedMethod];

export const takesPin = (method: Method): method is PinnedMethod => specOf(method).offered?.takesPin ?? false;
export const PINNED_METHODS: readonly PinnedMethod[] = METHODS.filter(takesPin);

type Intersection<U> = (U extends unknown ? (one: U) => void : never) extends (all: infer I) => void ? I : never;

/** What may be said of the authenticators of any method; what is left out is as it is for everybody. */
export type MethodParameters = Intersection<{ [M in OfferedMethod]: ParametersOf<Specs[M]> }[OfferedMethod]>;
