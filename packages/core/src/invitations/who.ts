import { decidedFor, offerOf, type MethodSettings } from '../methods/index.js';
import type { InvitationChannel, InvitingOutcome, Method } from '../vocabulary.js';

/** What is known of somebody who may be invited. */
export interface Invitable {
  readonly active: boolean;
  readonly emergency: boolean;
  readonly administrator: boolean;
  readonly hasMail: boolean;
  /** An invitation of theirs is open. */
  readonly invited: boolean;
  /** Methods of active authenticators. */
  readonly held: ReadonlySet<Method>;
  /** Ids of groups they are in, themselves or through others. */
  readonly groups: ReadonlySet<string>;
}

export interface Inviting {
  readonly methods: readonly Method[];
  readonly via: InvitationChannel;
  /** Whoever invites may change administrators. */
  readonly byOwner: boolean;
  /** A second administrator agreed. */
  readonly countersigned: boolean;
}

/** What the method settings leave of methods for the first enrolment of somebody by invitation. */
export interface FirstOffer {
  readonly methods: readonly Method[];
  /** Some are left out because they are enrolled in person alone. */
  readonly inPerson: boolean;
  /** A second administrator has to agree. */
  readonly countersigned: boolean;
}

export function firstOffer(
  settings: MethodSettings,
  methods: readonly Method[],
  groups: ReadonlySet<string>,
): FirstOffer {
  const offered = methods.filter((method) => offerOf(settings, method, groups).enrol);
  const guard = (method: Method) => decidedFor(settings, method, groups)?.cell.parameters?.first;
  const left = offered.filter((method) => guard(method) !== 'in-person');
  return {
    methods: left,
    inPerson: left.length < offered.length,
    countersigned: left.some((method) => guard(method) === 'countersigned'),
  };
}

/**
 * Whether somebody is invited, or why not: of several reasons the one that stands most firmly. Administrators are invited by owners
 * alone and only by mail: a letter or a file could be read by whoever makes it; emergency accounts by nobody.
 */
export function outcomeOfInviting(
  settings: MethodSettings,
  { active, emergency, administrator, hasMail, invited, held, groups }: Invitable,
  { methods, via, byOwner, countersigned }: Inviting,
): InvitingOutcome {
  if (!active) return 'deactivated';
  if (emergency) return 'emergency';
  if (administrator && (!byOwner || via !== 'mail')) return 'owners-only';
  if (methods.some((method) => held.has(method))) return 'already-held';
  if (invited) return 'already-invited';
  const offer = firstOffer(settings, methods, groups);
  if (offer.methods.length === 0) return offer.inPerson ? 'in-person' : 'not-offered';
  if (offer.countersigned && !countersigned) return 'not-countersigned';
  return via === 'mail' && !hasMail ? 'no-mail' : 'invited';
}
