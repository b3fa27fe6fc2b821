import { drawLookUpSecret, groupedLookUpSecret, readLookUpSecret } from '../look-up-secrets/index.js';

/**
 * The code of an invitation: what stands in its link, and what is typed from a letter. Its first letters only find it and are kept as
 * they are; the others are a look-up secret (NIST SP 800-63B-4 §3.1.2) of 64 bits, of which a hash is kept.
 */
const LOCATOR_LETTERS = 8;
const SECRET_LETTERS = 16;
const LETTERS = LOCATOR_LETTERS + SECRET_LETTERS;

export interface InvitationCode {
  readonly locator: string;
  readonly secret: string;
}

/** @param random cryptographic bytes */
export const drawInvitationCode = (random: (bytes: number) => Uint8Array): InvitationCode =>
  halves(drawLookUpSecret(random, LETTERS));

/** As it is printed, and stands in links: in groups. */
export const shownInvitationCode = ({ locator, secret }: InvitationCode): string =>
  groupedLookUpSecret(locator + secret);

/** A code as typed, scanned or pasted; undefined for what is none. */
export function readInvitationCode(typed: string): InvitationCode | undefined {
  const letters = readLookUpSecret(typed);
  return letters?.length === LETTERS ? halves(letters) : undefined;
}

const halves = (letters: string): InvitationCode => ({
  locator: letters.slice(0, LOCATOR_LETTERS),
  secret: letters.slice(LOCATOR_LETTERS),
});
