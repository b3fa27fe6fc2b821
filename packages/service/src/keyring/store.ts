import type { Answer } from '@nimble-latch/api';
import { UNLOCK_AT, type Lane } from '@nimble-latch/core/throttle';
import type { CarrierKind, CarrierState } from '@nimble-latch/core/vocabulary';
import { select, selectOne, type Db } from '../db/sql.js';
import { notFound } from '../errors.js';
import { key, text, textOrNull } from '../ids.js';
import {
  guardOf,
  hotpSettings,
  lastCounter,
  totpSettings,
  type AuthenticatorRow,
  type GuardColumns,
} from './authenticator-row.js';

export type Authenticator = Answer<'keyring.show'>['authenticators'][number];

function laneOf(row: GuardColumns, lane: Lane): Authenticator['guard'][Lane] {
  const guard = guardOf(row, lane);
  return {
    failures: guard.failures,
    pausedUntil: guard.pausedUntil === undefined ? null : new Date(guard.pausedUntil).toISOString(),
    needsUnlock: guard.failures >= UNLOCK_AT,
  };
}

/** What may be shown of an authenticator: never its secret. */
export function describeAuthenticator(row: AuthenticatorRow & { token_id?: Buffer | null }): Authenticator {
  const totp = row.method === 'totp' ? totpSettings(row) : null;
  return {
    id: text(row.id),
    method: row.method,
    state: row.state,
    carrierId: textOrNull(row.carrier_id),
    label: row.label,
    createdAt: row.created_at.toISOString(),
    activatedAt: row.activated_at?.toISOString() ?? null,
    lastUsedAt: row.last_used_at?.toISOString() ?? null,
    totp: totp && {
      algorithm: totp.algorithm,
      digits: totp.digits,
      period: totp.period,
      driftSeconds: row.drift * totp.period,
    },
    hotp: row.method === 'hotp' ? { ...hotpSettings(row), counter: lastCounter(row) + 1 } : null,
    preferred: row.preferred === 1,
    tokenId: textOrNull(row.token_id ?? null),
    guard: { familiar: laneOf(row, 'familiar'), stranger: laneOf(row, 'stranger') },
  };
}

/** An authenticator, with the hardware token that it is. */
const WITH_TOKEN = 'a.*, (SELECT t.id FROM tokens t WHERE t.authenticator_id = a.id) AS token_id FROM authenticators a';

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
  id: text(row.id),
  kind: row.kind,
  state: row.state,
  label: row.label,
  serial: row.serial,
  createdAt: row.created_at.toISOString(),
});

/** All carriers and authenticators of a person; newest first among those that ended. */
export async function readKeyring(db: Db, personId: string): Promise<Answer<'keyring.show'>> {
  const id = key(personId);
  const person = await selectOne(db, 'SELECT 1 AS one FROM persons WHERE id = :id', { id });
  if (!person) throw notFound();
  const [carriers, rows] = await Promise.all([
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
  ]);
  return {
    personId,
    carriers: carriers.map(describeCarrier),
    authenticators: rows.map(describeAuthenticator),
  };
}

/** One authenticator, its row locked until the transaction ends. */
export async function lockAuthenticator(db: Db, id: string): Promise<AuthenticatorRow> {
  const row = await selectOne<AuthenticatorRow>(db, `SELECT ${WITH_TOKEN} WHERE a.id = :id FOR UPDATE`, {
    id: key(id),
  });
  if (!row) throw notFound();
  return row;
}
