import { LIMITS, type Answer } from '@nimble-latch/api';
import { hostOf, isName, isWithin, MOST_RELATED_LABELS, originProblem } from '@nimble-latch/core/relying-party';
import { closeOvertaken, countersigned } from '../access/countersign.js';
import { requestJob } from '../../platform/jobs/jobs.js';
import type { Id } from '@nimble-latch/core/vocabulary';
import { Op } from 'sequelize';
import { applicationOrigins } from '../applications/application-origin.model.js';
import { applications } from '../applications/application.model.js';
import { NEXT_VERSION, within } from '../../platform/db/models.js';
import { select, selectOne, write, type Db } from '../../platform/db/sql.js';
import type { Work } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { badField, Refusal } from '../../platform/errors.js';
import { entryOf, type Actor } from '../../platform/http/actors.js';
import type { AreaHandlers, Handler } from '../../platform/http/call.js';
import { idText } from '../../platform/ids.js';
import { readParty, relatedOf, type Party } from './cache.js';
import { relyingParties } from './relying-party.model.js';

/** Keys that count, or would if nobody had suspended them. */
const HELD = "a.state IN ('active', 'suspended')";

/** Where browsers look for the related origins document of a relying party, WebAuthn Level 3 §5.11. */
const documentOf = (rpId: string): string => `https://${rpId}/.well-known/webauthn`;

async function describe(deps: Deps, db: Db): Promise<Answer<'relyingParty.show'>> {
  const { partyChoices, relatedLabels } = await suffixes();
  const party = await readParty(db, deps.config.publicUrl);
  const { hostname, origin } = deps.config.publicUrl;
  const keys = await select<{ here: number; n: number }>(
    db,
    `SELECT c.rp_id = :id AS here, COUNT(*) AS n FROM webauthn_credentials c JOIN authenticators a ON a.id = c.authenticator_id
     WHERE ${HELD} OR (a.state = 'parked' AND c.parked > 0) GROUP BY here`,
    { id: party.id },
  );
  const named = await applications(db).findAll({ where: { id: [...party.origins.keys()] }, ...within(db) });
  const names = new Map<string, string>(named.map(({ id, name }) => [id, name]));
  const related = relatedOf(party);
  const counted = (here: number) => Number(keys.find((one) => Number(one.here) === here)?.n ?? 0);
  return {
    rpId: party.id,
    chosen: party.chosen,
    problem: party.problem ?? null,
    host: hostname,
    origin,
    choices: partyChoices(hostname).map((rpId) => ({ rpId, wider: rpId !== hostname })),
    keys: counted(1),
    keysElsewhere: counted(0),
    appId: party.appId,
    origins: [...party.origins].flatMap(([id, all]) =>
      all.map((one) => ({ origin: one, application: names.get(id) ?? '', related: related.includes(one) })),
    ),
    relatedLabels: relatedLabels(related).length,
    relatedLabelsMost: MOST_RELATED_LABELS,
    document: documentOf(party.id),
    documentHere: party.id === hostname,
    version: party.version,
  };
}

/** What another relying party id would mean for the keys that people hold. */
async function consequences(db: Db, party: Party, rpId: string): Promise<Answer<'relyingParty.review'>> {
  const row = await selectOne<{ keys: number; people: number; without: number }>(
    db,
    `SELECT SUM(n) AS \`keys\`, COUNT(*) AS people, SUM(without) AS without FROM (
       SELECT a.person_id, COUNT(*) AS n,
         NOT EXISTS (SELECT 1 FROM authenticators o LEFT JOIN webauthn_credentials oc ON oc.authenticator_id = o.id
           WHERE o.person_id = a.person_id AND o.state = 'active' AND o.method <> 'password' AND (oc.rp_id IS NULL OR oc.rp_id = :rpId)) AS without
       FROM webauthn_credentials c JOIN authenticators a ON a.id = c.authenticator_id
       WHERE ${HELD} AND c.rp_id <> :rpId GROUP BY a.person_id) concerned`,
    { rpId },
  );
  const back = await selectOne<{ n: number }>(
    db,
    `SELECT COUNT(*) AS n FROM webauthn_credentials c JOIN authenticators a ON a.id = c.authenticator_id
     WHERE a.state = 'parked' AND c.parked > 0 AND c.rp_id = :rpId`,
    { rpId },
  );
  return {
    orphaned: Number(row?.keys ?? 0),
    people: Number(row?.people ?? 0),
    withoutAnother: Number(row?.without ?? 0),
    broughtBack: Number(back?.n ?? 0),
    wider: rpId !== hostOf(party.ownOrigin),
    outside: [...party.origins.values()].flat().filter((origin) => !isWithin(hostOf(origin), rpId)),
  };
}

