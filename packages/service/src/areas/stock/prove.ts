import type { Id } from '@nimble-latch/core/vocabulary';
import { checkClockToken, checkCounterToken, type TokenCheck } from '@nimble-latch/core/codes';
import { serialKey } from '@nimble-latch/core/people';
import { admit, reserve } from '@nimble-latch/core/throttle';
import { selectOneToWrite } from '../../platform/db/sql.js';
import type { Work } from '../../platform/db/unit-of-work.js';
import { noticeTo } from '../notices/notices.js';
import type { Deps } from '../../platform/deps.js';
import { Refusal, throttledUntil } from '../../platform/errors.js';
import { entryOf } from '../../platform/http/actors.js';
import type { Handler } from '../../platform/http/call.js';
import { idBytes, newId, idText } from '../../platform/ids.js';
import type { Maker } from '../keyring/enrolling.js';
import { hotpSettings, totpSettings } from '../keyring/authenticator-row.js';
import { authenticatorOf } from '../keyring/described.js';
import { codesOf, refusalFor } from '../keyring/prove-totp.js';
import { assertOffered, codeRulesOf } from '../methods/offer.js';
import { refreshKeyring } from '../people/facets.js';
import { eventColumns, type StockRow } from './rows.js';
import { tokenIdentity, tokens } from './token.model.js';
import { lockToken } from './store.js';
import { authenticators } from '../keyring/authenticator.model.js';
import { carriers } from '../keyring/carrier.model.js';
import { tokenEvents } from './token-event.model.js';
import { wiped } from '../../platform/secrets/wiped.js';

/** What a token's codes say. */
async function checkOf(deps: Deps, work: Work, row: StockRow, codes: readonly string[]): Promise<TokenCheck> {
  const id = idText(row.id);
  const sealed = row.secret_sealed!;
  const rules = await codeRulesOf(deps, work, idText(row.person_id!), row.method);
  const secret = await deps.keys.opening((keys) => keys.open('seed', tokenIdentity(id), sealed));
  const standing = { last: row.last_step === null ? undefined : Number(row.last_step), drift: row.drift };
  return wiped(secret, (seed) =>
    row.method === 'totp'
      ? checkClockToken(seed, codes, work.now.getTime(), totpSettings(row), standing, rules.window)
      : checkCounterToken(seed, codes, hotpSettings(row), standing, rules.lookAhead),
  );
}

/** Why codes did not prove a token, with a remedy that somebody with a fob in hand can follow. */
function refusalOf(check: Exclude<TokenCheck, { outcome: 'proved' }>): Refusal {
  if (check.outcome === 'ahead') return new Refusal('token-ahead', { codes: check.codes });
  const refusal = refusalFor(check);
  return check.outcome === 'clock-off' ? new Refusal('token-clock-off', refusal.facts) : refusal;
}

