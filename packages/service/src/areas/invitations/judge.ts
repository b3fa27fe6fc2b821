import { firstOffer, outcomeOfInviting, type FirstOffer, type Inviting } from '@nimble-latch/core/invitations';
import type { InvitingOutcome, Method } from '@nimble-latch/core/vocabulary';
import { select, type Db } from '../../platform/db/sql.js';
import type { Deps } from '../../platform/deps.js';
import { idText } from '../../platform/ids.js';
import { PERSON_FACTS_OF_P, personFactsOf, type PersonFactsRow } from '../rulebook/facts.js';

interface Row extends PersonFactsRow {
  id: Buffer;
  state: string;
  emergency: number;
  administrator: number;
  display_name: string;
  language: string;
  mail_sealed: Buffer | null;
  invited: number;
  held: string | null;
}

/** Somebody who may be invited, and what would come of it. */
export interface Judged {
  readonly row: Row;
  readonly outcome: InvitingOutcome;
  readonly offer: FirstOffer;
  /** They have neither a password nor a pass, and so nothing to begin with. */
  readonly withoutProof: boolean;
}

/** People of one statement. */
export const JUDGED_AT_ONCE = 500;

/** What would come of inviting these people, in the order of their ids; who is not there any more is left out. */
export async function judge(
  deps: Deps,
  db: Db,
  ids: readonly Buffer[],
  inviting: Inviting,
): Promise<readonly Judged[]> {
  if (ids.length === 0) return [];
  const { settings } = await deps.methods.current();
  const rows = await select<Row>(
    db,
    `SELECT p.id, p.state, p.emergency, p.display_name, p.language, p.mail_sealed, ${PERSON_FACTS_OF_P},
       EXISTS (SELECT 1 FROM role_grants r WHERE r.person_id = p.id) AS administrator,
       EXISTS (SELECT 1 FROM invitations i WHERE i.open_for = p.id AND i.valid_until > UTC_TIMESTAMP(3)) AS invited,
       (SELECT GROUP_CONCAT(DISTINCT a.method) FROM authenticators a WHERE a.person_id = p.id AND a.state = 'active') AS held
     FROM persons p WHERE p.id IN (:ids) ORDER BY p.id`,
    { ids: [...ids] },
  );
  return rows.map((row) => {
    const { groups } = personFactsOf(idText(row.id), row);
    const held = new Set((row.held ?? '').split(',') as Method[]);
    const outcome = outcomeOfInviting(
      settings,
      {
        active: row.state === 'active',
        emergency: row.emergency === 1,
        administrator: Number(row.administrator) === 1,
        hasMail: row.mail_sealed !== null,
        invited: Number(row.invited) === 1,
        held,
        groups,
      },
      inviting,
    );
    return {
      row,
      outcome,
      offer: firstOffer(settings, inviting.methods, groups),
      withoutProof: !held.has('password') && !held.has('pass'),
    };
  });
}
