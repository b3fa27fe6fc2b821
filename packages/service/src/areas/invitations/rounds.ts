import type { Answer, Parsed } from '@nimble-latch/api';
import { LIMITS } from '@nimble-latch/api';
import { sha256 } from '@nimble-latch/core/crypto';
import type { Inviting } from '@nimble-latch/core/invitations';
import { normaliseLoginName } from '@nimble-latch/core/loginnames';
import type { BulkState, Id, InvitationChannel, InvitingOutcome, Method } from '@nimble-latch/core/vocabulary';
import { countersigned } from '../access/countersign.js';
import { roleGrants } from '../access/role-grant.model.js';
import { everybody } from '../people/gather.js';
import { withParts } from '../people/parts.js';
import { insertAll } from '../../platform/db/bulk-insert.js';
import { decodeCursor, pageOf } from '../../platform/db/cursor.js';
import { within as inside } from '../../platform/db/models.js';
import { select, selectOne, type Db, type SqlValues } from '../../platform/db/sql.js';
import type { Work } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { badField, notFound, PermissionRefusal, Refusal } from '../../platform/errors.js';
import { entryOf, groupsWithin, type OperatorActor } from '../../platform/http/actors.js';
import type { Handler } from '../../platform/http/call.js';
import { idBytes, idText, idTextOrNull, newId } from '../../platform/ids.js';
import { requestJob } from '../../platform/jobs/jobs.js';
import { readSettings } from '../insight/settings-cache.js';
import { invitationRounds } from './invitation-round.model.js';
import { judge, JUDGED_AT_ONCE, type Judged } from './judge.js';

/** A sending as statements read it. */
export interface RoundRow {
  readonly id: Buffer;
  readonly state: BulkState;
  readonly methods: readonly Method[];
  readonly via: InvitationChannel;
  readonly days: number;
  readonly countersigned: number;
  readonly people: number;
  readonly passed: number;
  readonly done_up_to: Buffer | null;
  readonly standing_id: Buffer | null;
  readonly asked_by: Buffer;
  readonly asked_from: string | null;
  readonly created_at: Date;
  readonly finished_at: Date | null;
}

const parsed = <R extends { methods: unknown }>(row: R): R & Pick<RoundRow, 'methods'> => ({
  ...row,
  methods: String(row.methods).split(' ') as Method[],
});

/** @param read how: under a lock where it is to be written */
export async function readRound(db: Db, id: Id, read: typeof selectOne = selectOne): Promise<RoundRow> {
  const row = await read<RoundRow>(db, 'SELECT * FROM invitation_rounds WHERE id = :id', { id: idBytes(id) });
  if (!row) throw notFound();
  return parsed(row);
}

export async function isOwner(db: Db, person: Id): Promise<boolean> {
  return (await roleGrants(db).count({ where: { personId: person, role: 'owner' }, ...inside(db) })) > 0;
}

type Wanted = Parsed<'invitationRounds.preview', 'body'>;

interface Gathered {
  readonly ids: readonly Buffer[];
  /** Login names that are nobody's within reach. */
  readonly unknown: readonly string[];
}

