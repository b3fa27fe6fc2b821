import { LIMITS, type Answer } from '@nimble-latch/api';
import type { BulkKind, BulkState, Id } from '@nimble-latch/core/vocabulary';
import { requestJob, type JobRun } from '../../platform/jobs/jobs.js';
import { endAccess, endBegun } from '../access/end.js';
import { insertAll } from '../../platform/db/bulk-insert.js';
import { select, selectOne, selectToWrite, selectOneToWrite, write, type Db } from '../../platform/db/sql.js';
import { inTransaction, type Work } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { badField, notFound, Refusal } from '../../platform/errors.js';
import { entryOf } from '../../platform/http/actors.js';
import type { Call, Handler } from '../../platform/http/call.js';
import { idBytes, newId, idText, idTextOrNull, storedId } from '../../platform/ids.js';
import type { NewEntry } from '../../platform/trail/writer.js';
import { gatherPeople } from './gather.js';
import { readGroup } from './group-row.js';
import { bulkChanges } from './bulk-change.model.js';
import { selectToHold } from '../../platform/db/claims.js';

/** People of one transaction. */
const BATCH = 250;

/** What takes a change back. */
const INVERSE: Readonly<Record<BulkKind, BulkKind>> = {
  join: 'leave',
  leave: 'join',
  deactivate: 'reactivate',
  reactivate: 'deactivate',
};

interface ChangeRow {
  id: Buffer;
  kind: BulkKind;
  group_id: Buffer | null;
  group_name: string | null;
  state: BulkState;
  people: number;
  passed: number;
  changed: number;
  undoes: Buffer | null;
  undone_by: Buffer | null;
  done_up_to: Buffer | null;
  asked_by: Buffer;
  asked_from: string | null;
  created_at: Date;
  finished_at: Date | null;
}

type Change = Answer<'bulkChanges.show'>;

const SELECTED = 'SELECT c.*, g.name AS group_name FROM bulk_changes c LEFT JOIN person_groups g ON g.id = c.group_id';

const changeOf = (row: ChangeRow): Change => ({
  id: idText(row.id),
  kind: row.kind,
  group: row.group_id && row.group_name !== null ? { id: idText(row.group_id), name: row.group_name } : null,
  state: row.state,
  people: row.people,
  passed: row.passed,
  changed: row.changed,
  undoes: idTextOrNull(row.undoes),
  undoneBy: idTextOrNull(row.undone_by),
  createdAt: row.created_at.toISOString(),
  finishedAt: row.finished_at?.toISOString() ?? null,
});

async function readChange(db: Db, id: Id, toWrite = false): Promise<ChangeRow> {
  const sql = `${SELECTED} WHERE c.id = :id`;
  const values = { id: idBytes(id) };
  const row = toWrite
    ? await selectOneToWrite<ChangeRow>(db, sql, values)
    : await selectOne<ChangeRow>(db, sql, values);
  if (!row) throw notFound();
  return row;
}

export const showChange: Handler<'bulkChanges.show'> = async (deps, { params }) => ({
  answer: changeOf(await readChange(deps, params.id)),
});

/** Those that are under way, and the last ones that ended: to be found again after leaving the page. */
export const listChanges: Handler<'bulkChanges.list'> = async (deps, { query }) => {
  const rows = await select<ChangeRow>(deps, `${SELECTED} ORDER BY c.created_at DESC LIMIT :limit`, {
    limit: query.limit,
  });
  return { answer: { rows: rows.map(changeOf), next: null } };
};

/** Writes the change and whom it is for; the job does the rest. */
async function ask(
  deps: Deps,
  work: Work,
  call: Pick<Call<'bulkChanges.begin'>, 'actor' | 'origin'>,
  what: { readonly kind: BulkKind; readonly groupId: Id | null; readonly undoes: Id | null },
  gather: (id: Buffer) => Promise<number>,
  expect: number,
): Promise<Id> {
  const id = newId(deps);
  await bulkChanges(work).create(
    {
      id,
      kind: what.kind,
      groupId: what.groupId ?? null,
      state: 'waiting',
      undoes: what.undoes ?? null,
      askedBy: call.actor.personId,
      askedFrom: call.origin,
      createdAt: work.now,
    },
    { transaction: work.transaction },
  );
  const people = await gather(idBytes(id));
  // What was counted and shown is what is changed, or nothing is.
  if (people !== expect) throw new Refusal('count-changed', { people });
  await bulkChanges(work).update({ people }, { where: { id }, transaction: work.transaction });
  await work.trail(
    entryOf(
      call,
      'bulk-change.begun',
      { kind: what.groupId === null ? 'person' : 'group', id: what.groupId },
      { details: { change: id, kind: what.kind, people, ...(what.undoes ? { undoes: what.undoes } : {}) } },
    ),
  );
  await requestJob(deps, work, 'bulk-change', { payload: { change: id } });
  return id;
}

