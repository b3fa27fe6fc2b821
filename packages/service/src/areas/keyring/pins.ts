import { takesPin } from '@nimble-latch/core/methods';
import { catalogue, say } from '@nimble-latch/api';
import { drawPin, GIVEN_PIN, LEAST_PIN, pinWeakness, readPin } from '@nimble-latch/core/codes';
import type { Method, Id } from '@nimble-latch/core/vocabulary';
import { stopSignIns } from '../access/end.js';
import { countersignedForKeyring } from '../access/countersign.js';
import { selectOne } from '../../platform/db/sql.js';
import type { Work } from '../../platform/db/unit-of-work.js';
import { noticeTo } from '../notices/notices.js';
import type { Deps } from '../../platform/deps.js';
import { notFound, Refusal } from '../../platform/errors.js';
import { entryOf } from '../../platform/http/actors.js';
import type { Handler } from '../../platform/http/call.js';
import { idBytes, idText } from '../../platform/ids.js';
import { codeRulesOf } from '../methods/offer.js';
import type { AuthenticatorRow } from './authenticator-row.js';
import { describeAuthenticator, lockAuthenticator } from './store.js';
import { pinIdentity, authenticators } from './authenticator.model.js';

type Pinned = Pick<AuthenticatorRow, 'id' | 'pin_sealed'>;

/**
 * Checks PINs, each once: a decision that runs again, since another one came first, does not hash anew. Hashing takes tens of
 * milliseconds, so that whoever reads the database has something to do.
 */
export class PinChecks {
  readonly #deps: Deps;
  readonly #known = new Map<string, Promise<boolean>>();
  #source: string | undefined;

  constructor(deps: Deps) {
    this.#deps = deps;
  }

  /** Whose place the checks take where passwords and PINs are hashed. */
  queueAs(source: string): void {
    this.#source = source;
  }

  async isRight(row: Pinned, typed: string): Promise<boolean> {
    const name = `${row.id.toString('hex')} ${row.pin_sealed!.toString('base64')} ${typed}`;
    return await this.#once(name, async () => await isPin(this.#deps, row, typed, this.#source));
  }

  /** Takes as long as a check, for somebody who has no PIN. */
  async pretend(typed: string): Promise<void> {
    await this.#once(`- ${typed}`, async () => await this.#deps.hasher.pretend(typed, this.#source));
  }

  async #once(name: string, check: () => Promise<boolean>): Promise<boolean> {
    const known = this.#known.get(name) ?? check();
    this.#known.set(name, known);
    return await known;
  }
}

/** Whether a PIN is the one of an authenticator that has one. */
export async function isPin(deps: Deps, row: Pinned, typed: string, source?: string): Promise<boolean> {
  const phc = await deps.keys.opening((keys) => keys.open('seed', pinIdentity(idText(row.id)), row.pin_sealed!));
  return await deps.hasher.verify(phc.toString(), typed, source);
}

const weak = (weakness: keyof ReturnType<typeof catalogue>['weakness'], least: number) =>
  new Refusal('pin-weak', { why: say(catalogue('en').weakness[weakness], { least }), weakness, least });

/**
 * Judges and hashes a new PIN, outside any transaction: hashing takes time and is bounded.
 *
 * @param least digits at least
 * @param before the authenticator, whose PIN before must not be kept
 */
export async function preparePin(deps: Deps, typed: string, least = LEAST_PIN, before?: Pinned): Promise<string> {
  const weakness = pinWeakness(typed, least);
  if (weakness) throw weak(`pin-${weakness}`, least);
  const pin = readPin(typed)!;
  if (before?.pin_sealed && (await isPin(deps, before, pin))) throw weak('pin-same', least);
  return await deps.hasher.hash(pin);
}

/** Writes a PIN's hash, sealed besides. @param given it is to be changed at its first use */
export async function storePin(deps: Deps, work: Work, id: Id, phc: string, given: boolean): Promise<void> {
  const pinSealed = deps.keys.current.seal('seed', pinIdentity(id), Buffer.from(phc), deps.random(12));
  await authenticators(work).update({ pinSealed, pinGiven: given }, { where: { id }, transaction: work.transaction });
}

/** Throws where an authenticator shows no codes, or is not in use. */
export function assertTakesPin(row: AuthenticatorRow): void {
  if (row.state !== 'active' || !takesPin(row.method)) throw new Refusal('wrong-state', { state: row.state });
}

async function rulesFor(deps: Deps, id: Id) {
  const row = await selectOne<{ person_id: Buffer; method: Method }>(
    deps,
    'SELECT person_id, method FROM authenticators WHERE id = :id',
    { id: idBytes(id) },
  );
  if (!row) throw notFound();
  if (!takesPin(row.method)) return undefined;
  return await codeRulesOf(deps, deps, idText(row.person_id), row.method);
}

/** Gives somebody a PIN for what they hold, to be changed when it is first used. One that is drawn here is in this one answer. */
export const givePin: Handler<'authenticators.givePin'> = async (deps, call) => {
  const { id } = call.params;
  const rules = await rulesFor(deps, id);
  const drawn =
    call.body.pin === undefined ? drawPin(deps.random, Math.max(rules?.leastPin ?? 0, GIVEN_PIN)) : undefined;
  const phc = await preparePin(deps, drawn ?? call.body.pin!, rules?.leastPin);
  return await call.run(async (work) => {
    const row = await lockAuthenticator(work, id);
    assertTakesPin(row);
    const person = idText(row.person_id);
    await countersignedForKeyring(deps, work, call, person, { givePin: id }, (name) => ({
      what: 'pin-given',
      facts: { name, label: row.label },
    }));
    await storePin(deps, work, id, phc, true);
    await stopSignIns(deps, work, [person]);
    await work.trail(entryOf(call, 'pin.given', { kind: 'authenticator', id }, { person }));
    await noticeTo(deps, work, person, 'pin.changed', { about: id, label: row.label });
    return { answer: { authenticator: describeAuthenticator(await lockAuthenticator(work, id)), pin: drawn ?? null } };
  });
};

export const removePin: Handler<'authenticators.removePin'> = async (deps, call) =>
  await call.run(async (work) => {
    const { id } = call.params;
    const row = await lockAuthenticator(work, id);
    if (row.pin_sealed === null) throw new Refusal('wrong-state', { state: row.state });
    const person = idText(row.person_id);
    await countersignedForKeyring(deps, work, call, person, { removePin: id }, (name) => ({
      what: 'pin-removed',
      facts: { name, label: row.label },
    }));
    await authenticators(work).update(
      { pinSealed: null, pinGiven: false },
      { where: { id }, transaction: work.transaction },
    );
    await stopSignIns(deps, work, [person]);
    await work.trail(entryOf(call, 'pin.removed', { kind: 'authenticator', id }, { person }));
    await noticeTo(deps, work, person, 'pin.changed', { about: id, label: row.label });
    return { answer: describeAuthenticator(await lockAuthenticator(work, id)) };
  });
