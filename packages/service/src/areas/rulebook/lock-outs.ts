import { LIMITS, type Answer } from '@nimble-latch/api';
import { selectOne, type Db } from '../../platform/db/sql.js';
import { Comparison } from './affected.js';
import type { ShownFinding } from './describe-rulebook.js';
import type { InForce } from './prospect.js';

type Review = Answer<'rulebookDraft.review'>;

/** Whom a change would lock out who gets in today, who would need less, and what else shows only when people are looked at. */
export interface LockOuts {
  readonly lockedOut: Review['lockedOut'];
  readonly loosened: Review['loosened'];
  readonly findings: ShownFinding[];
}

export const NOBODY_LOOKED_AT: LockOuts = {
  lockedOut: { people: 0, named: [], examined: 0, of: 0 },
  loosened: { people: 0, named: [] },
  findings: [],
};

/**
 * Looks at every active person at every application: who could get in by what is in force, from anywhere, and could not
 * by the draft, or with less? Up to a bound, so that the answer comes within seconds; how many were looked at is told.
 *
 * @param publisher who would publish
 * @param most people named of each kind: a page of them where somebody looks, all that are kept where somebody signs
 */
export async function lockOutsOf(
  db: Db,
  running: InForce,
  draft: InForce,
  publisher: string,
  now: Date,
  most: number = LIMITS.peopleNamed,
): Promise<LockOuts> {
  const comparison = await Comparison.of(db, running, draft, now);
  const count = await selectOne<{ n: number }>(db, "SELECT COUNT(*) AS n FROM persons WHERE state = 'active'");
  const lockedOut: Review['lockedOut'] = { people: 0, named: [], examined: 0, of: Number(count?.n ?? 0) };
  const loosened: Review['loosened'] = { people: 0, named: [] };
  let own: Review['lockedOut']['named'][number] | undefined;
  for await (const { id, displayName, lockedOut: applications, eased } of comparison.people(db)) {
    lockedOut.examined += 1;
    if (eased.length > 0) {
      loosened.people += 1;
      if (loosened.named.length < most) loosened.named.push({ id, displayName, eased });
    }
    if (applications.length > 0) {
      lockedOut.people += 1;
      const one = { id, displayName, applications };
      if (id === publisher) own = one;
      else if (lockedOut.named.length < most) lockedOut.named.push(one);
    }
    if (lockedOut.examined >= LIMITS.peopleReviewed) break;
  }
  // Whoever publishes is named first: they would be the last to notice.
  const named = [...(own ? [own] : []), ...lockedOut.named].slice(0, most);
  const findings: ShownFinding[] = own
    ? [{ what: 'publisher-locked-out', rule: null, facts: { application: own.applications.join(', ') } }]
    : [];
  return { lockedOut: { ...lockedOut, named }, loosened, findings: [...findings, ...comparison.inside.findings()] };
}
