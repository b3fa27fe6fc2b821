import { LIMITS, type Answer } from '@nimble-latch/api';
import { mayGoOn, ROLE_PERMISSIONS, type SignatureRequest } from '@nimble-latch/core/access';
import { canonicalJson, type Json } from '@nimble-latch/core/crypto';
import {
  ALWAYS_SIGNED,
  ROLES,
  type ConsequenceId,
  type Id,
  type Permission,
  type SignedAction,
} from '@nimble-latch/core/vocabulary';
import { Op, type LOCK } from 'sequelize';
import { within } from '../../platform/db/models.js';
import type { Db } from '../../platform/db/sql.js';
import { inTransaction, type Work } from '../../platform/db/unit-of-work.js';
import { noticeOfRequest } from '../notices/notices.js';
import type { Deps } from '../../platform/deps.js';
import { AsksFirst, Refusal } from '../../platform/errors.js';
import { entryOf, type OperatorActor } from '../../platform/http/actors.js';
import { readSettings } from '../insight/settings-cache.js';
import { idBytes, newId } from '../../platform/ids.js';
import { lockPerson } from '../people/lock-person.js';
import { persons } from '../people/person.model.js';
import { readConcerned } from './concerned.js';
import { roleGrants } from './role-grant.model.js';
import { signatureRequests, type SignatureRequest as SignatureRecord } from './signature-request.model.js';

/** What an action would bring about, in names and numbers: the sentence that whoever signs reads first. */
export interface Consequence {
  readonly what: ConsequenceId;
  readonly facts: Readonly<Record<string, string | number>>;
}

/** What whoever signs looks at beside the sentence. */
export type Matter = Partial<Omit<Answer<'signatures.show'>['matter'], 'listed' | 'unnamed'>>;

/** Of what one version is in force: a request that was made against it is closed when another comes. */
export type Ground = 'rulebook' | 'methods' | 'relying-party' | 'signing';

interface Asked {
  readonly action: SignedAction;
  /** Who holds it without a limit could sign. */
  readonly permission: Permission;
  /** Whom it is about. */
  readonly person: Id | null;
  readonly consequence: Consequence;
  /**
   * The very things and the whole of what is to be done with them: ids, versions, texts, settings. Names are for reading; a name can
   * be given to something else, and one name can look like two.
   */
  readonly bound: Json;
  readonly ground?: Ground;
  readonly matter?: Matter;
}

/** States in which a request is still of use. */
const WAITING = ['open', 'given'] as const;

/** The part of a call that a request for a signature needs. */
export interface AskingCall {
  readonly actor: OperatorActor;
  readonly origin: string;
}

/** A use case needs a countersignature that it does not have: nothing of it may stand, and the request is made. */
export class SignatureNeeded extends AsksFirst {
  constructor(
    readonly call: AskingCall,
    readonly asked: Asked,
  ) {
    super('signature-needed');
  }

  async ask(deps: Deps): Promise<Refusal> {
    return await askForSignature(deps, this);
  }
}

export const requestOf = ({ state, askedBy, personId, askedAt, expiresAt }: SignatureRecord): SignatureRequest => ({
  state,
  askedBy,
  about: personId,
  askedAt: askedAt.getTime(),
  expiresAt: expiresAt.getTime(),
});

/** Two requests are for the same if they are bound to the same, and whoever signs reads the same of it. */
const identity = (call: AskingCall, { consequence, matter = {}, ...asked }: Asked): string =>
  canonicalJson([boundTo(call, asked), consequence as unknown as Json, matter]);

const boundTo = (
  { actor }: AskingCall,
  { action, person, bound }: Pick<Asked, 'action' | 'person' | 'bound'>,
): string => canonicalJson([actor.personId, action, person, bound]);

/**
 * Asserts that a second administrator has agreed to exactly this, and uses the countersignature up. Where the settings do
 * not ask for one, nothing happens. To be called once everything is known that the consequence tells, before any write.
 *
 * @throws SignatureNeeded where there is none; the caller of the use case is told, and asks again once it is given
 */
export async function countersigned(deps: Deps, work: Work, call: AskingCall, asked: Asked): Promise<void> {
  // What another node has just been told to ask for is asked for here.
  const { countersign } = (await readSettings(work)).settings;
  const wanted: readonly SignedAction[] = [...countersign.actions, ...ALWAYS_SIGNED];
  if (!wanted.includes(asked.action)) return;
  const row = await openRequest(deps, work, call, asked, work.transaction.LOCK.UPDATE);
  const others = row ? await othersWhoCould(work, asked.permission, [call.actor.personId, asked.person]) : 0;
  if (!row || !mayGoOn(requestOf(row), others, countersign.waitMinutes * 60_000, work.now.getTime()))
    throw new SignatureNeeded(call, asked);
  await signatureRequests(work).update({ state: 'done' }, { where: { id: row.id }, transaction: work.transaction });
}

