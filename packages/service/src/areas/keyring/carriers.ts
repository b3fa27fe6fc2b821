import { serialKey } from '@nimble-latch/core/people';
import { brokenUniqueIndex } from '../../platform/db/errors.js';
import type { Id } from '@nimble-latch/core/vocabulary';
import { endAccess, lostLastFactor, stopSignIns, type EndedAccess } from '../access/end.js';
import { countersignedForKeyring } from '../access/countersign.js';
import { selectOne, selectToWrite, selectOneToWrite, type Db } from '../../platform/db/sql.js';
import { refreshKeyring } from '../people/facets.js';
import type { Work } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { notFound, Refusal } from '../../platform/errors.js';
import { entryOf } from '../../platform/http/actors.js';
import type { Handler } from '../../platform/http/call.js';
import { idBytes, idText } from '../../platform/ids.js';
import { describeCarrier, type CarrierRow } from './store.js';
import { suspendOne } from './suspend.js';
import { authenticators } from './authenticator.model.js';
import { carriers, EVER_USED } from './carrier.model.js';
import type { Maker } from './enrolling.js';

/** The columns of a serial number: as it was typed, and as it is found. */
export const serialColumns = (serial: string | null) => ({
  serial,
  serialKey: serial === null ? null : serialKey(serial),
});

/** Writes a carrier; the unique index decides whether its serial number is free, and who has it is told. */
export async function keepingSerialsApart<T>(deps: Deps, serial: string | null, change: Promise<T>): Promise<T> {
  try {
    return await change;
  } catch (error) {
    if (serial === null || brokenUniqueIndex(error) !== 'carriers_serial') throw error;
    throw new Refusal('serial-taken', { name: await holderOf(deps, serial) });
  }
}

async function holderOf(db: Db, serial: string): Promise<string> {
  const row = await selectOne<{ display_name: string }>(
    db,
    'SELECT p.display_name FROM carriers c JOIN persons p ON p.id = c.person_id WHERE c.serial_key = :serial',
    { serial: serialKey(serial) },
  );
  return row?.display_name ?? '';
}

export const editCarrier: Handler<'carriers.edit'> = async (deps, call) =>
  await call.run(async (work) => {
    const { id } = call.params;
    const { label, serial } = call.body;
    const read = async () =>
      await selectOneToWrite<CarrierRow & { person_id: Buffer }>(work, 'SELECT * FROM carriers WHERE id = :id', {
        id: idBytes(id),
      });
    const before = await read();
    if (!before) throw notFound();
    const changed = [
      ...(label !== undefined && label !== before.label ? ['label'] : []),
      ...(serial !== undefined && serial !== before.serial ? ['serial'] : []),
    ];
    if (changed.length > 0) {
      const values = {
        ...(label === undefined ? {} : { label }),
        ...(serial === undefined ? {} : serialColumns(serial)),
      };
      await keepingSerialsApart(
        deps,
        serial ?? null,
        carriers(work).update(values, { where: { id }, transaction: work.transaction }),
      );
      const details = { fields: changed };
      await work.trail(
        entryOf(call, 'carrier.changed', { kind: 'carrier', id }, { person: idText(before.person_id), details }),
      );
    }
    return { answer: describeCarrier((await read())!) };
  });

/** Names a carrier, its row locked. */
export async function nameCarrier(work: Work, maker: Maker, row: LockedCarrier, label: string): Promise<boolean> {
  if (label === row.label) return false;
  const id = idText(row.id);
  await carriers(work).update({ label }, { where: { id }, transaction: work.transaction });
  const person = idText(row.person_id);
  await work.trail(
    entryOf(maker, 'carrier.changed', { kind: 'carrier', id }, { person, details: { fields: ['label'] } }),
  );
  return true;
}

/** What was only begun on it was given up: a carrier that carries nothing and never did goes with it. */
export async function leaveNoEmptyCarrier(work: Work, maker: Maker, id: Id): Promise<void> {
  const row = await lockCarrier(work, id);
  const used = await selectOne(
    work,
    `SELECT 1 AS one FROM authenticators a WHERE a.carrier_id = :id AND ${EVER_USED} LIMIT 1`,
    { id: row.id },
  );
  if (used || row.state !== 'in-hand') return;
  const person = idText(row.person_id);
  await carriers(work).destroy({ where: { id }, transaction: work.transaction });
  const details = { kind: row.kind, label: row.label };
  await work.trail(entryOf(maker, 'carrier.removed', { kind: 'carrier', id }, { person, details }));
}