/** Whom somebody means, each once; never anybody out of their reach. */
export async function gathered(deps: Deps, db: Db, actor: OperatorActor, who: Wanted['who']): Promise<Gathered> {
  const groups = groupsWithin(actor, 'invitation.send');
  if ('filter' in who) {
    const { sql, values } = await everybody(deps, { ...who.filter, within: groups });
    const rows = await select<{ id: Buffer }>(
      db,
      `SELECT met.id FROM (${sql}) met LIMIT ${LIMITS.invitedAtOnce + 1}`,
      values,
    );
    if (rows.length > LIMITS.invitedAtOnce) throw new Refusal('limit-reached', { limit: LIMITS.invitedAtOnce });
    return { ids: rows.map(({ id }) => id), unknown: [] };
  }
  if ('ids' in who) {
    const rows = await reached(db, 'p.id IN (:asked)', { asked: who.ids.map(idBytes) }, groups);
    const there = new Set(rows.map(({ id }) => id.toString('hex')));
    const missing = who.ids.find((id) => !there.has(idBytes(id).toString('hex')));
    // Whoever reaches everybody asked for somebody who is not there; for anybody else the two look the same.
    if (missing !== undefined) {
      if (groups) throw new PermissionRefusal(actor, 'invitation.send', 'outside-your-groups');
      throw notFound();
    }
    return { ids: rows.map(({ id }) => id), unknown: [] };
  }
  const names = new Map(
    who.loginNames.map((typed) => {
      const name = normaliseLoginName(typed);
      return [typed, name.ok ? name.value : undefined] as const;
    }),
  );
  const values = [...new Set([...names.values()].filter((name) => name !== undefined))];
  const rows =
    values.length === 0
      ? []
      : await reached(
          db,
          'n.value IN (:asked)',
          { asked: values },
          groups,
          'JOIN login_names n ON n.person_id = p.id',
          ', n.value AS name',
        );
  const found = new Set(rows.map(({ name }) => name));
  const byId = new Map(rows.map(({ id }) => [id.toString('hex'), id]));
  return {
    ids: [...byId.values()],
    unknown: [...names].flatMap(([typed, name]) => (name !== undefined && found.has(name) ? [] : [typed])),
  };
}

async function reached(
  db: Db,
  condition: string,
  values: SqlValues,
  groups: readonly Id[] | undefined,
  joins = '',
  more = '',
): Promise<{ id: Buffer; name?: string }[]> {
  const within = groups && (await withParts(db, groups.map(idBytes)));
  if (within?.length === 0) return [];
  return await select<{ id: Buffer; name?: string }>(
    db,
    `SELECT p.id${more} FROM persons p ${joins} WHERE ${condition}${
      within ? ' AND EXISTS (SELECT 1 FROM group_members m WHERE m.person_id = p.id AND m.group_id IN (:within))' : ''
    }`,
    { ...values, ...(within ? { within } : {}) },
  );
}

/** What would come of inviting all of them. */
export async function judgeAll(deps: Deps, db: Db, ids: readonly Buffer[], inviting: Inviting) {
  const outcomes: Partial<Record<InvitingOutcome, number>> = {};
  let [withoutProof, guarded] = [0, 0];
  for (let from = 0; from < ids.length; from += JUDGED_AT_ONCE)
    for (const one of await judge(deps, db, ids.slice(from, from + JUDGED_AT_ONCE), inviting)) {
      outcomes[one.outcome] = (outcomes[one.outcome] ?? 0) + 1;
      if (one.outcome !== 'invited') continue;
      if (one.withoutProof) withoutProof++;
      if (one.offer.countersigned) guarded++;
    }
  return { outcomes, withoutProof, guarded };
}

/** As if a second administrator had agreed already: where one has to is told beside it. */
const invitingOf = async (db: Db, actor: OperatorActor, { methods, via }: Wanted): Promise<Inviting> => ({
  methods,
  via,
  byOwner: await isOwner(db, actor.personId),
  countersigned: true,
});

export const previewRound: Handler<'invitationRounds.preview'> = async (deps, { body, actor }) => {
  const { ids, unknown } = await gathered(deps, deps, actor, body.who);
  const { outcomes, withoutProof, guarded } = await judgeAll(deps, deps, ids, await invitingOf(deps, actor, body));
  return {
    answer: {
      people: ids.length,
      days: (await readSettings(deps)).settings.invitations.days,
      outcomes,
      withoutProof,
      countersigned: guarded,
      unknown: [...unknown],
    },
  };
};