/** The token becomes an authenticator on a carrier of its own. Answers the authenticator's id. */
async function become(
  deps: Deps,
  work: Work,
  maker: Maker,
  row: StockRow,
  { step, drift }: Extract<TokenCheck, { outcome: 'proved' }>,
): Promise<Id> {
  const tokenId = idText(row.id);
  const person = idText(row.person_id!);
  const sealed = row.secret_sealed!;
  const label = (row.model || row.serial).slice(0, 60);
  const carrierId = newId(deps);
  // Two makers may have used one number: then the carrier is found by it with the maker behind.
  const taken = await selectOneToWrite(work, 'SELECT 1 AS one FROM carriers WHERE serial_key = :serial', {
    serial: row.serial_key,
  });
  await carriers(work).create(
    {
      id: carrierId,
      personId: person,
      kind: 'fob',
      state: 'in-hand',
      label,
      serial: row.serial,
      serialKey: taken
        ? `${row.serial_key}${serialKey(row.maker)}${carrierId.slice(-6)}`.slice(0, 60).toUpperCase()
        : row.serial_key,
      createdAt: work.now,
    },
    { transaction: work.transaction },
  );
  await work.trail(
    entryOf(maker, 'carrier.added', { kind: 'carrier', id: carrierId }, { person, details: { kind: 'fob' } }),
  );
  const id = newId(deps);
  const secret = await deps.keys.opening((keys) => keys.open('seed', tokenIdentity(tokenId), sealed));
  await authenticators(work).create(
    {
      id,
      personId: person,
      carrierId,
      method: row.method,
      state: 'active',
      label,
      parameters: row.parameters,
      secretSealed: wiped(secret, (seed) =>
        deps.keys.current.seal('seed', `authenticator/${id}/secret`, seed, deps.random(12)),
      ),
      lastStep: step,
      drift,
      hardware: true,
      expiresOn: row.expires_on,
      createdAt: work.now,
      activatedAt: work.now,
    },
    { transaction: work.transaction },
  );
  await tokens(work).update(
    {
      state: 'in-use',
      failures: 0,
      pausedUntil: null,
      authenticatorId: id,
      lastStep: step,
      drift,
      changedAt: work.now,
    },
    { where: { id: idText(row.id) }, transaction: work.transaction },
  );
  const by = maker.actor.kind === 'person' || maker.actor.kind === 'page' ? maker.actor.personId : null;
  await tokenEvents(work).create(eventColumns(deps, tokenId, 'proved', work.now, { by, person }), {
    transaction: work.transaction,
  });
  await refreshKeyring(work, person);
  await work.trail(
    entryOf(
      maker,
      'authenticator.proved',
      { kind: 'authenticator', id },
      { person, details: { method: row.method, serial: row.serial } },
    ),
  );
  await noticeTo(deps, work, person, 'authenticator.proved', { about: id, label });
  return id;
}

/**
 * Proves somebody's token by what it shows. A refusal is handed back, to be thrown after the transaction, since the try stands
 * on the trail.
 *
 * @returns the id of the authenticator that the token now is
 */
export async function proveTokenOf(
  deps: Deps,
  work: Work,
  maker: Maker,
  person: Id,
  tokenId: Id,
  codes: readonly string[],
): Promise<Id | Refusal> {
  const row = await lockToken(work, tokenId);
  if (!row.person_id?.equals(idBytes(person))) throw new Refusal('not-found');
  if (row.state !== 'assigned' && row.state !== 'sent') throw new Refusal('wrong-state', { state: row.state });
  await assertOffered(deps, work, person, row.method);
  const today = work.now.toISOString().slice(0, 10);
  if ((row.starts_on ?? today) > today)
    throw new Refusal('token-days', { from: row.starts_on!, until: row.expires_on ?? '-' });
  if ((row.expires_on ?? today) < today)
    throw new Refusal('token-days', { from: row.starts_on ?? '-', until: row.expires_on! });
  const guard = { failures: row.failures, pausedUntil: row.paused_until?.getTime() };
  const admitted = admit(guard, work.now.getTime());
  if (!admitted.admitted)
    throw admitted.why === 'needs-unlock'
      ? new Refusal('wrong-state', { state: 'locked' })
      : throttledUntil(admitted.until!, work.now.getTime());
  const check = await checkOf(deps, work, row, codes);
  if (check.outcome === 'proved') return await become(deps, work, maker, row, check);
  const { failures, pausedUntil } = reserve(guard, work.now.getTime());
  await tokens(work).update(
    {
      failures,
      pausedUntil: pausedUntil === undefined ? null : new Date(pausedUntil),
    },
    { where: { id: idText(row.id) }, transaction: work.transaction },
  );
  await work.trail(
    entryOf(
      maker,
      'authenticator.proof-failed',
      { kind: 'token', id: tokenId },
      { person, details: { outcome: check.outcome } },
    ),
  );
  return refusalOf(check);
}

/** At the desk, or by its holder on the phone. */
export const proveToken: Handler<'tokens.prove'> = async (deps, call) => {
  const codes = codesOf(call.body.codes);
  const { id: person, tokenId } = call.params;
  let refusal: Refusal | undefined;
  const reply = await call.run(async (work) => {
    const proved = await proveTokenOf(deps, work, call, person, tokenId, codes);
    refusal = typeof proved === 'string' ? undefined : proved;
    return { answer: typeof proved === 'string' ? await authenticatorOf(work, proved) : (null as never) };
  });
  if (refusal) throw refusal;
  return reply;
};
