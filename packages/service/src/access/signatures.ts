import type { Answer } from '@nimble-latch/api';
import { signatureState, whyNoSignature } from '@nimble-latch/core/access';
import type { SignatureState, Id } from '@nimble-latch/core/vocabulary';
import { decodeCursor, pageOf } from '../db/cursor.js';
import { select, selectOne, updateById, type Db } from '../db/sql.js';
import type { Work } from '../db/unit-of-work.js';
import type { Deps } from '../deps.js';
import { notFound, Refusal } from '../errors.js';
import { entryOf, type OperatorActor } from '../http/actors.js';
import type { Handler } from '../http/call.js';
import { key, text } from '../ids.js';
import { othersWhoCould, requestOf, type Consequence, type Matter, type SignatureRow } from './countersign.js';

type Shown = Answer<'signatures.list'>['rows'][number];
type Row = SignatureRow & { person_name: string | null; asker_name: string | null; decider_name: string | null };

const SELECTED = `SELECT s.*, p.display_name AS person_name, a.display_name AS asker_name, d.display_name AS decider_name
  FROM signature_requests s LEFT JOIN persons p ON p.id = s.person_id LEFT JOIN persons a ON a.id = s.asked_by
  LEFT JOIN persons d ON d.id = s.decided_by`;

const mayDo = (actor: OperatorActor, row: SignatureRow) => actor.rights.get(row.permission) === 'everybody';

async function shown(deps: Deps, db: Db, actor: OperatorActor, row: Row): Promise<Shown> {
  const now = deps.now().getTime();
  const request = requestOf(row);
  const state = signatureState(request, now);
  const { countersign } = (await deps.settings.current()).settings;
  const alone = state === 'open' && (await othersWhoCould(db, row.permission, [request.askedBy, request.about])) === 0;
  return {
    id: text(row.id),
    action: row.action,
    consequence: JSON.parse(row.consequence) as Consequence,
    person: row.person_id && { id: text(row.person_id), displayName: row.person_name },
    askedBy: { id: request.askedBy, displayName: row.asker_name },
    state,
    askedAt: row.asked_at.toISOString(),
    expiresAt: row.expires_at.toISOString(),
    ripeAt: alone ? new Date(request.askedAt + countersign.waitMinutes * 60_000).toISOString() : null,
    decidedBy: row.decided_by && { id: text(row.decided_by), displayName: row.decider_name },
    decidedAt: row.decided_at?.toISOString() ?? null,
    reason: row.reason,
    mine: request.askedBy === actor.personId,
    maySign: whyNoSignature(request, { id: actor.personId, may: mayDo(actor, row) }, now) === undefined,
  };
}

/** A request that this operator may see: their own, or one for something that they may do or oversee. */
async function readRequest(db: Db, actor: OperatorActor, id: Id, lock = ''): Promise<Row> {
  const row = await selectOne<Row>(db, `${SELECTED} WHERE s.id = :id ${lock}`, { id: key(id) });
  if (!row || !(text(row.asked_by) === actor.personId || mayDo(actor, row) || actor.rights.has('role.read')))
    throw notFound();
  return row;
}

export const listSignatures: Handler<'signatures.list'> = async (deps, { actor, query }) => {
  const after = decodeCursor(query.cursor, ['id']);
  const permissions = [...actor.rights].flatMap(([permission, reach]) => (reach === 'everybody' ? [permission] : []));
  const where = [
    actor.rights.get('role.read') === 'everybody' ? '1 = 1' : '(s.asked_by = :self OR s.permission IN (:permissions))',
  ];
  if (query.waiting) where.push("s.state IN ('open', 'given') AND s.expires_at > :now");
  if (after) where.push('s.id < :after');
  const rows = await select<Row>(deps, `${SELECTED} WHERE ${where.join(' AND ')} ORDER BY s.id DESC LIMIT :limit`, {
    self: key(actor.personId),
    permissions: permissions.length > 0 ? permissions : [''],
    now: deps.now(),
    after: after ? key(after[0]) : null,
    limit: query.limit + 1,
  });
  const page = pageOf(rows, query.limit, (row) => [text(row.id)]);
  const all: Shown[] = [];
  for (const row of page.rows) all.push(await shown(deps, deps, actor, row));
  return { answer: { rows: all, next: page.next } };
};

export const showSignature: Handler<'signatures.show'> = async (deps, { actor, params }) => {
  const row = await readRequest(deps, actor, params.id);
  const { message = null, names = [], difference = [] } = row.matter === null ? {} : (JSON.parse(row.matter) as Matter);
  const signature = await shown(deps, deps, actor, row);
  const unnamed = Math.max(0, Number(signature.consequence.facts['people'] ?? 0) - names.length);
  return { answer: { ...signature, matter: { message, names, unnamed, difference } } };
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
  const row = await readRequest(work, actor, id, 'FOR UPDATE');
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
  await updateById(work, 'signature_requests', row.id, {
    state,
    reason,
    decidedBy: key(actor.personId),
    decidedAt: work.now,
  });
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
