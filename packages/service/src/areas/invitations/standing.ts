import { LIMITS, type Answer } from '@nimble-latch/api';
import type { Id, Method } from '@nimble-latch/core/vocabulary';
import { countersigned } from '../access/countersign.js';
import { insertAll } from '../../platform/db/bulk-insert.js';
import { select, selectOne, selectOneToWrite, write, type Db } from '../../platform/db/sql.js';
import { inTransaction } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { badField, notFound, Refusal } from '../../platform/errors.js';
import { entryOf } from '../../platform/http/actors.js';
import type { Handler } from '../../platform/http/call.js';
import { reachedGroups } from '../people/reached-groups.js';
import { idBytes, idText, newId } from '../../platform/ids.js';
import { readMethods } from '../methods/cache.js';
import { withParts } from '../people/parts.js';
import { readSettings } from '../insight/settings-cache.js';
import { addRound, assertMailServer, isOwner, judgeAll } from './rounds.js';
import { standingInvitationPeople } from './standing-invitation-person.model.js';
import { standingInvitations } from './standing-invitation.model.js';

type Standing = Answer<'standingInvitations.list'>['rows'][number];

interface Row {
  readonly id: Buffer;
  readonly group_id: Buffer | null;
  readonly group_name: string | null;
  readonly methods: string;
  readonly countersigned: number;
  readonly begun_by: Buffer;
  readonly begun_from: string | null;
  readonly begun_at: Date;
  readonly beginner: string | null;
}

const FROM = `SELECT s.*, g.name AS group_name, b.display_name AS beginner FROM standing_invitations s LEFT JOIN person_groups g ON g.id = s.group_id
  LEFT JOIN persons b ON b.id = s.begun_by`;

/** Active people of a group and of those inside it; of all, where there is no group. */
async function meant(
  db: Db,
  group: Buffer | null,
): Promise<{ readonly where: string; readonly groups: readonly Buffer[] }> {
  const groups = group === null ? [] : await withParts(db, [group]);
  const where =
    group === null
      ? "p.state = 'active'"
      : "p.state = 'active' AND EXISTS (SELECT 1 FROM group_members m WHERE m.person_id = p.id AND m.group_id IN (:groups))";
  return { where, groups };
}

const NOT_COME_TO =
  'NOT EXISTS (SELECT 1 FROM standing_invitation_people x WHERE x.standing_id = :id AND x.person_id = p.id)';

async function describe(db: Db, row: Row): Promise<Standing> {
  const { where, groups } = await meant(db, row.group_id);
  const counts = await selectOne<{ invited: number | null; passed: number | null; waiting: number }>(
    db,
    `SELECT (SELECT COUNT(*) FROM standing_invitation_people x JOIN invitation_round_people r ON r.round_id = x.round_id AND r.person_id = x.person_id
         WHERE x.standing_id = :id AND r.outcome = 'invited') AS invited,
       (SELECT COUNT(*) FROM standing_invitation_people x JOIN invitation_round_people r ON r.round_id = x.round_id AND r.person_id = x.person_id
         WHERE x.standing_id = :id AND r.outcome <> 'invited') AS passed,
       (SELECT COUNT(*) FROM persons p WHERE ${where} AND p.mail_sealed IS NULL AND ${NOT_COME_TO}) AS waiting`,
    { id: row.id, ...(groups.length > 0 ? { groups: [...groups] } : {}) },
  );
  return {
    id: idText(row.id),
    group: row.group_id && row.group_name !== null ? { id: idText(row.group_id), name: row.group_name } : null,
    methods: row.methods.split(' ') as Method[],
    begunBy: row.beginner === null ? null : { id: idText(row.begun_by), displayName: row.beginner },
    begunAt: row.begun_at.toISOString(),
    invited: Number(counts!.invited),
    passedOver: Number(counts!.passed),
    waiting: Number(counts!.waiting),
  };
}

/** Those for groups that whoever asks reaches; those for everybody are for whoever reaches everybody. */
export const listStanding: Handler<'standingInvitations.list'> = async (deps, { actor }) => {
  const reached = await reachedGroups(deps, actor, 'invitation.send');
  const all = await select<Row>(deps, `${FROM} ORDER BY s.id`);
  const rows = all.filter(({ group_id }) => !reached || (group_id && reached.has(idText(group_id))));
  return { answer: { rows: await Promise.all(rows.map(async (row) => await describe(deps, row))) } };
};

/** Who would be invited if it came to everybody who is there now. */
export const previewStanding: Handler<'standingInvitations.preview'> = async (deps, { actor, body }) => {
  const { where, groups } = await meant(deps, body.group === null ? null : idBytes(body.group));
  const rows = await select<{ id: Buffer }>(
    deps,
    `SELECT p.id FROM persons p WHERE ${where} LIMIT ${LIMITS.invitedAtOnce}`,
    groups.length > 0 ? { groups: [...groups] } : {},
  );
  const { outcomes } = await judgeAll(
    deps,
    deps,
    rows.map(({ id }) => id),
    { methods: body.methods, via: 'mail', byOwner: await isOwner(deps, actor.personId), countersigned: true },
  );
  return { answer: { people: rows.length, outcomes } };
};

