import type { Answer } from '@nimble-latch/api';
import { OUTDATED_HOURS, SILENT_DAYS } from '@nimble-latch/core/push';
import { FREE_FAILURES, UNLOCK_AT, type Lane } from '@nimble-latch/core/throttle';
import type { Id, CarrierKind, CarrierState, KeyTrust } from '@nimble-latch/core/vocabulary';
import { select, selectOne, type Db } from '../../platform/db/sql.js';
import type { Work } from '../../platform/db/unit-of-work.js';
import { notFound, Refusal } from '../../platform/errors.js';
import { idBytes, idText, idTextOfHex, idTextOrNull } from '../../platform/ids.js';
import {
  guardOf,
  hotpSettings,
  lastCounter,
  totpSettings,
  type AuthenticatorRow,
  type GuardColumns,
} from './authenticator-row.js';
import { placesOf } from './places.js';
import { selectOneToHold } from '../../platform/db/claims.js';

export type Authenticator = Answer<'keyring.show'>['authenticators'][number];

function laneOf(row: GuardColumns, lane: Lane): Authenticator['guard'][Lane] {
  const guard = guardOf(row, lane);
  return {
    failures: guard.failures,
    pausedUntil:
      guard.pausedUntil === undefined || guard.failures < FREE_FAILURES
        ? null
        : new Date(guard.pausedUntil).toISOString(),
    needsUnlock: guard.failures >= UNLOCK_AT,
  };
}

/** What more than its own row tells of an authenticator. */
type DescribedRow = AuthenticatorRow & {
  token_id?: Buffer | null;
  only_at?: string | null;
  /** Of recovery codes: how many are left, of how many. */
  recovery?: string | null;
  last_used_name?: string | null;
  /** Of a key: its model, whether it is synced, whether it seemed to be a copy, for whom it was made. */
  webauthn?: string | null;
  /** Of a phone that approves: when it was seen, when it answered, whether it rings, whether it is silent or out of date. */
  phone?: string | null;
};

/** What may be shown of an authenticator: never its secret. */
export function describeAuthenticator(row: DescribedRow): Authenticator {
  const totp = row.method === 'totp' ? totpSettings(row) : null;
  return {
    id: idText(row.id),
    method: row.method,
    state: row.state,
    carrierId: idTextOrNull(row.carrier_id),
    label: row.label,
    createdAt: row.created_at.toISOString(),
    activatedAt: row.activated_at?.toISOString() ?? null,
    lastUsedAt: row.last_used_at?.toISOString() ?? null,
    lastUsedIn: row.last_used_name ?? null,
    totp: totp && {
      algorithm: totp.algorithm,
      digits: totp.digits,
      period: totp.period,
      driftSeconds: row.drift * totp.period,
    },
    hotp: row.method === 'hotp' ? { ...hotpSettings(row), counter: lastCounter(row) + 1 } : null,
    webauthn: keyOf(row),
    recovery: leftOf(row.recovery ?? null),
    phone: phoneOf(row.phone ?? null),
    preferred: row.preferred === 1,
    pin: row.pin_sealed === null ? 'none' : row.pin_given === 1 ? 'given' : 'own',
    onlyAt: row.restricted === 1 ? placesOf(row.only_at ?? null) : null,
    tokenId: idTextOrNull(row.token_id ?? null),
    guard: { familiar: laneOf(row, 'familiar'), stranger: laneOf(row, 'stranger') },
  };
}

function leftOf(column: string | null): Authenticator['recovery'] {
  const [left, of] = (column ?? '').split(' ').map(Number);
  return of === undefined ? null : { left: left!, of };
}

function phoneOf(column: string | null): Authenticator['phone'] {
  if (column === null) return null;
  const { seenAt, answeredAt, rings, unlocks, silent, outdated } = JSON.parse(column) as {
    seenAt: string | null;
    answeredAt: string | null;
    rings: 'none' | 'ready' | 'gone';
    unlocks: number;
    silent: number;
    outdated: number;
  };
  return { seenAt, answeredAt, rings, unlocks: unlocks === 1, silent: silent === 1, outdated: outdated === 1 };
}

function keyOf(row: DescribedRow): Authenticator['webauthn'] {
  if (row.webauthn == null) return null;
  const [aaguid, synced, copied, rpId, trust, compromised, ...name] = row.webauthn.split(' ') as [
    string,
    string,
    string,
    string,
    KeyTrust,
    ...string[],
  ];
  return {
    aaguid: idTextOfHex(aaguid),
    model: name.join(' ') || null,
    trust,
    compromised: compromised === '1',
    synced: synced === '1',
    verified: row.verified === 1,
    copied: copied === '1',
    rpId,
  };
}

