import type { Event } from '@nimble-latch/core/signin';
import { admit, reserve } from '@nimble-latch/core/throttle';
import type { Statement } from '../../../platform/db/sql.js';
import type { Plan } from '../../../platform/db/unit-of-work.js';
import type { NewEntry } from '../../../platform/trail/writer.js';
import { decoyCounting, readDecoyGuard } from '../guards.js';
import { standingOf, type Standing } from '../lanes.js';
import type { StoredSignIn } from '../store.js';

type Right = Extract<Event, { type: 'right' }>;

/** What an attempt came to, and the writes that must hold before anybody is told. */
export interface Judged {
  readonly judgement:
    | Extract<
        Event,
        { type: 'wrong' | 'far' | 'pin-wanted' | 'turned-away' | 'renewed' | 'chosen' | 'denied' | 'unanswered' }
      >
    /** Without a keyring, the one that the person holds is looked at where this proof alone does not end it. */
    | (Omit<Right, 'keyring'> & { readonly keyring?: Right['keyring'] })
    /** It says who it is, and no way asks for it; or nothing has happened yet: what is asked is asked all the same. */
    | { readonly type: 'beside' };
  readonly writes: readonly Statement[];
  /** Where it came from; without one it neither makes a source familiar nor costs it anything. */
  readonly standing?: Standing;
  /** A proof that is enough to know its source by, or one that is not before the person is let in. */
  readonly remembered?: 'when-right' | 'when-let-in';
  /** More for the trail than what became of the sign-in. */
  readonly entries?: readonly NewEntry[];
}

/** Nothing was tried: it pauses, or its source does. */
export const turnedAway = (
  standing: Standing,
  { why, until }: { readonly why: 'throttled' | 'needs-unlock' | 'source-throttled'; readonly until?: number },
): Judged => ({ judgement: { type: 'turned-away', why, until }, writes: [], standing });

/** Judges with where the attempt comes from, unless that source may try no more. */
export async function fromSource(
  plan: Plan,
  { personId, sourceAddress }: StoredSignIn,
  judge: (standing: Standing) => Promise<Judged>,
): Promise<Judged> {
  const standing = await standingOf(plan.reading, personId, sourceAddress, plan.now);
  return standing.spentUntil === undefined
    ? await judge(standing)
    : turnedAway(standing, { why: 'source-throttled', until: standing.spentUntil });
}

/** Nobody is there: the same answers and the same pauses as for somebody who never gets it right. */
export async function judgeNobody(
  plan: Plan,
  standing: Standing,
  decoyId: Buffer,
  judgement: Extract<Event, { type: 'wrong' }>,
): Promise<Judged> {
  const nowMs = plan.now.getTime();
  const guard = await readDecoyGuard(plan, decoyId);
  const admission = admit(guard, nowMs);
  if (!admission.admitted) return turnedAway(standing, admission);
  return { judgement, standing, writes: decoyCounting(plan.now, decoyId, guard, reserve(guard, nowMs)) };
}