export const listPassedOver: Handler<'invitationRounds.passedOver'> = async (deps, { body, actor, query }) => {
  const [after] = decodeCursor(query.cursor, ['id']) ?? [];
  const { ids } = await gathered(deps, deps, actor, body.who);
  const left = ids
    .toSorted((a, b) => a.compare(b))
    .filter((id) => after === undefined || id.compare(idBytes(after)) > 0);
  const inviting = await invitingOf(deps, actor, body);
  const passed: Judged[] = [];
  for (let from = 0; from < left.length && passed.length <= query.limit; from += JUDGED_AT_ONCE)
    for (const one of await judge(deps, deps, left.slice(from, from + JUDGED_AT_ONCE), inviting))
      if (one.outcome !== 'invited') passed.push(one);
  const { rows, next } = pageOf(passed, query.limit, ({ row }) => [idText(row.id)]);
  return {
    answer: {
      rows: rows.map(({ row, outcome }) => ({ id: idText(row.id), displayName: row.display_name, outcome })),
      next,
    },
  };
};

export const beginRound: Handler<'invitationRounds.begin'> = async (deps, call) =>
  await call.run(async (work) => {
    const { actor, body } = call;
    const { methods, via, expect } = body;
    assertMailServer(deps, via);
    const { ids, unknown } = await gathered(deps, work, actor, body.who);
    if (unknown.length > 0) throw badField('body.who.loginNames', 'login-name-nobodys', { name: unknown[0]! });
    // What was counted and shown is what is done, or nothing is.
    if (ids.length !== expect) throw new Refusal('count-changed', { people: ids.length });
    const { outcomes, guarded } = await judgeAll(deps, work, ids, await invitingOf(work, actor, body));
    const days = body.days ?? (await readSettings(work)).settings.invitations.days;
    if (guarded > 0)
      await countersigned(deps, work, call, {
        action: 'first-enrolment',
        permission: 'invitation.send',
        person: null,
        bound: { people: digestOf(ids), methods: [...methods], via, days },
        consequence: {
          what: 'people-invited',
          facts: { people: outcomes.invited ?? 0, guarded, methods: methods.join(' ') },
        },
      });
    const id = await addRound(deps, work, {
      ids,
      methods,
      via,
      days,
      countersigned: guarded > 0,
      standing: null,
      askedBy: actor.personId,
      askedFrom: call.origin,
    });
    await work.trail(
      entryOf(
        call,
        'invitations.begun',
        { kind: 'person', id: null },
        { details: { round: id, people: ids.length, methods: [...methods], via, days } },
      ),
    );
    return { answer: await showRow(work, await readRound(work, id)) };
  });

/** The very people, whoever they are called. */
const digestOf = (ids: readonly Buffer[]): string =>
  sha256(Buffer.concat([...ids].sort((a, b) => a.compare(b)))).toString('hex');

export function assertMailServer({ config }: Deps, via: InvitationChannel): void {
  if (via === 'mail' && !config.smtp) throw new Refusal('no-mail-server');
}

/** Writes down whom a sending is for; the job does the rest. */
export async function addRound(
  deps: Deps,
  work: Work,
  wanted: {
    readonly ids: readonly Buffer[];
    readonly methods: readonly Method[];
    readonly via: InvitationChannel;
    readonly days: number;
    readonly countersigned: boolean;
    readonly standing: Id | null;
    readonly askedBy: Id;
    readonly askedFrom: string | null;
  },
): Promise<Id> {
  const { ids, standing, ...round } = wanted;
  const id = newId(deps);
  await invitationRounds(work).create(
    { id, ...round, state: 'waiting', people: ids.length, standingId: standing, createdAt: work.now },
    { transaction: work.transaction },
  );
  const roundId = idBytes(id);
  if (ids.length > 0)
    await insertAll(
      work,
      'invitation_round_people',
      ids.map((personId) => ({ roundId, personId })),
    );
  await requestJob(deps, work, 'invite', { payload: { round: id } });
  return id;
}

type Round = Answer<'invitationRounds.show'>;

