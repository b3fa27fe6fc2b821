import { LIMITS, type Answer } from '@nimble-latch/api';
import { mayGoOn, ROLE_PERMISSIONS, type SignatureRequest } from '@nimble-latch/core/access';
import { canonicalJson, type Json } from '@nimble-latch/core/crypto';
import {
  ROLES,
  type ConsequenceId,
  type Permission,
  type SignatureState,
  type SignedAction,
  type Id,
} from '@nimble-latch/core/vocabulary';
import { insert, select, selectOne, updateById, write, type Db } from '../db/sql.js';
import { inTransaction, type Work } from '../db/unit-of-work.js';
import { noticeOfRequest } from '../delivery/notices.js';
import type { Deps } from '../deps.js';
import { Refusal } from '../errors.js';
import { entryOf, type OperatorActor } from '../http/actors.js';
import { readSettings } from '../insight/settings-cache.js';
import { key, keyOrNull, newId, text, textOrNull } from '../ids.js';
import { readConcerned } from './concerned.js';

/** What an action would bring about, in names and numbers: the sentence that whoever signs reads first. */
export interface Consequence {
  readonly what: ConsequenceId;
  readonly facts: Readonly<Record<string, string | number>>;
}

/** What whoever signs looks at beside the sentence. */
export type Matter = Partial<Omit<Answer<'signatures.show'>['matter'], 'unnamed'>>;

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

/** The part of a call that a request for a signature needs. */
export interface AskingCall {
  readonly actor: OperatorActor;
  readonly origin: string;
}

/** A use case needs a countersignature that it does not have: nothing of it may stand, and the request is made. */
export class SignatureNeeded extends Error {
  constructor(
    readonly call: AskingCall,
    readonly asked: Asked,
  ) {
    super('signature-needed');
  }
}

export interface SignatureRow {
  id: Buffer;
  action: SignedAction;
  permission: Permission;
  consequence: string;
  matter: string | null;
  person_id: Buffer | null;
  asked_by: Buffer;
  state: SignatureState;
  asked_at: Date;
  expires_at: Date;
  decided_by: Buffer | null;
  decided_at: Date | null;
  reason: string | null;
}

export const requestOf = (row: SignatureRow): SignatureRequest => ({
  state: row.state,
  askedBy: text(row.asked_by),
  about: textOrNull(row.person_id),
  askedAt: row.asked_at.getTime(),
  expiresAt: row.expires_at.getTime(),
});

/** Two requests are for the same if they are bound to the same, and whoever signs reads the same of it. */
const identity = (call: AskingCall, { consequence, matter = {}, ...asked }: Asked): string =>
  canonicalJson([boundTo(call, asked), consequence as unknown as Json, matter as unknown as Json]);

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
  if (!countersign.actions.includes(asked.action)) return;
  const row = await openRequest(deps, work, call, asked, 'FOR UPDATE');
  const others = row ? await othersWhoCould(work, asked.permission, [call.actor.personId, asked.person]) : 0;
  if (!row || !mayGoOn(requestOf(row), others, countersign.waitMinutes * 60_000, work.now.getTime()))
    throw new SignatureNeeded(call, asked);
  await updateById(work, 'signature_requests', row.id, { state: 'done' });
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
  const concerned = await readConcerned(work, key(person));
  if (!concerned?.administrator && !concerned?.emergency) return;
  const row = await selectOne<{ name: string }>(work, 'SELECT display_name AS name FROM persons WHERE id = :id', {
    id: key(person),
  });
  await countersigned(deps, work, call, {
    action: 'administrator-factor',
    permission: 'role.write',
    person,
    bound,
    consequence: consequence(row?.name ?? ''),
  });
}

/** Closes what was asked for on a ground that has moved: nobody saw what it would do now. To be called where another version comes. */
export async function closeOvertaken(work: Work, ground: Ground): Promise<void> {
  await write(
    work,
    "UPDATE signature_requests SET state = 'overtaken', decided_at = :now WHERE ground = :ground AND state IN ('open', 'given')",
    { ground, now: work.now },
  );
}

