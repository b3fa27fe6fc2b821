import { LIMITS, type Answer } from '@nimble-latch/api';
import { stringify } from 'yaml';
import type { Json } from '@nimble-latch/core/crypto';
import { FIRST_METHODS, offerOf, type MethodRow, type MethodSettings } from '@nimble-latch/core/methods';
import { METHODS, type Method } from '@nimble-latch/core/vocabulary';
import { closeOvertaken, countersigned } from '../access/countersign.js';
import { NEXT_VERSION, within } from '../../platform/db/models.js';
import { select, type Db } from '../../platform/db/sql.js';
import type { Deps } from '../../platform/deps.js';
import { badField, notFound, Refusal } from '../../platform/errors.js';
import { entryOf } from '../../platform/http/actors.js';
import type { AreaHandlers, Handler } from '../../platform/http/call.js';
import { idBytes, storedId } from '../../platform/ids.js';
import { draftRow } from '../rulebook/draft.js';
import { Comparison, pageOfAffected } from '../rulebook/affected.js';
import { lockOutsOf } from '../rulebook/lock-outs.js';
import { latestNumber, readVersion } from '../rulebook/running.js';
import { groups } from '../people/group.model.js';
import { readMethods, readyMethods } from './cache.js';
import { methodSettings } from './method-settings.model.js';
import { groupsOf } from './offer.js';

type Rows = Answer<'methods.show'>['rows'];

async function namesOf(db: Db, rows: readonly MethodRow[]): Promise<ReadonlyMap<string, string>> {
  const ids = rows.flatMap(({ group }) => (group === null ? [] : [storedId(group)]));
  const found = await groups(db).findAll({ where: { id: ids }, ...within(db) });
  return new Map(found.map(({ id, name }) => [id, name]));
}

async function describe(db: Db): Promise<Answer<'methods.show'>> {
  const { settings, version } = await readMethods(db);
  const names = await namesOf(db, settings.rows);
  const rows = settings.rows.map((row) => ({
    ...row,
    groupName: row.group === null ? null : (names.get(row.group) ?? null),
  }));
  return { rows: rows as Rows, version };
}

/** What changes of the matrix, as lines to read: by group and method, in the words of a configuration file. */
async function differenceOfRows(deps: Deps, db: Db, before: readonly MethodRow[], after: readonly MethodRow[]) {
  const names = await namesOf(db, [...before, ...after]);
  const lines = (rows: readonly MethodRow[]) =>
    stringify(rows.map(({ group, cells }) => ({ group: group === null ? null : (names.get(group) ?? group), cells })));
  return await deps.heavy.run('difference', lines(before), lines(after));
}

/** Asserts that a matrix can stand: each group once and there, everybody last. */
async function assertSound(db: Db, rows: readonly MethodRow[]): Promise<void> {
  const names = await namesOf(db, rows);
  rows.forEach(({ group }, i) => {
    if (rows.findIndex((one) => one.group === group) !== i) throw badField(`body.rows[${i}].group`, 'twice');
    if (group !== null && !names.has(group)) throw badField(`body.rows[${i}].group`, 'unknown-group');
    const { onlyModels, attestation } = rows[i]!.cells.webauthn?.parameters ?? {};
    if (onlyModels && attestation !== 'required')
      throw badField(`body.rows[${i}].cells.webauthn.parameters.onlyModels`, 'only-models-attested');
    if (group === null && i !== rows.length - 1) throw badField(`body.rows[${i}].group`, 'everybody-last');
  });
  if (rows.at(-1)!.group !== null) throw badField('body.rows', 'everybody-missing');
}

/** Whom the settings would lock out, by the rulebook in force. */
async function lockOuts(
  db: Db,
  before: MethodSettings,
  after: MethodSettings,
  changer: string,
  now: Date,
  most?: number,
) {
  const running = (await readVersion(db, await latestNumber(db)))!;
  const [was, willBe] = [readyMethods(before), readyMethods(after)];
  return await lockOutsOf(db, { running, methods: was }, { running, methods: willBe }, changer, now, most);
}

/** Whom other rows would lock out, as the database is seen from here. Throws where they cannot stand. */
export async function reviewRows(
  db: Db,
  rows: readonly MethodRow[],
  changer: string,
  now: Date,
): Promise<Answer<'methods.review'>> {
  await assertSound(db, rows);
  const { settings } = await readMethods(db);
  const { lockedOut, loosened } = await lockOuts(db, settings, { rows }, changer, now);
  return { ...lockedOut, loosened };
}