async function showRow(db: Db, row: RoundRow): Promise<Round> {
  const unopened = `SELECT COUNT(*) FROM invitations i WHERE i.round_id = :id AND i.opened_at IS NULL AND i.open_for IS NOT NULL AND i.valid_until > UTC_TIMESTAMP(3)`;
  const [counts, about] = await Promise.all([
    select<{ outcome: InvitingOutcome; n: number }>(
      db,
      'SELECT outcome, COUNT(*) AS n FROM invitation_round_people WHERE round_id = :id AND outcome IS NOT NULL GROUP BY outcome',
      { id: row.id },
    ),
    selectOne<{ asker: string | null; unprinted: number; unopened: number }>(
      db,
      `SELECT (SELECT display_name FROM persons WHERE id = :asker) AS asker,
         (${unopened} AND i.via <> 'mail' AND i.sent_at IS NULL) AS unprinted, (${unopened} AND i.via = 'file' AND i.sent_at IS NOT NULL) AS unopened`,
      { id: row.id, asker: row.asked_by },
    ),
  ]);
  return {
    id: idText(row.id),
    state: row.state,
    methods: [...row.methods],
    via: row.via,
    days: row.days,
    people: row.people,
    passed: row.passed,
    outcomes: Object.fromEntries(counts.map(({ outcome, n }) => [outcome, Number(n)])),
    unprinted: Number(about!.unprinted),
    unopened: Number(about!.unopened),
    standing: idTextOrNull(row.standing_id),
    askedBy: about!.asker === null ? null : { id: idText(row.asked_by), displayName: about!.asker },
    createdAt: row.created_at.toISOString(),
    finishedAt: row.finished_at?.toISOString() ?? null,
  };
}

/** A sending within reach: whoever reaches only some groups sees those that they asked for themselves. */
export async function reachedRound(db: Db, actor: OperatorActor, id: Id): Promise<RoundRow> {
  const row = await readRound(db, id);
  const mine = row.asked_by.equals(idBytes(actor.personId));
  if (!mine && groupsWithin(actor, 'invitation.send')) throw notFound();
  return row;
}

export const showRound: Handler<'invitationRounds.show'> = async (deps, { actor, params }) => ({
  answer: await showRow(deps, await reachedRound(deps, actor, params.id)),
});

export const listRounds: Handler<'invitationRounds.list'> = async (deps, { actor, query }) => {
  const after = decodeCursor(query.cursor, ['id']);
  const conditions = [
    ...(groupsWithin(actor, 'invitation.send') ? ['asked_by = :me'] : []),
    ...(after ? ['id < :after'] : []),
  ];
  const rows = await select<RoundRow>(
    deps,
    `SELECT * FROM invitation_rounds ${conditions.length > 0 ? `WHERE ${conditions.join(' AND ')}` : ''} ORDER BY id DESC LIMIT :limit`,
    { me: idBytes(actor.personId), after: after ? idBytes(after[0]) : null, limit: query.limit + 1 },
  );
  const page = pageOf(rows, query.limit, (row) => [idText(row.id)]);
  return {
    answer: {
      rows: await Promise.all(page.rows.map(async (row) => await showRow(deps, parsed(row)))),
      next: page.next,
    },
  };
};

export const listRoundPeople: Handler<'invitationRounds.people'> = async (deps, { actor, params, query }) => {
  const round = await reachedRound(deps, actor, params.id);
  const after = decodeCursor(query.cursor, ['id']);
  const rows = await select<{ id: Buffer; display_name: string; outcome: InvitingOutcome | null }>(
    deps,
    `SELECT p.id, p.display_name, r.outcome FROM invitation_round_people r JOIN persons p ON p.id = r.person_id
     WHERE r.round_id = :round ${query.outcome ? 'AND r.outcome = :outcome' : ''} ${after ? 'AND p.id > :after' : ''} ORDER BY r.person_id LIMIT :limit`,
    {
      round: round.id,
      outcome: query.outcome ?? null,
      after: after ? idBytes(after[0]) : null,
      limit: query.limit + 1,
    },
  );
  const page = pageOf(rows, query.limit, (row) => [idText(row.id)]);
  return {
    answer: {
      rows: page.rows.map(({ id, display_name, outcome }) => ({
        person: { id: idText(id), displayName: display_name },
        outcome,
      })),
      next: page.next,
    },
  };
};