/** The same for what is done to somebody else's keyring, where that is an administrator or an emergency account. */
export async function countersignedForKeyring(
  deps: Deps,
  work: Work,
  call: AskingCall,
  person: Id,
  bound: Json,
  consequence: (name: string) => Consequence,
): Promise<void> {
  if (person === call.actor.personId) return;
  const concerned = await readConcerned(work, idBytes(person));
  if (!concerned?.administrator && !concerned?.emergency) return;
  const named = await persons(work).findByPk(person, { attributes: ['displayName'], transaction: work.transaction });
  await countersigned(deps, work, call, {
    action: 'administrator-factor',
    permission: 'role.write',
    person,
    bound,
    consequence: consequence(named?.displayName ?? ''),
  });
}

/** Closes what was asked for on a ground that has moved: nobody saw what it would do now. To be called where another version comes. */
export async function closeOvertaken(work: Work, ground: Ground): Promise<void> {
  await signatureRequests(work).update(
    { state: 'overtaken', decidedAt: work.now },
    { where: { ground, state: [...WAITING] }, transaction: work.transaction },
  );
}

/** The last request for exactly this that is still of use. */
async function openRequest(
  deps: Deps,
  db: Db,
  call: AskingCall,
  asked: Asked,
  lock?: LOCK,
): Promise<SignatureRecord | null> {
  return await signatureRequests(db).findOne({
    where: {
      askedBy: call.actor.personId,
      askedIndex: deps.keys.current.blindIndexes('signature', identity(call, asked)),
      state: [...WAITING],
      expiresAt: { [Op.gt]: deps.now() },
    },
    order: [['id', 'DESC']],
    ...(lock ? { lock } : {}),
    ...within(db),
  });
}

/** How many active people could sign beside these. */
export async function othersWhoCould(db: Db, permission: Permission, besides: readonly (Id | null)[]): Promise<number> {
  return await roleGrants(db).count({
    distinct: true,
    col: 'person_id',
    where: {
      limited: false,
      role: ROLES.filter((role) => ROLE_PERMISSIONS[role].includes(permission)),
      personId: { [Op.notIn]: besides.filter((id) => id !== null) },
    },
    include: [{ model: persons(db), as: 'person', where: { state: 'active' } }],
    ...within(db),
  });
}

/** Makes the request, or finds the one that waits already; answers what its caller is told. */
async function askForSignature(deps: Deps, { call, asked }: SignatureNeeded): Promise<Refusal> {
  return await inTransaction(deps, async (work) => {
    // Asked twice at once, by one person at two nodes, it is one request.
    await lockPerson(work, call.actor.personId);
    const { countersign } = (await readSettings(work)).settings;
    const told = (id: Id, askedAt: Date, expiresAt: Date) =>
      new Refusal('signature-needed', {
        request: id,
        until: expiresAt.toISOString(),
        ripe: new Date(askedAt.getTime() + countersign.waitMinutes * 60_000).toISOString(),
      });
    const waiting = await openRequest(deps, work, call, asked);
    if (waiting) return told(waiting.id, waiting.askedAt, waiting.expiresAt);
    // Of the same things, as they were then: nobody has to wonder which of the two counts.
    const { transaction } = work;
    const askedBy = call.actor.personId;
    await signatureRequests(work).update(
      { state: 'overtaken', decidedAt: work.now },
      {
        where: {
          askedBy,
          boundIndex: deps.keys.current.blindIndexes('signature', boundTo(call, asked)),
          state: [...WAITING],
        },
        transaction,
      },
    );
    const open = await signatureRequests(work).count({
      where: { askedBy, state: 'open', expiresAt: { [Op.gt]: work.now } },
      transaction,
    });
    if (open >= LIMITS.openSignatures) return new Refusal('limit-reached', { limit: LIMITS.openSignatures });
    const id = newId(deps);
    // A lone administrator must still be able to go on after having waited.
    const keptMs = Math.max(countersign.keepHours * 60, countersign.waitMinutes * 2) * 60_000;
    const expiresAt = new Date(work.now.getTime() + keptMs);
    await signatureRequests(work).create(
      {
        id,
        action: asked.action,
        permission: asked.permission,
        askedIndex: deps.keys.current.blindIndex('signature', identity(call, asked)),
        boundIndex: deps.keys.current.blindIndex('signature', boundTo(call, asked)),
        consequence: asked.consequence,
        matter: asked.matter ?? null,
        ground: asked.ground ?? null,
        personId: asked.person,
        askedBy,
        askedFrom: call.origin,
        state: 'open',
        askedAt: work.now,
        expiresAt,
      },
      { transaction },
    );
    await work.trail(
      entryOf(
        call,
        'countersignature.asked',
        { kind: 'countersignature', id },
        { person: asked.person, details: { action: asked.action, what: asked.consequence.what } },
      ),
    );
    await noticeOfRequest(deps, work, call.actor.displayName, asked.consequence, expiresAt);
    return told(id, work.now, expiresAt);
  });
}