/** The last request for exactly this that is still of use. */
async function openRequest(
  deps: Deps,
  db: Db,
  call: AskingCall,
  asked: Asked,
  lock = '',
): Promise<SignatureRow | undefined> {
  return await selectOne<SignatureRow>(
    db,
    `SELECT * FROM signature_requests WHERE asked_by = :asker AND asked_index IN (:indexes) AND state IN ('open', 'given') AND expires_at > :now
     ORDER BY id DESC LIMIT 1 ${lock}`,
    {
      asker: key(call.actor.personId),
      indexes: deps.keys.current.blindIndexes('signature', identity(call, asked)),
      now: deps.now(),
    },
  );
}

/** How many active people could sign beside these. */
export async function othersWhoCould(db: Db, permission: Permission, besides: readonly (Id | null)[]): Promise<number> {
  const row = await selectOne<{ n: number }>(
    db,
    `SELECT COUNT(DISTINCT g.person_id) AS n FROM role_grants g JOIN persons p ON p.id = g.person_id
     WHERE p.state = 'active' AND g.limited = 0 AND g.role IN (:roles) AND p.id NOT IN (:besides)`,
    {
      roles: ROLES.filter((role) => ROLE_PERMISSIONS[role].includes(permission)),
      besides: besides.flatMap((id) => (id === null ? [] : [key(id)])),
    },
  );
  return Number(row?.n ?? 0);
}

/** Makes the request, or finds the one that waits already; answers what its caller is told. */
export async function askForSignature(deps: Deps, { call, asked }: SignatureNeeded): Promise<Refusal> {
  return await inTransaction(deps, async (work) => {
    const { countersign } = (await readSettings(work)).settings;
    const told = (id: Id, askedAt: Date, expiresAt: Date) =>
      new Refusal('signature-needed', {
        request: id,
        until: expiresAt.toISOString(),
        ripe: new Date(askedAt.getTime() + countersign.waitMinutes * 60_000).toISOString(),
      });
    const waiting = await openRequest(deps, work, call, asked);
    if (waiting) return told(text(waiting.id), waiting.asked_at, waiting.expires_at);
    // Of the same things, as they were then: nobody has to wonder which of the two counts.
    await write(
      work,
      "UPDATE signature_requests SET state = 'overtaken', decided_at = :now WHERE asked_by = :asker AND bound_index IN (:bound) AND state IN ('open', 'given')",
      {
        asker: key(call.actor.personId),
        bound: deps.keys.current.blindIndexes('signature', boundTo(call, asked)),
        now: work.now,
      },
    );
    const open = await select(
      work,
      "SELECT id FROM signature_requests WHERE asked_by = :asker AND state = 'open' AND expires_at > :now LIMIT :most",
      { asker: key(call.actor.personId), now: work.now, most: LIMITS.openSignatures },
    );
    if (open.length >= LIMITS.openSignatures) return new Refusal('limit-reached', { limit: LIMITS.openSignatures });
    const id = newId(deps);
    // A lone administrator must still be able to go on after having waited.
    const keptMs = Math.max(countersign.keepHours * 60, countersign.waitMinutes * 2) * 60_000;
    const expiresAt = new Date(work.now.getTime() + keptMs);
    await insert(work, 'signature_requests', {
      id: key(id),
      action: asked.action,
      permission: asked.permission,
      askedIndex: deps.keys.current.blindIndex('signature', identity(call, asked)),
      boundIndex: deps.keys.current.blindIndex('signature', boundTo(call, asked)),
      consequence: JSON.stringify(asked.consequence),
      matter: asked.matter === undefined ? null : JSON.stringify(asked.matter),
      ground: asked.ground ?? null,
      personId: keyOrNull(asked.person),
      askedBy: key(call.actor.personId),
      askedFrom: call.origin,
      state: 'open',
      askedAt: work.now,
      expiresAt,
    });
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