export const beginChange: Handler<'bulkChanges.begin'> = async (deps, call) =>
  await call.run(async (work) => {
    const { kind, group, who, expect } = call.body;
    const needsGroup = kind === 'join' || kind === 'leave';
    if (needsGroup !== (group !== undefined)) throw badField('body.group', needsGroup ? 'missing' : 'unexpected');
    if (group !== undefined) await readGroup(work, group);
    const id = await ask(
      deps,
      work,
      call,
      { kind, groupId: group ?? null, undoes: null },
      async (change) =>
        'ids' in who
          ? await write(
              work,
              'INSERT INTO bulk_change_people (change_id, person_id) SELECT :change, id FROM persons WHERE id IN (:ids)',
              { change, ids: who.ids.map(idBytes) },
            )
          : await gatherPeople(deps, work, change, who.filter),
      expect,
    );
    return { answer: changeOf(await readChange(work, id)) };
  });

export const undoChange: Handler<'bulkChanges.undo'> = async (deps, call) =>
  await call.run(async (work) => {
    const before = await readChange(work, call.params.id, true);
    if (before.state !== 'done' || before.undone_by !== null || before.changed === 0)
      throw new Refusal('wrong-state', { state: before.undone_by === null ? before.state : 'undone' });
    if (before.group_id !== null && before.group_name === null) throw notFound();
    const id = await ask(
      deps,
      work,
      call,
      { kind: INVERSE[before.kind], groupId: idTextOrNull(before.group_id), undoes: idText(before.id) },
      async (change) =>
        // Only those whom it really changed, and who are still there.
        await write(
          work,
          `INSERT INTO bulk_change_people (change_id, person_id) SELECT :change, b.person_id FROM bulk_change_people b
           JOIN persons p ON p.id = b.person_id WHERE b.change_id = :before AND b.changed = 1`,
          { change, before: before.id },
        ),
      await stillThere(work, before.id),
    );
    await bulkChanges(work).update(
      { undoneBy: id },
      { where: { id: idText(before.id) }, transaction: work.transaction },
    );
    return { answer: changeOf(await readChange(work, id)) };
  });

async function stillThere(work: Work, change: Buffer): Promise<number> {
  const row = await selectOne<{ n: number }>(
    work,
    'SELECT COUNT(*) AS n FROM bulk_change_people b JOIN persons p ON p.id = b.person_id WHERE b.change_id = :change AND b.changed = 1',
    { change },
  );
  return Number(row?.n ?? 0);
}

/** The job: some hundred people in each transaction, with a trail entry for everybody who was really changed. */
export async function bulkChangeJob(deps: Deps, run: JobRun): Promise<string> {
  const id = storedId(String(run.payload['change']));
  for (;;) {
    const done = await inTransaction(deps, async (work) => await changeSome(deps, work, id));
    if (done === 'done') return 'everybody changed';
    await run.progress(`${done} people`);
  }
}

async function changeSome(deps: Deps, work: Work, id: Id): Promise<number | 'done'> {
  const change = await readChange(work, id, true);
  if (change.state === 'done') return 'done';
  const some = await select<{ person_id: Buffer }>(
    work,
    `SELECT person_id FROM bulk_change_people WHERE change_id = :id AND person_id > :after ORDER BY person_id LIMIT ${BATCH}`,
    { id: change.id, after: change.done_up_to ?? Buffer.alloc(16) },
  );
  if (some.length === 0) {
    await bulkChanges(work).update(
      { state: 'done', finishedAt: work.now },
      { where: { id: idText(change.id) }, transaction: work.transaction },
    );
    return 'done';
  }
  const ids = some.map((row) => row.person_id);
  await selectToHold(
    work,
    'persons WHERE id IN (:ids) ORDER BY id',
    'SELECT id FROM persons WHERE id IN (:ids) ORDER BY id',
    { ids },
  );
  const open = await openTo(work, change, ids);
  const changed = open.length === 0 ? [] : await CHANGES[change.kind](deps, work, open, change.group_id);
  if (changed.length > 0)
    await write(work, 'UPDATE bulk_change_people SET changed = 1 WHERE change_id = :id AND person_id IN (:changed)', {
      id: change.id,
      changed,
    });
  await work.trailAll(changed.map((person) => entryFor(change, idText(person))));
  await bulkChanges(work).update(
    {
      state: 'running',
      passed: change.passed + ids.length,
      changedPeople: change.changed + changed.length,
      doneUpTo: idText(ids[ids.length - 1]!),
    },
    { where: { id: idText(change.id) }, transaction: work.transaction },
  );
  return change.passed + ids.length;
}