/** Whose keys are for another domain than this, by name; the first of them. */
async function holdersElsewhere(db: Db, rpId: string) {
  const rows = await select<{ id: Buffer; name: string }>(
    db,
    `SELECT p.id, p.display_name AS name FROM persons p WHERE EXISTS (SELECT 1 FROM webauthn_credentials c JOIN authenticators a ON a.id = c.authenticator_id
       WHERE a.person_id = p.id AND ${HELD} AND c.rp_id <> :rpId) ORDER BY p.name_key, p.id LIMIT :most`,
    { rpId, most: LIMITS.peopleSigned },
  );
  return rows.map(({ id, name }) => ({ id: idText(id), displayName: name, applications: [] }));
}

/** The list of public suffixes is loaded by whoever needs it. */
const suffixes = async () => await import('@nimble-latch/core/relying-party/suffixes');

async function assertPossible(deps: Deps, rpId: string, where: string): Promise<void> {
  const { hostname } = deps.config.publicUrl;
  if (rpId === hostname && isName(rpId)) return;
  const { partyProblem } = await suffixes();
  const problem = partyProblem(rpId, hostname);
  if (problem) throw badField(where, `party-${problem}`, { host: hostname });
}

/** Chooses what keys are made for on an installation that has none yet. Nothing happens where somebody has chosen. */
export async function chooseParty(
  deps: Deps,
  work: Work,
  by: { readonly actor: Actor; readonly origin: string },
  rpId: string,
  where: string,
): Promise<void> {
  await assertPossible(deps, rpId, where);
  const { transaction } = work;
  const [, chosen] = await relyingParties(work).findOrCreate({
    where: { id: 1 },
    defaults: { id: 1, rpId },
    transaction,
  });
  if (chosen)
    await work.trail(entryOf(by, 'relying-party.changed', { kind: 'setting', id: null }, { details: { now: rpId } }));
}

/**
 * Asserts that keys are still made for a domain, and that nobody changes it before the transaction ends: what this node read a moment
 * ago could be what another one has changed since.
 */
export async function assertPartyStill(work: Work, rpId: string): Promise<void> {
  const { transaction } = work;
  const row = await relyingParties(work).findByPk(1, { lock: transaction.LOCK.SHARE, transaction });
  if (row?.rpId !== rpId) throw new Refusal('wrong-state', { state: 'expired' });
}

