import type { Method } from '../vocabulary.js';
import type { Way, WayProof } from './way.js';

/**
 * How much a way assures, after NIST SP 800-63B-4 (sections in brackets). What we count is what the verifier can know:
 * a qualifier counts only where the way asks for it, since without it the weakest authenticator of the method serves.
 */
export interface Assurance {
  /** Authenticator assurance level; 0 where nothing of the way counts as a factor. */
  readonly level: 0 | 1 | 2 | 3;
  /** Every answer is bound to where it is used [3.2.5]; a way is so as soon as one of its proofs is. */
  readonly phishingResistant: boolean;
  /** Something of it may be used only where its risks are accepted and another way is offered [3.2.9]. */
  readonly restricted: boolean;
  /** Meant for the day that the others are gone: recovery codes and temporary passes are named as such. */
  readonly lastResort: boolean;
}

/** What one proof shows. */
interface Shows {
  readonly knows: boolean;
  readonly has: boolean;
  /** The key cannot leave its hardware, as level 3 asks [2.3]. */
  readonly bound: boolean;
  readonly phishingResistant: boolean;
  readonly restricted: boolean;
}

const NOTHING: Shows = { knows: false, has: false, bound: false, phishingResistant: false, restricted: false };
const HAS: Shows = { ...NOTHING, has: true };

/**
 * What a proof shows, by its method:
 * - `password`: something known [3.1.1].
 * - `totp`, `hotp`: something held, a one-time-code device [3.1.4]; in hardware its seed cannot be read out. `pin`, a few digits
 *   before the code that are checked here, guards one that was found or stolen; they are too short to be a password, which
 *   beside another factor has eight characters at least [3.1.1.2], and so no second factor.
 * - `webauthn`: something held, bound to the place by name [3.1.6, 3.2.5]; `verified`, what activates it is a second
 *   factor [3.1.7]; only `device-bound` keys are kept from being synced, and so from level 2 at most.
 * - `push`: something held, out of band [3.1.3]; `verified`, unlocked by something known or a trait.
 * - `sms`, `voice`: the same over the telephone network: restricted [3.1.3.3].
 * - `email`: no factor: it does not show possession of a device [3.1.3.1].
 * - `recovery`, `pass`: look-up secrets, something held [3.1.2], for the day that the others are gone.
 * - `certificate`: a key bound by client-authenticated TLS [3.2.5]; `hardware` and `verified` as for `webauthn`.
 * - `workstation`: a key of the device in front of the person, bound to it; `verified` where unlocking it is asked for.
 * - `sshkey`: a key in software [3.1.6].
 */
function shows({ method, qualifiers }: WayProof): Shows {
  const verified = qualifiers.includes('verified');
  const hardware = qualifiers.includes('hardware');
  const by: Readonly<Record<Method, Shows>> = {
    password: { ...NOTHING, knows: true },
    totp: { ...HAS, bound: hardware },
    hotp: { ...HAS, bound: hardware },
    webauthn: { ...HAS, knows: verified, phishingResistant: true, bound: qualifiers.includes('device-bound') },
    push: { ...HAS, knows: verified },
    sms: { ...HAS, restricted: true },
    voice: { ...HAS, restricted: true },
    email: NOTHING,
    recovery: HAS,
    pass: HAS,
    certificate: { ...HAS, knows: verified, phishingResistant: true, bound: hardware },
    workstation: { ...HAS, knows: verified, bound: true },
    sshkey: HAS,
  };
  return by[method];
}

/** Methods that are for the day that the others are gone. */
const LAST_RESORT: ReadonlySet<Method> = new Set(['recovery', 'pass']);

/**
 * The level of a way. Level 1: one factor. Level 2: two different kinds of factor, something known (or a trait) and
 * something held [2.2]; two things held are still one kind. Level 3: both kinds, one proof among them phishing-resistant
 * with a key that cannot be exported [2.3].
 */
export function assuranceOf(way: Way): Assurance {
  const shown = way.map(shows);
  const knows = shown.some((one) => one.knows);
  const has = shown.some((one) => one.has);
  const strong = shown.some((one) => one.phishingResistant && one.bound);
  const lastResort = way.some(({ method }) => LAST_RESORT.has(method));
  const level = knows && has ? (strong && !lastResort ? 3 : 2) : knows || has ? 1 : 0;
  return {
    level,
    phishingResistant: shown.some((one) => one.phishingResistant),
    restricted: shown.some((one) => one.restricted),
    lastResort,
  };
}
