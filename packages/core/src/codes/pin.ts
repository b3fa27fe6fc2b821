/** Digits of a PIN at least, unless the method settings ask for more; NIST SP 800-63B-4 §3.2.10 asks for four of what activates. */
export const LEAST_PIN = 4;
export const LONGEST_PIN = 12;
/** Digits of a PIN that is given by the service. */
export const GIVEN_PIN = 6;

/** What somebody typed into the one field, taken apart. */
export interface PinAndCode {
  /** Undefined where the code stands alone. */
  readonly pin: string | undefined;
  readonly code: string;
}

/**
 * Digits as typed: the code, or a PIN with the code right after it. Spaces and hyphens between groups are let through, and
 * full-width digits count as plain ones.
 *
 * @param digits how long the codes of the device are
 * @returns undefined for anything else
 */
export function readPinAndCode(typed: string, digits: number): PinAndCode | undefined {
  const bare = bareDigits(typed);
  if (bare === undefined || bare.length < digits || bare.length > LONGEST_PIN + digits) return undefined;
  const pin = bare.slice(0, -digits);
  return { pin: pin === '' ? undefined : pin, code: bare.slice(-digits) };
}

/** Whether something typed is longer than any code, and so has a PIN before it, whoever it is about. */
export const hasPin = (typed: string): boolean => (bareDigits(typed)?.length ?? 0) > 9;

/** A PIN as typed; undefined for what can be none. */
export function readPin(typed: string): string | undefined {
  const bare = bareDigits(typed);
  return bare !== undefined && bare.length >= LEAST_PIN && bare.length <= LONGEST_PIN ? bare : undefined;
}

function bareDigits(typed: string): string | undefined {
  const bare = typed.normalize('NFKC').replace(/[\s-]+/g, '');
  return /^[0-9]+$/.test(bare) ? bare : undefined;
}

/** Why a PIN may not be chosen. */
export type PinWeakness = 'digits' | 'short' | 'long' | 'pattern' | 'same';

/**
 * What is wrong with a new PIN; undefined where nothing is. One digit over and over, a run up or down and a group said twice
 * are what is tried first by whoever finds a token.
 *
 * @param least digits at least
 */
export function pinWeakness(typed: string, least: number = LEAST_PIN): PinWeakness | undefined {
  const bare = bareDigits(typed);
  if (bare === undefined) return 'digits';
  if (bare.length < Math.max(least, LEAST_PIN)) return 'short';
  if (bare.length > LONGEST_PIN) return 'long';
  const steps = new Set([...bare].slice(1).map((digit, i) => (Number(digit) - Number(bare[i]) + 10) % 10));
  const run = steps.size === 1 && [0, 1, 9].includes([...steps][0]!);
  const halves = bare.length % 2 === 0 && bare.slice(0, bare.length / 2) === bare.slice(bare.length / 2);
  return run || halves ? 'pattern' : undefined;
}

/** A PIN to give to somebody, drawn evenly from all that may be chosen. @param random cryptographic bytes */
export function drawPin(random: (bytes: number) => Uint8Array, digits: number = GIVEN_PIN): string {
  for (;;) {
    // Bytes of 250 and more would make some digits likelier than others.
    const drawn = [...random(digits * 2)].filter((byte) => byte < 250).map((byte) => byte % 10);
    const pin = drawn.slice(0, digits).join('');
    if (pin.length === digits && pinWeakness(pin, digits) === undefined) return pin;
  }
}
