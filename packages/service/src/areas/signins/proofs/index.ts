import type { PromptKind } from '@nimble-latch/core/vocabulary';
import { badField } from '../../../platform/errors.js';
import { approval } from './approval.js';
import { choice } from './choice.js';
import { code } from './code.js';
import { newPassword } from './new-password.js';
import { newPin } from './new-pin.js';
import { isLookUpSecret, lookUpSecret } from './look-up-secret.js';
import { password } from './password.js';
import { pin } from './pin.js';
import type { Incoming, ProofKind, Step } from './proof.js';
import { securityKey } from './security-key.js';

/** A code of a device, or a look-up secret: told apart by their form. Where the next code of a device is asked for, nothing else is in its place. */
const codeOrSecret: ProofKind = async (incoming) =>
  await (isLookUpSecret(incoming.proof.value ?? '') ? lookUpSecret : code)(incoming);

/** What answers each kind of prompt. */
const PROOFS: Readonly<Record<PromptKind, ProofKind>> = {
  password,
  code: codeOrSecret,
  'next-code': code,
  text: pin,
  webauthn: securityKey,
  'new-password': newPassword,
  'new-pin': newPin,
  choose: choice,
  wait: approval,
};
const ANSWERED = Object.keys(PROOFS) as PromptKind[];

/**
 * Answers the prompt of a sign-in: does what takes time, and gives back the step that decides, for the caller to run in the
 * transaction of their answer (`steps.ts`).
 */
export async function prove(incoming: Incoming): Promise<Step> {
  const { kind } = incoming.proof;
  // Names that every object has are no kinds.
  const answers = Object.hasOwn(PROOFS, kind) ? PROOFS[kind] : undefined;
  if (!answers) throw badField('body.kind', 'other-prompt', { kind: ANSWERED.join(', ') });
  return await answers(incoming);
}

export type { Incoming, Proof, Step } from './proof.js';
