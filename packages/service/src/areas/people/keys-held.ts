import type { SqlValues, Db } from '../../platform/db/sql.js';
import { idBytes, storedId } from '../../platform/ids.js';
import { readMethods } from '../methods/cache.js';
import type { PeopleFilter } from './filter.js';
import { withParts } from './parts.js';

/** Conditions on the keys that a person `p` holds. */
export interface KeyConditions {
  readonly conditions: readonly string[];
  readonly values: SqlValues;
}

const HELD = "k.person_id = p.id AND k.method = 'webauthn'";

/** What a filter asks of the keys that somebody holds: keys of a model, or fewer of them than the method settings want. */
export async function keyConditions(db: Db, { model, fewKeys }: PeopleFilter): Promise<KeyConditions> {
  const few = fewKeys ? await fewerThanWanted(db) : { conditions: [], values: {} };
  if (model === undefined) return few;
  const ofModel = `EXISTS (SELECT 1 FROM authenticators k JOIN webauthn_credentials c ON c.authenticator_id = k.id
    WHERE ${HELD} AND k.state IN ('active', 'suspended') AND c.model_id = :model)`;
  return { conditions: [...few.conditions, ofModel], values: { ...few.values, model: idBytes(model) } };
}

/** Whether the method settings say of anybody how many keys they should hold. */
export const wantsSeveralKeys = async (db: Db): Promise<boolean> =>
  (await readMethods(db)).settings.rows.some(({ cells }) => cells.webauthn?.parameters?.shouldHold !== undefined);

/** The first row that somebody is in and that speaks of keys decides how many they should hold. */
async function fewerThanWanted(db: Db): Promise<KeyConditions> {
  const { settings } = await readMethods(db);
  const values: Record<string, Buffer[]> = {};
  const cases: string[] = [];
  for (const [i, { group, cells }] of settings.rows.entries()) {
    if (!cells.webauthn) continue;
    const wanted = Number(cells.webauthn.parameters?.shouldHold ?? 0);
    if (group === null) cases.push(`WHEN 1 = 1 THEN ${wanted}`);
    else {
      values[`wanted${i}`] = await withParts(db, [idBytes(storedId(group))]);
      cases.push(
        `WHEN EXISTS (SELECT 1 FROM group_members g WHERE g.person_id = p.id AND g.group_id IN (:wanted${i})) THEN ${wanted}`,
      );
    }
  }
  if (cases.length === 0) return { conditions: ['1 = 0'], values: {} };
  const held = `(SELECT COUNT(*) FROM authenticators k WHERE ${HELD} AND k.state = 'active')`;
  return { conditions: [`${held} < CASE ${cases.join(' ')} ELSE 0 END`], values };
}
