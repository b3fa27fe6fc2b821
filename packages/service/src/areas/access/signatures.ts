import { LIMITS, type Answer } from '@nimble-latch/api';
import { signatureState, whyNoSignature } from '@nimble-latch/core/access';
import type { SignatureState, Id } from '@nimble-latch/core/vocabulary';
import { decodeCursor, pageOf } from '../../platform/db/cursor.js';
import { Op } from 'sequelize';
import { within } from '../../platform/db/models.js';
import type { Db } from '../../platform/db/sql.js';
import type { Work } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { notFound, Refusal } from '../../platform/errors.js';
import { entryOf, type OperatorActor } from '../../platform/http/actors.js';
import type { Handler } from '../../platform/http/call.js';
import { othersWhoCould, requestOf } from './countersign.js';
import { signatureRequests, type SignatureRequest } from './signature-request.model.js';

type Shown = Answer<'signatures.list'>['rows'][number];
const NAMES = ['person', 'asker', 'decider'];

const mayDo = (actor: OperatorActor, { permission }: SignatureRequest) => actor.rights.get(permission) === 'everybody';

async function shown(deps: Deps, db: Db, actor: OperatorActor, row: SignatureRequest): Promise<Shown> {
  const now = deps.now().getTime();
  const request = requestOf(row);
  const state = signatureState(request, now);
  const { countersign } = (await deps.settings.current()).settings;
  const alone = state === 'open' && (await othersWhoCould(db, row.permission, [request.askedBy, request.about])) === 0;
  return {
    id: row.id,
    action: row.action,
    consequence: row.consequence,
    person: row.personId && { id: row.personId, displayName: row.person?.displayName ?? null },
    askedBy: { id: row.askedBy, displayName: row.asker?.displayName ?? null },
    state,
    askedAt: row.askedAt.toISOString(),
    expiresAt: row.expiresAt.toISOString(),
    ripeAt: alone ? new Date(request.askedAt + countersign.waitMinutes * 60_000).toISOString() : null,
    decidedBy: row.decidedBy && { id: row.decidedBy, displayName: row.decider?.displayName ?? null },
    decidedAt: row.decidedAt?.toISOString() ?? null,
    reason: row.reason,
    mine: request.askedBy === actor.personId,
    maySign: whyNoSignature(request, { id: actor.personId, may: mayDo(actor, row) }, now) === undefined,
  };
}

/** A request that this operator may see: their own, or one for something that they may do or oversee. */
async function readRequest(db: Db, actor: OperatorActor, id: Id): Promise<SignatureRequest> {
  const row = await signatureRequests(db).findByPk(id, { include: NAMES, rejectOnEmpty: notFound(), ...within(db) });
  if (!(row.askedBy === actor.personId || mayDo(actor, row) || actor.rights.has('role.read'))) throw notFound();
  return row;
}

/** What somebody is counted of at most: more than anybody signs in a day. */
const MOST_COUNTED = 100;

/** How many requests wait for this operator’s own yes or no; a hundred at most. */
export async function countToSign(deps: Deps, actor: OperatorActor): Promise<number> {
  const permissions = [...actor.rights].flatMap(([permission, reach]) => (reach === 'everybody' ? [permission] : []));
  const now = deps.now();
  const rows = await signatureRequests(deps).findAll({
    where: { permission: permissions, state: 'open', expiresAt: { [Op.gt]: now } },
    order: [['id', 'DESC']],
    limit: MOST_COUNTED,
    ...within(deps),
  });
  const mine = { id: actor.personId, may: true };
  return rows.filter((row) => whyNoSignature(requestOf(row), mine, now.getTime()) === undefined).length;
}

