import type { CreationAttributes } from 'sequelize';
import { serialKey } from '@nimble-latch/core/people';
import type { TokenFacts, TokenParameters, TokenRow } from '@nimble-latch/core/tokenfiles';
import type { TokenEvent, TokenState, Id } from '@nimble-latch/core/vocabulary';
import type { Deps } from '../../platform/deps.js';
import { newId } from '../../platform/ids.js';
import type { TokenStory } from './token-event.model.js';
import { hotpSettings, lastCounter, totpSettings } from '../keyring/authenticator-row.js';
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
const parametersOf = ({ method, algorithm, digits, period, t0 }: TokenParameters) =>
  method === 'totp' ? { algorithm, digits, period, ...(t0 === 0 ? {} : { t0 }) } : { algorithm, digits };

/** Where a token stands that nobody has proved: its last step is one before the first that is accepted. */
const standing = ({ method, counter, drift }: TokenParameters) => ({
  lastStep: method === 'hotp' && counter > 0 ? counter - 1 : null,
  drift: method === 'totp' ? drift : 0,
});

/** What of a token's row can be corrected. */
export type FactColumns = Pick<
  StockRow,
  'maker' | 'model' | 'method' | 'parameters' | 'last_step' | 'drift' | 'starts_on' | 'expires_on'
>;

/** What is kept of a token, as it can be compared with what is said of it. */
export function factsOf(row: FactColumns): TokenFacts {
  const clock = row.method === 'totp' ? totpSettings(row) : undefined;
  const { algorithm, digits } = hotpSettings(row);
  return {
    maker: row.maker,
    model: row.model,
    method: row.method,
    algorithm,
    digits,
    period: clock?.period ?? 30,
    t0: clock?.t0 ?? 0,
    counter: lastCounter(row) + 1,
    drift: row.drift,
    starts: row.starts_on,
    expires: row.expires_on,
  };
}

/** The columns in which facts stand. Where a token stands is left alone once somebody has proved it. */
export const factColumns = (facts: TokenFacts, proved: boolean) => ({
  maker: facts.maker,
  makerKey: makerKey(facts.maker),
  model: facts.model,
  method: facts.method,
  parameters: JSON.stringify(parametersOf(facts)),
  startsOn: facts.starts,
  expiresOn: facts.expires,
  // Codes that came out wrong since it was told wrong are held against nobody.
  ...(proved ? {} : { ...standing(facts), failures: 0, pausedUntil: null }),
});

/** The columns of a new token. */
export function tokenColumns(
  deps: Deps,
  id: Id,
  row: Omit<TokenRow, 'said' | 'owner' | 'notHonoured'>,
  more: { readonly batch: Id | null; readonly person: Id | null; readonly now: Date },
) {
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
    ...standing(row),
    startsOn: row.starts ?? null,
    expiresOn: row.expires ?? null,
    state: more.person === null ? ('in-stock' as const) : ('assigned' as const),
    personId: more.person,
    createdAt: more.now,
    changedAt: more.now,
  } satisfies CreationAttributes<Token>;
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

/** What becomes of the row of a token that was retired and comes in again: it begins anew, and its story goes on. */
export const comingAgain = ({ id: _, createdAt: __, ...columns }: ReturnType<typeof tokenColumns>) => ({
  ...columns,
  authenticatorId: null,
  sentTo: null,
  arrived: false,
  failures: 0,
  pausedUntil: null,
});

/** The day on which a token was retired, of one that is. */
export const retiredOn = (row: { readonly changed_at: Date }): string => row.changed_at.toISOString().slice(0, 10);

/** Whether anybody has proved a token since it came in: its codes came out right as they are computed. */
export const WAS_PROVED = `EXISTS (SELECT 1 FROM token_events e WHERE e.token_id = t.id AND e.event = 'proved' AND e.at >=
  (SELECT MAX(i.at) FROM token_events i WHERE i.token_id = t.id AND i.event IN ('imported', 'entered')))`;

/** States in which nobody signs in with a token, so that what is known of it can be corrected. */
export const CORRECTABLE: ReadonlySet<TokenState> = new Set<TokenState>([
  'in-stock',
  'assigned',
  'sent',
  'returned',
  'lost',
  'broken',
]);
