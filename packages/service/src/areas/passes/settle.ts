import { select } from '../../platform/db/sql.js';
import { inTransaction } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { idBytes, idText } from '../../platform/ids.js';
import type { Id, PassEnd } from '@nimble-latch/core/vocabulary';
import { lockPass, writeEnd } from './end.js';
import { HAS_FACTOR_AGAIN } from './has-factor.js';

const AT_ONCE = 200;

/** Passes that count no more, and whose end nobody has carried out yet: `why` says how it came. */
const DUE = `SELECT v.authenticator_id AS id,
    CASE WHEN v.ended_why IS NOT NULL THEN v.ended_why
      WHEN a.state NOT IN ('active', 'suspended') THEN 'withdrawn'
      WHEN a.valid_until <= UTC_TIMESTAMP(3) THEN 'ran-out' ELSE 'factor' END AS why
  FROM passes v JOIN authenticators a ON a.id = v.authenticator_id
  WHERE v.settled_at IS NULL AND (v.ended_why IS NOT NULL OR a.state NOT IN ('active', 'suspended') OR a.valid_until <= UTC_TIMESTAMP(3)
    OR (v.until_factor = 1 AND ${HAS_FACTOR_AGAIN}))`;

/**
 * Carries out the ends of passes: the lists of people are told, and the trail. They have not counted since the moment that it says, by
 * the reads and writes of sign-ins.
 */
export async function settlePasses(deps: Deps): Promise<string> {
  let settled = 0;
  for (;;) {
    const due = await select<{ id: Buffer; why: PassEnd }>(deps, `${DUE} ORDER BY id LIMIT ${AT_ONCE}`);
    for (const { id } of due) await settle(deps, idText(id));
    settled += due.length;
    if (due.length < AT_ONCE) return `${settled} ended`;
  }
}

async function settle(deps: Deps, id: Id): Promise<void> {
  await inTransaction(deps, async (work) => {
    const row = await lockPass(work, id);
    if (!row) return;
    // As it is now: somebody may have withdrawn it meanwhile, or another node has been here.
    const [due] = await select<{ why: PassEnd }>(work, `${DUE} AND v.authenticator_id = :id`, { id: idBytes(id) });
    if (!due) return;
    const person = row.personId;
    await writeEnd(work, row, due.why);
    await work.trail({
      actor: { kind: 'service', id: null },
      action: 'pass.ended',
      target: { kind: 'authenticator', id },
      person,
      origin: null,
      reason: null,
      details: { why: due.why },
    });
  });
}