const review: Handler<'methods.review'> = async (deps, { body, actor }) => ({
  answer: await reviewRows(deps, body.rows as MethodRow[], actor.personId, deps.now()),
});

/** Everybody whom other rows do something to, by name. */
const reviewPeople: Handler<'methods.reviewPeople'> = async (deps, { body, query }) => {
  const rows = body.rows as MethodRow[];
  await assertSound(deps, rows);
  const running = (await readVersion(deps, await latestNumber(deps)))!;
  const { settings } = await readMethods(deps);
  const [was, willBe] = [readyMethods(settings), readyMethods({ rows })];
  const comparison = await Comparison.of(deps, { running, methods: was }, { running, methods: willBe }, deps.now());
  return { answer: await pageOfAffected(deps, comparison, query) };
};

const edit: Handler<'methods.edit'> = async (deps, call) => {
  const { rows, lockedOut } = call.body as { rows: MethodRow[]; lockedOut: number };
  const reply = await call.run(async (work) => {
    await assertSound(work, rows);
    // No rulebook is published meanwhile: the two together decide who is locked out.
    const { transaction } = work;
    await draftRow(work, transaction.LOCK.UPDATE);
    // The first change makes the row; both forms are conditional on the version that was seen.
    await methodSettings(work).bulkCreate([{ id: 1, data: FIRST_METHODS, version: 1 }], {
      ignoreDuplicates: true,
      transaction,
    });
    const { settings: before, version } = await readMethods(work, transaction.LOCK.UPDATE);
    if (version !== call.ifMatch) throw new Refusal('changed-meanwhile');
    const data = JSON.stringify({ rows });
    if (data === JSON.stringify({ rows: before.rows })) {
      const answer = await describe(work);
      return { answer, version: answer.version };
    }
    const {
      lockedOut: { people, named },
    } = await lockOuts(work, before, { rows }, call.actor.personId, work.now, LIMITS.peopleSigned);
    if (people !== lockedOut) throw new Refusal('count-changed', { expected: lockedOut, people });
    if (people > 0)
      await countersigned(deps, work, call, {
        action: 'lock-out',
        permission: 'setting.write',
        person: null,
        consequence: {
          what: 'methods-lock-out',
          facts: { people },
        },
        bound: { version, data },
        ground: 'methods',
        matter: { message: null, names: named, difference: await differenceOfRows(deps, work, before.rows, rows) },
      });
    await closeOvertaken(work, 'methods');
    await methodSettings(work).update({ data: { rows }, version: NEXT_VERSION }, { where: { id: 1 }, transaction });
    await work.trail(
      entryOf(
        call,
        'methods.changed',
        { kind: 'setting', id: null },
        { details: { lockedOut: people, now: JSON.parse(data) as Json } },
      ),
    );
    const answer = await describe(work);
    return { answer, version: answer.version };
  });
  deps.methods.forget();
  return reply;
};

/** What a person may enrol and use, and why not the rest. */
const ofPerson: Handler<'people.methods'> = async (deps: Deps, { params }) => {
  const theirs = await groupsOf(deps, params.id);
  if (!theirs) throw notFound();
  const { settings: stored } = await readMethods(deps);
  const { settings } = readyMethods(stored);
  const names = await namesOf(deps, stored.rows);
  const held = await select<{ method: Method; n: number }>(
    deps,
    "SELECT method, COUNT(*) AS n FROM authenticators WHERE person_id = :id AND state = 'active' GROUP BY method",
    { id: idBytes(params.id) },
  );
  return {
    answer: {
      rows: METHODS.map((method) => {
        const { enrol, purposes, why, decided } = offerOf(settings, method, theirs);
        const group = decided === undefined ? null : stored.rows[decided.row]!.group;
        return {
          method,
          enrol,
          purposes: [...purposes],
          why,
          row: decided?.row ?? null,
          group: group === null ? null : (names.get(group) ?? null),
          held: Number(held.find((one) => one.method === method)?.n ?? 0),
        };
      }),
    },
  };
};

export const methodHandlers: AreaHandlers<
  'methods.show' | 'methods.review' | 'methods.reviewPeople' | 'methods.edit' | 'people.methods'
> = {
  'methods.show': async (deps) => {
    const answer = await describe(deps);
    return { answer, version: answer.version };
  },
  'methods.review': review,
  'methods.reviewPeople': reviewPeople,
  'methods.edit': edit,
  'people.methods': ofPerson,
};
