import { ROLE_PERMISSIONS } from '../access/index.js';
import {
  PASS_BOUNDS,
  ROLES,
  type MethodPurpose,
  type PassBound,
  type PassPurpose,
  type PassState,
  type Role,
} from '../vocabulary.js';

/** How far whoever gives passes may go. */
export interface PassBounds {
  /** Longest life of one. */
  readonly hours: number;
  /** Most uses of one. */
  readonly uses: number;
  /** Most that they have given and that have not ended. */
  readonly open: number;
  /** Most that they give within 24 hours; whoever gives the last of them makes the owners look. */
  readonly perDay: number;
}

/** Roles that may give passes. */
export const PASS_ROLES: readonly Role[] = ROLES.filter((role) => ROLE_PERMISSIONS[role].includes('pass.give'));

/** The bounds of somebody with these roles: of each the widest. Undefined where none of them may give passes. */
export function passBoundsOf(
  bounds: Readonly<Partial<Record<Role, PassBounds>>>,
  roles: readonly Role[],
): PassBounds | undefined {
  const theirs = roles.flatMap((role) => (PASS_ROLES.includes(role) ? (bounds[role] ?? []) : []));
  if (theirs.length === 0) return undefined;
  return Object.fromEntries(
    PASS_BOUNDS.map((bound) => [bound, Math.max(...theirs.map((one) => one[bound]))]),
  ) as unknown as PassBounds;
}

const HOUR_MS = 3_600_000;

/** What somebody wants to give, and has given already. */
export interface WantedPass {
  /** Milliseconds since 1970. */
  readonly fromMs: number;
  readonly untilMs: number;
  readonly uses: number;
}
export interface GivenPasses {
  /** Not ended yet. */
  readonly open: number;
  /** Within the last 24 hours. */
  readonly today: number;
}

/** The first bound that a pass would go beyond; undefined where it may be given. */
export function beyondBounds(
  bounds: PassBounds,
  { fromMs, untilMs, uses }: WantedPass,
  { open, today }: GivenPasses,
): PassBound | undefined {
  if (untilMs - fromMs > bounds.hours * HOUR_MS) return 'hours';
  if (uses > bounds.uses) return 'uses';
  if (open >= bounds.open) return 'open';
  return today >= bounds.perDay ? 'perDay' : undefined;
}

/** What a pass may be used for, in the words of the method settings. */
export const purposesOfPass = (purpose: PassPurpose): readonly MethodPurpose[] =>
  purpose === 'both' ? ['sign-in', 'enrol'] : [purpose];

/** Where a pass stands. */
export function passState(
  authenticator: 'active' | 'suspended' | 'ended',
  { fromMs, untilMs }: Pick<WantedPass, 'fromMs' | 'untilMs'>,
  nowMs: number,
): PassState {
  if (authenticator === 'ended' || nowMs >= untilMs) return 'ended';
  if (authenticator === 'suspended') return 'suspended';
  return nowMs < fromMs ? 'waiting' : 'open';
}
