import type { Answer } from '@nimble-latch/api';
import { whyNot } from '@nimble-latch/core/access';
import { idRange, type FoundByBeginning, type Permission } from '@nimble-latch/core/vocabulary';
import { select } from '../../platform/db/sql.js';
import { PermissionRefusal } from '../../platform/errors.js';
import type { Handler } from '../../platform/http/call.js';
import { idBytes, idText, storedId } from '../../platform/ids.js';
import { withParts } from '../people/parts.js';

/** Where each kind stands, and what somebody must be allowed to read who asks for one. */
const KINDS: Readonly<Record<FoundByBeginning, { readonly table: string; readonly permission: Permission }>> = {
  authenticator: { table: 'authenticators', permission: 'keyring.read' },
  carrier: { table: 'carriers', permission: 'keyring.read' },
  invitation: { table: 'invitations', permission: 'keyring.read' },
  dispute: { table: 'change_notices', permission: 'keyring.read' },
  'sign-in': { table: 'sign_ins', permission: 'activity.read' },
};

/**
 * The ids that begin so, among those of people whom the caller reaches: what is of others is not there for them, so that it neither
 * shows nor makes a beginning mean two things.
 */
export const findIds: Handler<'ids.find'> = async (deps, { actor, query }) => {
  const { table, permission } = KINDS[query.of];
  const why = whyNot(actor.rights, permission, 'within', false);
  if (why) throw new PermissionRefusal(actor, permission, why);
  const reach = actor.rights.get(permission)!;
  const reached = reach === 'everybody' ? undefined : await withParts(deps, [...reach].map(idBytes));
  if (reached?.length === 0) return { answer: { ids: [] } };
  const { from, to } = idRange(query.begins)!;
  const rows = await select<{ id: Buffer }>(
    deps,
    `SELECT t.id FROM ${table} t WHERE t.id BETWEEN :from AND :to ${
      reached
        ? 'AND EXISTS (SELECT 1 FROM group_members m WHERE m.person_id = t.person_id AND m.group_id IN (:reached))'
        : ''
    } ORDER BY t.id LIMIT 2`,
    { from: idBytes(storedId(from)), to: idBytes(storedId(to)), ...(reached ? { reached } : {}) },
  );
  return { answer: { ids: rows.map((row) => idText(row.id)) satisfies Answer<'ids.find'>['ids'] } };
};
