import type { Answer } from '@nimble-latch/api';
import type { Id, PushDecision, PushRequestState } from '@nimble-latch/core/vocabulary';
import { labelOf } from '../browsers/browsers.js';
import { readSettings } from '../insight/settings-cache.js';
import { locate } from '../networks/table.js';
import { select, selectOne, type Db } from '../../platform/db/sql.js';
import type { Deps } from '../../platform/deps.js';
import { phonePageOf } from '../../platform/http/pages.js';
import { idBytes, idText } from '../../platform/ids.js';
import type { DeviceRow } from './devices.js';
import { unlockingOf } from './unlock.js';

type Asked = Answer<'phones.fetch'>;

interface WaitingRow {
  readonly id: Buffer;
  readonly sign_in_id: Buffer | null;
  readonly challenge: Buffer;
  readonly number: string | null;
  readonly source_address: string | null;
  readonly browser: string | null;
  readonly created_at: Date;
  readonly valid_until: Date;
  readonly application: string | null;
}

/** What has become of a request; undefined where nobody was asked. */
export async function stateOfAsked(db: Db, request: Id): Promise<PushRequestState | undefined> {
  const row = await selectOne<{ state: PushRequestState }>(db, 'SELECT state FROM push_requests WHERE id = :id', {
    id: idBytes(request),
  });
  return row?.state;
}

/** A phone is asked what its person signs in to, while it is in use; one that is new, its first request alone. */
const WAITING = `SELECT q.id, q.sign_in_id, q.challenge, q.number, q.source_address, q.browser, q.created_at, q.valid_until,
    (SELECT x.name FROM applications x WHERE x.id = q.application_id) AS application
  FROM push_requests q WHERE q.person_id = :person AND q.state = 'waiting' AND q.valid_until > UTC_TIMESTAMP(3)
    AND (q.device_id = :device OR (q.device_id IS NULL AND :active = 1 AND (q.unlocked = 0 OR :unlocks = 1))) ORDER BY q.created_at DESC, q.id DESC LIMIT 10`;

interface AnsweredRow {
  readonly state: PushRequestState;
  readonly answered_at: Date;
  readonly application: string | null;
}

/** What this phone answered lately: whoever holds it may see there what they did not do. */
const ANSWERED = `SELECT q.state, q.answered_at, (SELECT x.name FROM applications x WHERE x.id = q.application_id) AS application
  FROM push_requests q WHERE q.answered_by = :device AND q.sign_in_id IS NOT NULL AND q.state <> 'given-up' ORDER BY q.answered_at DESC LIMIT 5`;
const SAID: Readonly<Partial<Record<PushRequestState, PushDecision>>> = { denied: 'deny', 'not-me': 'not-me' };

/** What waits for a phone, and what it needs to know of itself. */
export async function askedOf(deps: Deps, db: Db, device: DeviceRow, now: Date): Promise<Asked> {
  const [rows, answered, { settings }] = await Promise.all([
    select<WaitingRow>(db, WAITING, {
      person: device.person_id,
      device: device.id,
      active: device.state === 'active' ? 1 : 0,
      unlocks: device.unlock_id ? 1 : 0,
    }),
    select<AnsweredRow>(db, ANSWERED, { device: device.id }),
    readSettings(db),
  ]);
  return {
    now: now.toISOString(),
    organisation: settings.organisation,
    person: device.display_name,
    state: device.state,
    waking: {
      key: (await deps.phoneWaking.sender(deps)).publicKey,
      state: device.waking ?? 'none',
    },
    unlock: await unlockingOf(deps, db, device),
    answered: answered.map(({ application, state, answered_at }) => ({
      application,
      said: SAID[state] ?? 'approve',
      at: answered_at.toISOString(),
    })),
    page: phonePageOf(deps),
    requests: await Promise.all(
      rows.map(async (row) => {
        const [network] = await locate(deps, row.source_address);
        return {
          id: idText(row.id),
          kind: row.sign_in_id === null ? ('test' as const) : ('sign-in' as const),
          challenge: row.challenge.toString('base64url'),
          asksNumber: row.number !== null,
          application: row.application,
          network: network?.name ?? null,
          city: network?.city ?? null,
          country: network?.country ?? null,
          browser: labelOf(row.browser) || null,
          at: row.created_at.toISOString(),
          until: row.valid_until.toISOString(),
        };
      }),
    ),
  };
}
