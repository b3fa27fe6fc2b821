import { deviceKeyObject, readPush, type PushMessages, type PushRefusal } from '@nimble-latch/core/push';
import type { AuthenticatorState, Id } from '@nimble-latch/core/vocabulary';
import { guardOf, type GuardColumns } from '../keyring/authenticator-row.js';
import { select, type Db } from '../../platform/db/sql.js';
import type { Deps } from '../../platform/deps.js';
import { Refusal } from '../../platform/errors.js';
import { idBytes, storedId } from '../../platform/ids.js';
import type { UnlockColumns } from './unlock.js';

/** A phone that has brought its key. */
export interface DeviceRow extends GuardColumns, UnlockColumns {
  readonly id: Buffer;
  readonly person_id: Buffer;
  readonly state: Extract<AuthenticatorState, 'pending' | 'active' | 'suspended'>;
  readonly label: string;
  readonly key_x: Buffer;
  readonly key_y: Buffer;
  readonly seen_at: Date | null;
  readonly answered_at: Date | null;
  readonly outdated_at: Date | null;
  readonly display_name: string;
  /** Whether a push service can wake it; null where none was ever named. */
  readonly waking: 'ready' | 'gone' | null;
}

/** As long as it is on the keyring of somebody who is active; what ended, or is on a carrier that is lost, is not known any more. */
const known = (which: '= :device' | 'IN (:ids)'): string => `FROM push_devices d
    JOIN authenticators a ON a.id = d.authenticator_id JOIN persons p ON p.id = a.person_id LEFT JOIN carriers c ON c.id = a.carrier_id
  WHERE d.authenticator_id ${which} AND d.key_x IS NOT NULL AND a.state IN ('pending', 'active', 'suspended')
    AND p.state = 'active' AND COALESCE(c.state, '') <> 'lost'`;
export const KNOWN_DEVICE = known('= :device');
const DEVICES = `SELECT a.id, a.person_id, a.state, a.label, a.familiar_failures, a.familiar_paused_until, a.stranger_failures, a.stranger_paused_until,
    d.key_x, d.key_y, d.seen_at, d.answered_at, d.outdated_at, d.unlock_id, d.unlock_key, d.unlock_count, d.unlock_synced, d.unlock_rp_id, p.display_name,
    (SELECT IF(w.gone_at IS NULL, 'ready', 'gone') FROM push_wakes w WHERE w.id = a.id) AS waking
  ${known('IN (:ids)')}`;

export const readDevice = async (db: Db, id: Id): Promise<DeviceRow | undefined> => (await devices(db, [id]))[0];

/** Several at once. */
async function devices(db: Db, ids: readonly Id[]): Promise<readonly (DeviceRow | undefined)[]> {
  const keys = ids.map(idBytes);
  const rows = await select<DeviceRow>(db, DEVICES, { ids: keys });
  return keys.map((key) => rows.find(({ id }) => id.equals(key)));
}

/** Whether what it said was wrong lately, in whatever lane. */
export const hasFailed = (device: GuardColumns): boolean =>
  (['familiar', 'stranger'] as const).some((lane) => guardOf(device, lane).failures > 0);

/**
 * Why a phone is not listened to: its clock is told to whoever holds the key, and all else is told the same. None of it is taken from the
 * budget of where it is: nobody guesses a key or a code of 160 bits, and one phone that was taken off would silence all behind its address.
 */
export const phoneRefusal = (deps: Pick<Deps, 'now'>, reason: PushRefusal): Refusal =>
  reason === 'clock' ? new Refusal('phone-clock', { now: deps.now().toISOString() }) : new Refusal('phone-unknown');

export interface Heard<K extends 'fetch' | 'answer' | 'subscribe'> {
  readonly message: PushMessages[K];
  readonly device: DeviceRow;
}

/** What a known phone says. Throws `phone-unknown` or `phone-clock`. */
export async function heard<K extends 'fetch' | 'answer' | 'subscribe'>(
  deps: Deps,
  token: string,
  kind: K,
): Promise<Heard<K>> {
  let device: DeviceRow | undefined;
  const at = { installation: deps.config.publicUrl.origin, nowMs: deps.now().getTime() };
  const read = await readPush(token, kind, at, async (id) => {
    device = await deps.batcher.ask(devices, storedId(id));
    return device && deviceKeyObject({ x: device.key_x, y: device.key_y });
  });
  if (!read.ok) throw phoneRefusal(deps, read.reason);
  return { message: read.message, device: device! };
}