type LockedCarrier = CarrierRow & { readonly person_id: Buffer };

/** A carrier, its row locked. */
export async function lockCarrier(work: Work, id: Id): Promise<LockedCarrier> {
  const row = await selectOneToWrite<LockedCarrier>(work, 'SELECT * FROM carriers WHERE id = :id', { id: idBytes(id) });
  if (!row) throw notFound();
  return row;
}

interface Lost {
  /** Labels of what was in use and is set aside. */
  readonly suspended: readonly string[];
  /** Authenticators that are still in use. */
  readonly left: number;
  readonly ended: EndedAccess | null;
}

/** Sets everything aside that a lost carrier carries: whoever found it may try. What was only begun on it ends. */
export async function setAside(deps: Deps, work: Work, maker: Maker, row: LockedCarrier): Promise<Lost> {
  const id = idText(row.id);
  const person = idText(row.person_id);
  await carriers(work).update({ state: 'lost' }, { where: { id }, transaction: work.transaction });
  const carried = await selectToWrite<{ id: Buffer; label: string; method: string; state: string }>(
    work,
    "SELECT id, label, method, state FROM authenticators WHERE carrier_id = :id AND state IN ('active', 'pending') ORDER BY id",
    { id: row.id },
  );
  await work.trail(entryOf(maker, 'carrier.lost', { kind: 'carrier', id }, { person }));
  for (const one of carried) {
    const authenticator = { kind: 'authenticator', id: idText(one.id) };
    const about = { person, details: { method: one.method } };
    if (one.state === 'pending') {
      // Whoever found it has the secret that was begun on it: nobody proves that any more.
      await authenticators(work).update(
        { state: 'revoked', endedAt: work.now, secretSealed: null },
        { where: { id: idText(one.id) }, transaction: work.transaction },
      );
      await work.trail(entryOf(maker, 'authenticator.revoked', authenticator, about));
      continue;
    }
    const { label, method } = one;
    await suspendOne(deps, work, maker, { id: idText(one.id), person, method, label });
  }
  const suspended = carried.filter((one) => one.state === 'active');
  await refreshKeyring(work, person);
  const [first] = suspended;
  const ended = first && (await lostLastFactor(work, person, first)) ? await endAccess(deps, work, [person]) : null;
  if (!ended) await stopSignIns(deps, work, [person]);
  return { suspended: suspended.map(({ label }) => label), left: await inUse(work, row.person_id), ended };
}

async function inUse(work: Work, person: Buffer): Promise<number> {
  const row = await selectOne<{ n: number }>(
    work,
    "SELECT COUNT(*) AS n FROM authenticators WHERE person_id = :person AND state = 'active'",
    { person },
  );
  return Number(row?.n ?? 0);
}

/** Reports a carrier lost. Found again, it is marked so; what it carries is taken back into use by hand, one by one. */
export const reportCarrier: Handler<'carriers.report'> = async (deps, call) =>
  await call.run(async (work) => {
    const { id } = call.params;
    const { state } = call.body;
    const row = await lockCarrier(work, id);
    if (row.state === state) throw new Refusal('wrong-state', { state });
    const person = idText(row.person_id);
    if (state === 'lost') {
      await countersignedForKeyring(deps, work, call, person, { lost: id }, (name) => ({
        what: 'carrier-lost',
        facts: { name, label: row.label },
      }));
      const { suspended, ...told } = await setAside(deps, work, call, row);
      return { answer: { carrier: describeCarrier({ ...row, state }), suspended: [...suspended], ...told } };
    }
    await carriers(work).update({ state }, { where: { id }, transaction: work.transaction });
    await work.trail(entryOf(call, 'carrier.found', { kind: 'carrier', id }, { person }));
    await refreshKeyring(work, person);
    const left = await inUse(work, row.person_id);
    return { answer: { carrier: describeCarrier({ ...row, state }), suspended: [], left, ended: null } };
  });