/** An authenticator, with the hardware token that it is, where it was last used and where it may be. */
const WITH_TOKEN = `a.*, (SELECT t.id FROM tokens t WHERE t.authenticator_id = a.id) AS token_id,
  (SELECT p.name FROM applications p WHERE p.id = a.last_used_in) AS last_used_name,
  IF(a.method <> 'recovery', NULL, (SELECT CONCAT(SUM(r.used_at IS NULL), ' ', COUNT(*)) FROM recovery_codes r WHERE r.authenticator_id = a.id)) AS recovery,
  (SELECT CONCAT_WS(' ', LOWER(HEX(w.aaguid)), w.backup_eligible, w.copied_at IS NOT NULL, w.rp_id, w.trust, COALESCE(m.compromised, 0), COALESCE(m.name, ''))
    FROM webauthn_credentials w LEFT JOIN key_models m ON m.id = w.model_id WHERE w.authenticator_id = a.id) AS webauthn,
  IF(a.method <> 'push', NULL, (SELECT CAST(JSON_OBJECT('seenAt', DATE_FORMAT(d.seen_at, '%Y-%m-%dT%H:%i:%s.000Z'), 'answeredAt', DATE_FORMAT(d.answered_at, '%Y-%m-%dT%H:%i:%s.000Z'),
    'rings', IF(w.id IS NULL, 'none', IF(w.gone_at IS NULL, 'ready', 'gone')), 'unlocks', IF(d.unlock_id IS NULL, 0, 1),
    'silent', COALESCE(d.seen_at < UTC_TIMESTAMP(3) - INTERVAL ${SILENT_DAYS} DAY, 0),
    'outdated', COALESCE(d.outdated_at < UTC_TIMESTAMP(3) - INTERVAL ${OUTDATED_HOURS} HOUR, 0)) AS CHAR)
    FROM push_devices d LEFT JOIN push_wakes w ON w.id = d.authenticator_id WHERE d.authenticator_id = a.id)) AS phone,
  IF(a.restricted = 0, NULL, (SELECT CAST(JSON_ARRAYAGG(JSON_OBJECT('id', LOWER(HEX(p.id)), 'name', p.name)) AS CHAR) FROM authenticator_applications x
    JOIN applications p ON p.id = x.application_id WHERE x.authenticator_id = a.id)) AS only_at FROM authenticators a`;

/** A carrier's row. */
export interface CarrierRow {
  id: Buffer;
  kind: CarrierKind;
  state: CarrierState;
  label: string;
  serial: string | null;
  created_at: Date;
}

export const describeCarrier = (row: CarrierRow): Answer<'keyring.show'>['carriers'][number] => ({
  id: idText(row.id),
  kind: row.kind,
  state: row.state,
  label: row.label,
  serial: row.serial,
  createdAt: row.created_at.toISOString(),
});

/** A hardware token that waits for its first code. */
interface WaitingToken {
  id: Buffer;
  serial: string;
  model: string;
  method: 'totp' | 'hotp';
  state: 'assigned' | 'sent';
  arrived: number;
  changed_at: Date;
}

/** All carriers and authenticators of a person; newest first among those that ended. */
export async function readKeyring(db: Db, personId: Id): Promise<Answer<'keyring.show'>> {
  const id = idBytes(personId);
  const person = await selectOne(db, 'SELECT 1 AS one FROM persons WHERE id = :id', { id });
  if (!person) throw notFound();
  const [carriers, rows, tokens] = await Promise.all([
    select<CarrierRow>(
      db,
      'SELECT id, kind, state, label, serial, created_at FROM carriers WHERE person_id = :id ORDER BY id',
      { id },
    ),
    select<AuthenticatorRow>(
      db,
      `SELECT ${WITH_TOKEN} WHERE a.person_id = :id ORDER BY a.state IN ('revoked', 'expired'), a.id`,
      { id },
    ),
    select<WaitingToken>(
      db,
      "SELECT id, serial, model, method, state, arrived, changed_at FROM tokens WHERE person_id = :id AND state IN ('assigned', 'sent') ORDER BY id",
      { id },
    ),
  ]);
  return {
    personId,
    carriers: carriers.map(describeCarrier),
    authenticators: rows.map(describeAuthenticator),
    tokens: tokens.map(({ id: token, arrived, changed_at, ...rest }) => ({
      ...rest,
      id: idText(token),
      arrived: arrived === 1,
      since: changed_at.toISOString(),
    })),
  };
}

/** One authenticator, its row locked until the transaction ends. */
export async function lockAuthenticator(db: Db, id: Id): Promise<AuthenticatorRow> {
  const row = await selectOneToHold<AuthenticatorRow>(
    db,
    'authenticators WHERE id = :id',
    `SELECT ${WITH_TOKEN} WHERE a.id = :id`,
    {
      id: idBytes(id),
    },
  );
  if (!row) throw notFound();
  return row;
}

/** Asserts that what carries an authenticator is not reported lost: nothing on it is used again before it is found. */
export async function assertInHand(work: Work, carrierId: Buffer | null): Promise<void> {
  if (carrierId === null) return;
  // Behind the row's lock, so that a report at the same moment comes before or after.
  const row = await selectOneToHold<{ state: string }>(
    work,
    'carriers WHERE id = :id',
    'SELECT state FROM carriers WHERE id = :id',
    {
      id: carrierId,
    },
  );
  if (row?.state === 'lost') throw new Refusal('wrong-state', { state: 'lost' });
}