/** Those whom this change may touch: administrators and emergency accounts only where an owner asked, and those one by one. */
async function openTo(work: Work, change: ChangeRow, ids: Buffer[]): Promise<Buffer[]> {
  const rows = await select<{ id: Buffer }>(
    work,
    `SELECT p.id FROM persons p WHERE p.id IN (:ids) AND (
       (p.emergency = 0 AND NOT EXISTS (SELECT 1 FROM role_grants g WHERE g.person_id = p.id))
       OR (:regroups AND EXISTS (SELECT 1 FROM role_grants o WHERE o.person_id = :asker AND o.role = 'owner')))`,
    { ids, asker: change.asked_by, regroups: change.kind === 'join' || change.kind === 'leave' ? 1 : 0 },
  );
  return rows.map((row) => row.id);
}

const ACTIONS = {
  join: 'group.joined',
  leave: 'group.left',
  deactivate: 'person.deactivated',
  reactivate: 'person.reactivated',
} as const satisfies Record<BulkKind, NewEntry['action']>;

const entryFor = (change: ChangeRow, person: Id): NewEntry => ({
  actor: { kind: 'person', id: idText(change.asked_by) },
  action: ACTIONS[change.kind],
  target: change.group_id ? { kind: 'group', id: idText(change.group_id) } : { kind: 'person', id: person },
  person,
  origin: change.asked_from,
  reason: null,
  details: { change: idText(change.id) },
});

type Apply = (deps: Deps, work: Work, ids: Buffer[], group: Buffer | null) => Promise<Buffer[]>;

/** Each changes those of the people who are not so yet, and answers who they were. */
const CHANGES: Readonly<Record<BulkKind, Apply>> = {
  async join(_deps, work, ids, group) {
    const joining = await select<{ id: Buffer; name_key: string }>(
      work,
      `SELECT p.id, p.name_key FROM persons p WHERE p.id IN (:ids)
         AND NOT EXISTS (SELECT 1 FROM group_members m WHERE m.group_id = :group AND m.person_id = p.id)
         AND (SELECT COUNT(*) FROM group_members m WHERE m.person_id = p.id) < ${LIMITS.groupsPerPerson}
         AND EXISTS (SELECT 1 FROM person_groups g WHERE g.id = :group)`,
      { ids, group },
    );
    if (joining.length > 0)
      await insertAll(
        work,
        'group_members',
        joining.map((person) => ({ groupId: group!, personId: person.id, nameKey: person.name_key })),
      );
    return joining.map((person) => person.id);
  },
  async leave(_deps, work, ids, group) {
    const members = await selectToWrite<{ person_id: Buffer }>(
      work,
      'SELECT person_id FROM group_members WHERE group_id = :group AND person_id IN (:ids)',
      { ids, group },
    );
    const leaving = members.map((member) => member.person_id);
    if (leaving.length > 0)
      await write(work, 'DELETE FROM group_members WHERE group_id = :group AND person_id IN (:leaving)', {
        group,
        leaving,
      });
    return leaving;
  },
  async deactivate(deps, work, ids) {
    return await setState(deps, work, ids, 'active', 'deactivated');
  },
  async reactivate(deps, work, ids) {
    return await setState(deps, work, ids, 'deactivated', 'active');
  },
};

async function setState(deps: Deps, work: Work, ids: Buffer[], from: string, to: string): Promise<Buffer[]> {
  const rows = await select<{ id: Buffer }>(
    work,
    `SELECT p.id FROM persons p WHERE p.id IN (:ids) AND p.state = :from`,
    { ids, from },
  );
  const changing = rows.map((row) => row.id);
  if (changing.length === 0) return [];
  await write(
    work,
    'UPDATE persons SET state = :to, version = version + 1, updated_at = :now WHERE id IN (:changing)',
    {
      to,
      changing,
      now: work.now,
    },
  );
  if (to === 'deactivated') {
    await endBegun(work, changing.map(idText));
    await endAccess(deps, work, changing.map(idText));
  }
  return changing;
}