export const beginStanding: Handler<'standingInvitations.begin'> = async (deps, call) =>
  await call.run(async (work) => {
    const { group, methods, present } = call.body;
    assertMailServer(deps, 'mail');
    const [named] =
      group === null
        ? [{ name: 'all' }]
        : await select<{ name: string }>(work, 'SELECT name FROM person_groups WHERE id = :id', { id: idBytes(group) });
    if (!named) throw badField('body.group', 'unknown-group');
    const all = await standingInvitations(work).findAll({ transaction: work.transaction });
    if (all.some(({ groupId }) => groupId === group)) throw new Refusal('name-taken', { name: named.name });
    if (all.length >= LIMITS.standingInvitations)
      throw new Refusal('limit-reached', { limit: LIMITS.standingInvitations });
    // Nobody will be asked again when somebody comes whose first enrolment is guarded.
    const guarded = (await readMethods(work)).settings.rows.some(({ cells }) =>
      methods.some((method) => cells[method]?.parameters?.first === 'countersigned'),
    );
    if (guarded)
      await countersigned(deps, work, call, {
        action: 'first-enrolment',
        permission: 'invitation.send',
        person: null,
        bound: { standing: group, methods: [...methods], present },
        consequence: {
          what: 'people-invited-whenever',
          facts: { group: named.name, methods: methods.join(' ') },
        },
      });
    const id = newId(deps);
    await standingInvitations(work).create(
      {
        id,
        groupId: group,
        methods,
        countersigned: guarded,
        begunBy: call.actor.personId,
        begunFrom: call.origin,
        begunAt: work.now,
      },
      { transaction: work.transaction },
    );
    if (!present) {
      const { where, groups } = await meant(work, group === null ? null : idBytes(group));
      await write(
        work,
        `INSERT INTO standing_invitation_people (standing_id, person_id) SELECT :id, p.id FROM persons p WHERE ${where.replace("p.state = 'active'", '1 = 1')}`,
        { id: idBytes(id), ...(groups.length > 0 ? { groups: [...groups] } : {}) },
      );
    }
    await work.trail(
      entryOf(
        call,
        'standing-invitation.begun',
        { kind: group === null ? 'person' : 'group', id: group },
        { details: { standing: id, methods: [...methods], present } },
      ),
    );
    return { answer: await describe(work, await readStanding(work, id)) };
  });

async function readStanding(db: Db, id: Id): Promise<Row> {
  const row = await selectOne<Row>(db, `${FROM} WHERE s.id = :id`, { id: idBytes(id) });
  if (!row) throw notFound();
  return row;
}

export const endStanding: Handler<'standingInvitations.end'> = async (_deps, call) =>
  await call.run(async (work) => {
    const { id } = call.params;
    const row = await readStanding(work, id);
    await standingInvitations(work).destroy({ where: { id }, transaction: work.transaction });
    const group = row.group_id && idText(row.group_id);
    await work.trail(
      entryOf(
        call,
        'standing-invitation.ended',
        { kind: group === null ? 'person' : 'group', id: group },
        { details: { standing: id } },
      ),
    );
    return { answer: null };
  });

/** People of one sending. */
const AT_ONCE = 1_000;

/** Comes to whoever has joined or was added since: each once, and whoever has no mail address as soon as they have one. */
export async function inviteWhoIsNew(deps: Deps): Promise<string> {
  if (!deps.config.smtp) return 'no mail server';
  const rows = await select<{ id: Buffer }>(deps, 'SELECT id FROM standing_invitations ORDER BY id');
  let people = 0;
  for (const { id } of rows)
    for (let some = AT_ONCE; some === AT_ONCE; people += some) some = await inviteNewOf(deps, id);
  return `${people} new`;
}

async function inviteNewOf(deps: Deps, id: Buffer): Promise<number> {
  return await inTransaction(deps, async (work) => {
    const row = await selectOneToWrite<Row>(work, 'SELECT * FROM standing_invitations WHERE id = :id', { id });
    if (!row) return 0;
    const { where, groups } = await meant(work, row.group_id);
    const people = await select<{ id: Buffer }>(
      work,
      `SELECT p.id FROM persons p WHERE ${where} AND p.mail_sealed IS NOT NULL AND ${NOT_COME_TO} LIMIT ${AT_ONCE}`,
      { id, ...(groups.length > 0 ? { groups: [...groups] } : {}) },
    );
    if (people.length === 0) return 0;
    const { settings } = await readSettings(work);
    const round = await addRound(deps, work, {
      ids: people.map((one) => one.id),
      methods: row.methods.split(' ') as Method[],
      via: 'mail',
      days: settings.invitations.days,
      countersigned: row.countersigned === 1,
      standing: idText(id),
      askedBy: idText(row.begun_by),
      askedFrom: row.begun_from,
    });
    // Two nodes that come here at once meet at these rows, and one of them begins again.
    await insertAll(
      work,
      'standing_invitation_people',
      people.map((one) =>
        standingInvitationPeople.sent({ standingId: idText(id), personId: idText(one.id), roundId: round }),
      ),
    );
    return people.length;
  });
}
