import type { Id, Method } from '@nimble-latch/core/vocabulary';
import { select, write, type Db, type Statement } from '../../platform/db/sql.js';
import type { Work } from '../../platform/db/unit-of-work.js';
import { Refusal } from '../../platform/errors.js';
import { idBytes, idText } from '../../platform/ids.js';

/** How far an invitation has brought somebody, as it is noted once. */
export const noted = (what: 'opened' | 'begun', id: Id, now: Date): Statement => ({
  sql: `UPDATE invitations SET ${what}_at = COALESCE(${what}_at, :now) WHERE id = :id`,
  values: { id: idBytes(id), now },
});

export async function isOpened(db: Db, id: Id): Promise<boolean> {
  const [row] = await select(db, 'SELECT 1 AS one FROM invitations WHERE id = :id AND opened_at IS NOT NULL', {
    id: idBytes(id),
  });
  return row !== undefined;
}

/** Somebody's right to enrol, as far as it comes from an invitation. */
export interface Invited {
  readonly methods: readonly Method[];
  readonly countersigned: boolean;
  /** It was used, by this very right. */
  readonly used: boolean;
}

const GOOD = `open_for IS NOT NULL AND valid_until > UTC_TIMESTAMP(3)`;

/** What an invitation lets the sign-in do that it was brought to; undefined where it is of no use to it, or not any more. */
export async function invitedBy(db: Db, id: Id, signIn: Id): Promise<Invited | undefined> {
  const [row] = await select<{ methods: string; countersigned: number; used: number | null }>(
    db,
    `SELECT methods, countersigned, COALESCE(done_by = :signIn, 0) AS used FROM invitations WHERE id = :id AND (done_by = :signIn OR (${GOOD}))`,
    { id: idBytes(id), signIn: idBytes(signIn) },
  );
  return (
    row && {
      methods: row.methods.split(' ') as Method[],
      countersigned: row.countersigned === 1,
      used: Number(row.used) === 1,
    }
  );
}

/**
 * Uses an invitation, with what it was for: whoever comes first of two that were let in by it. Throws `request-gone` for the other, whose
 * enrolment is then not kept either.
 *
 * @param needed whether the right leans on it; one that does not is good by itself
 */
export async function useInvitation(
  work: Work,
  id: Id,
  by: { readonly signInId: Id; readonly personId: Id; readonly origin: string },
  needed: boolean,
): Promise<void> {
  const values = { id: idBytes(id), signIn: idBytes(by.signInId), now: work.now };
  const first = await write(
    work,
    `UPDATE invitations SET done_at = :now, done_by = :signIn, open_for = NULL, next_reminder_at = NULL, begun_at = COALESCE(begun_at, :now)
     WHERE id = :id AND ${GOOD}`,
    values,
  );
  if (first === 1) {
    await work.trail({
      actor: { kind: 'person', id: by.personId },
      action: 'invitation.done',
      target: { kind: 'person', id: by.personId },
      person: by.personId,
      origin: by.origin,
      reason: null,
      details: { invitation: id },
    });
    return;
  }
  const [mine] = await select(work, 'SELECT 1 AS one FROM invitations WHERE id = :id AND done_by = :signIn', values);
  if (!mine && needed) throw new Refusal('request-gone');
}

/** An invitation that is open for somebody who enrols by another right has done its work as well. */
export async function settleInvitation(
  work: Work,
  person: Id,
  method: Method,
  by: { readonly signInId: Id; readonly origin: string },
): Promise<void> {
  const [open] = await select<{ id: Buffer; methods: string }>(
    work,
    'SELECT id, methods FROM invitations WHERE open_for = :person',
    { person: idBytes(person) },
  );
  if (open?.methods.split(' ').includes(method))
    await useInvitation(work, idText(open.id), { ...by, personId: person }, false);
}