const edit: Handler<'relyingParty.edit'> = async (deps, call) => {
  const { rpId, appId, orphaned } = call.body;
  const reply = await call.run(async (work) => {
    await assertPossible(deps, rpId, 'body.rpId');
    const { transaction } = work;
    const { hostname } = deps.config.publicUrl;
    // The first change makes the row.
    await relyingParties(work).findOrCreate({ where: { id: 1 }, defaults: { id: 1, rpId: hostname }, transaction });
    const before = await readParty(work, deps.config.publicUrl, transaction.LOCK.UPDATE);
    if (before.version !== call.ifMatch) throw new Refusal('changed-meanwhile');
    const meant = await consequences(work, before, rpId);
    if (rpId !== before.id && meant.orphaned !== orphaned)
      throw new Refusal('count-changed', { expected: orphaned, people: meant.orphaned });
    if (rpId !== before.id && meant.orphaned > 0)
      await countersigned(deps, work, call, {
        action: 'lock-out',
        permission: 'setting.write',
        person: null,
        consequence: { what: 'keys-orphaned', facts: { keys: meant.orphaned, people: meant.people, domain: rpId } },
        bound: { rpId, version: before.version },
        ground: 'relying-party',
        matter: { message: null, names: await holdersElsewhere(work, rpId), difference: [] },
      });
    if (rpId !== before.id) await closeOvertaken(work, 'relying-party');
    await relyingParties(work).update({ rpId, appId, version: NEXT_VERSION }, { where: { id: 1 }, transaction });
    await park(work, rpId);
    // Coverage and lists follow some people at a time.
    await requestJob(deps, work, 'refresh-keys', { singleton: 'refresh-keys' });
    const details = { before: before.id, now: rpId, parked: meant.orphaned, broughtBack: meant.broughtBack };
    await work.trail(
      entryOf(call, 'relying-party.changed', { kind: 'setting', id: null }, { details: { ...details, appId } }),
    );
    const answer = await describe(deps, work);
    return { answer, version: answer.version };
  });
  deps.party.forget();
  return reply;
};

/**
 * Keys for another domain answer no more: they are parked, and come back with their domain as they were. What a statement sets and what
 * it reads of the same row has no order over two tables, so each sets one.
 */
async function park(work: Work, rpId: string): Promise<void> {
  const joined = 'authenticators a JOIN webauthn_credentials c ON c.authenticator_id = a.id';
  const gone = `${HELD} AND c.rp_id <> :rpId`;
  await write(work, `UPDATE ${joined} SET c.parked = IF(a.state = 'active', 1, 2) WHERE ${gone}`, { rpId });
  await write(work, `UPDATE ${joined} SET a.state = 'parked' WHERE ${gone}`, { rpId });
  const back = "a.state = 'parked' AND c.parked > 0 AND c.rp_id = :rpId";
  await write(work, `UPDATE ${joined} SET a.state = IF(c.parked = 1, 'active', 'suspended') WHERE ${back}`, { rpId });
  await write(work, `UPDATE ${joined} SET c.parked = 0 WHERE ${HELD} AND c.parked > 0 AND c.rp_id = :rpId`, { rpId });
}

export const relyingPartyHandlers: AreaHandlers<'relyingParty.show' | 'relyingParty.review' | 'relyingParty.edit'> = {
  'relyingParty.show': async (deps) => {
    const answer = await describe(deps, deps);
    return { answer, version: answer.version };
  },
  'relyingParty.review': async (deps, { body }) => {
    await assertPossible(deps, body.rpId, 'body.rpId');
    return { answer: await consequences(deps, await readParty(deps, deps.config.publicUrl), body.rpId) };
  },
  'relyingParty.edit': edit,
};

/** Origins of an application anew. Throws where one is none, or another's. */
export async function replaceOrigins(
  deps: Deps,
  work: Work,
  applicationId: Id,
  origins: readonly string[],
): Promise<void> {
  const { transaction } = work;
  const { origin: own } = deps.config.publicUrl;
  const taken = await applicationOrigins(work).findAll({
    where: { applicationId: { [Op.ne]: applicationId }, origin: [...origins] },
    lock: transaction.LOCK.UPDATE,
    transaction,
  });
  for (const [i, origin] of origins.entries()) {
    const where = `body.origins[${i}]`;
    const problem = originProblem(origin);
    if (problem) throw badField(where, problem);
    if (origin === own) throw badField(where, 'origin-own');
    if (origins.indexOf(origin) !== i) throw badField(where, 'twice');
    if (taken.some((one) => one.origin === origin)) throw badField(where, 'origin-taken');
  }
  await applicationOrigins(work).destroy({ where: { applicationId }, transaction });
  await applicationOrigins(work).bulkCreate(
    origins.map((origin) => ({ origin, applicationId })),
    { transaction },
  );
}
