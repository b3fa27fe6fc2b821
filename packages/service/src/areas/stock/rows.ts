import type { CreationAttributes } from 'sequelize';
import { serialKey } from '@nimble-latch/core/people';
import type { TokenRow } from '@nimble-latch/core/tokenfiles';
import type { TokenEvent, TokenState, Id } from '@nimble-latch/core/vocabulary';
import type { Deps } from '../../platform/deps.js';
import { newId } from '../../platform/ids.js';
import type { TokenStory } from './token-event.model.js';
import { tokenIdentity, type Token } from './token.model.js';

/** A token's row. */
export interface StockRow {
  id: Buffer;
  serial: string;
  serial_key: string;
  maker: string;
  maker_key: string;
  model: string;
  batch_id: Buffer | null;
  method: 'totp' | 'hotp';
  parameters: string;
  secret_sealed: Buffer | null;
  last_step: number | null;
  drift: number;
  starts_on: string | null;
  expires_on: string | null;
  state: TokenState;
  person_id: Buffer | null;
  authenticator_id: Buffer | null;
  sent_to: string | null;
  arrived: number;
  failures: number;
  paused_until: Date | null;
  created_at: Date;
  changed_at: Date;
}

export const makerKey = (maker: string): string => maker.normalize('NFKC').trim().toLowerCase();

/** How a token computes its codes, as authenticators keep it too. */
export const parametersOf = ({ method, algorithm, digits, period, t0 }: TokenRow) =>
  method === 'totp' ? { algorithm, digits, period, ...(t0 === 0 ? {} : { t0 }) } : { algorithm, digits };

/** The columns of a new token. Its last step is one before the first that is accepted. */
export function tokenColumns(
  deps: Deps,
  id: Id,
  row: TokenRow,
  more: { readonly batch: Id | null; readonly person: Id | null; readonly now: Date },
): CreationAttributes<Token> {
  return {
    id,
    serial: row.serial!,
    serialKey: serialKey(row.serial!),
    maker: row.maker,
    makerKey: makerKey(row.maker),
    model: row.model,
    batchId: more.batch,
    method: row.method,
    parameters: JSON.stringify(parametersOf(row)),
    secretSealed: deps.keys.current.seal('seed', tokenIdentity(id), row.secret!, deps.random(12)),
    lastStep: row.method === 'hotp' && row.counter > 0 ? row.counter - 1 : null,
    drift: row.method === 'totp' ? row.drift : 0,
    startsOn: row.starts ?? null,
    expiresOn: row.expires ?? null,
    state: more.person === null ? 'in-stock' : 'assigned',
    personId: more.person,
    createdAt: more.now,
    changedAt: more.now,
  };
}

/** What becomes of a token's row when it is given to somebody; guesses at the holder before are not theirs. */
export const givenTo = (person: Id, now: Date) => ({
  state: 'assigned' as const,
  personId: person,
  failures: 0,
  pausedUntil: null,
  changedAt: now,
});

/** One line of a token's story. */
export const eventColumns = (
  deps: Deps,
  token: Id,
  event: TokenEvent,
  at: Date,
  more: { readonly by: Id | null; readonly person?: Id | null; readonly note?: string | null },
): CreationAttributes<TokenStory> => ({
  id: newId(deps),
  tokenId: token,
  event,
  at,
  byId: more.by,
  personId: more.person ?? null,
  note: more.note ?? null,
});