export const listSignatures: Handler<'signatures.list'> = async (deps, { actor, query }) => {
  const after = decodeCursor(query.cursor, ['id']);
  const permissions = [...actor.rights].flatMap(([permission, reach]) => (reach === 'everybody' ? [permission] : []));
  const sees = actor.rights.get('role.read') === 'everybody';
  const rows = await signatureRequests(deps).findAll({
    where: {
      ...(sees ? {} : { [Op.or]: [{ askedBy: actor.personId }, { permission: permissions }] }),
      ...(query.waiting ? { state: ['open', 'given'], expiresAt: { [Op.gt]: deps.now() } } : {}),
      ...(after ? { id: { [Op.lt]: after[0] } } : {}),
    },
    include: NAMES,
    order: [['id', 'DESC']],
    limit: query.limit + 1,
    ...within(deps),
  });
  const page = pageOf(rows, query.limit, (row) => [row.id]);
  const all: Shown[] = [];
  for (const row of page.rows) all.push(await shown(deps, deps, actor, row));
  return { answer: { rows: all, next: page.next } };
};

export const showSignature: Handler<'signatures.show'> = async (deps, { actor, params }) => {
  const row = await readRequest(deps, actor, params.id);
  const { message = null, names = [], difference = [] } = row.matter ?? {};
  const signature = await shown(deps, deps, actor, row);
  const listed = names.length;
  // Where nobody is named, the consequence itself says how many it concerns. Beyond a bound, names are not kept.
  const people = listed === 0 ? 0 : Number(signature.consequence.facts['people'] ?? 0);
  const unnamed = Math.max(0, people - listed);
  const matter = { message, names: names.slice(0, LIMITS.peopleNamed), listed, unnamed, difference };
  return { answer: { ...signature, matter } };
};

export const listSigned: Handler<'signatures.people'> = async (deps, { actor, params, query }) => {
  const [from = 0] = decodeCursor(query.cursor, ['number']) ?? [];
  const { matter } = await readRequest(deps, actor, params.id);
  const rows = (matter?.names ?? []).map((one, at) => ({ one, at })).slice(from, from + query.limit + 1);
  const page = pageOf(rows, query.limit, ({ at }) => [at + 1]);
  return { answer: { rows: page.rows.map(({ one }) => one), next: page.next } };
};

/** Decides an open request. */
async function decide(
  deps: Deps,
  work: Work,
  call: { readonly actor: OperatorActor; readonly origin: string },
  id: Id,
  state: Extract<SignatureState, 'given' | 'refused' | 'withdrawn'>,
  reason: string | null,
): Promise<Shown> {
  const { actor } = call;
  const { transaction } = work;
  // Two who decide at once come one after the other.
  await signatureRequests(work).findByPk(id, { lock: transaction.LOCK.UPDATE, transaction });
  const row = await readRequest(work, actor, id);
  const request = requestOf(row);
  const now = work.now.getTime();
  const stands = signatureState(request, now);
  if (state === 'withdrawn') {
    if (request.askedBy !== actor.personId) throw new Refusal('not-yours-to-sign');
    if (stands !== 'open' && stands !== 'given') throw new Refusal('wrong-state', { state: stands });
  } else {
    const why = whyNoSignature(request, { id: actor.personId, may: mayDo(actor, row) }, now);
    if (why) throw new Refusal(why, { state: stands });
  }
  await signatureRequests(work).update(
    { state, reason, decidedBy: actor.personId, decidedAt: work.now },
    { where: { id }, transaction },
  );
  await work.trail(
    entryOf(
      call,
      `countersignature.${state}`,
      { kind: 'countersignature', id },
      { person: request.about, reason, details: { action: row.action } },
    ),
  );
  return await shown(deps, work, actor, await readRequest(work, actor, id));
}

export const giveSignature: Handler<'signatures.give'> = async (deps, call) =>
  await call.run(async (work) => ({ answer: await decide(deps, work, call, call.params.id, 'given', null) }));

export const refuseSignature: Handler<'signatures.refuse'> = async (deps, call) =>
  await call.run(async (work) => ({
    answer: await decide(deps, work, call, call.params.id, 'refused', call.body.reason),
  }));

export const withdrawSignature: Handler<'signatures.withdraw'> = async (deps, call) =>
  await call.run(async (work) => ({ answer: await decide(deps, work, call, call.params.id, 'withdrawn', null) }));
