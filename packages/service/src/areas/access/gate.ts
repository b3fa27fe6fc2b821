import { createHash } from 'node:crypto';
import type { Access } from '@nimble-latch/api';
import { narrowed, rightsOf, whyNot, type WhyNot } from '@nimble-latch/core/access';
import type { Claim, Scope } from '@nimble-latch/core/vocabulary';
import type { FastifyRequest } from 'fastify';
import { concernedBy } from './concerned.js';
import { LRUCache } from 'lru-cache';
import { Op } from 'sequelize';
import { accessTokens } from './access-token.model.js';
import { grantsOf } from './grants.js';
import { sessions } from './session.model.js';
import { within } from '../../platform/db/models.js';
import { selectOne, write } from '../../platform/db/sql.js';
import type { Deps } from '../../platform/deps.js';
import { PermissionRefusal, Refusal } from '../../platform/errors.js';
import { assertSameOrigin, SESSION_COOKIE, type Gatekeeper } from '../../platform/http/gatekeeper.js';
import { idBytes, idText } from '../../platform/ids.js';
import { persons, type Person } from '../people/person.model.js';
import { tokenId, verifyToken } from '../../platform/secrets/tokens.js';
import type { Actor, ApplicationActor, OperatorActor } from '../../platform/http/actors.js';

const SESSION_IDLE_MINUTES = 30;
/** How old a proof may be before an action that needs a fresh one. */
const FRESH_MS = 10 * 60_000;
/**
 * How long a verified application key is believed without asking again, by calls that begin or go on with a sign-in. A revoked one can
 * begin sign-ins for so long that nobody can finish: whatever they write holds only while the key does.
 */
const KEY_AGE_MS = 3_000;
const REMEMBERED_KEYS = 1_000;

/** The one place where it is decided who calls and whether they may. Throws a Refusal. */
export class Gate implements Gatekeeper {
  readonly #deps: Deps;
  readonly #applications = new LRUCache<string, ApplicationActor>({ max: REMEMBERED_KEYS, ttl: KEY_AGE_MS });

  constructor(deps: Deps) {
    this.#deps = deps;
  }

  /** Who calls. Throws a Refusal where that cannot be told, or where they are nobody who could make this kind of call. */
  async identify(request: FastifyRequest, access: Access, changes: boolean): Promise<Actor> {
    switch (access.kind) {
      case 'public':
        return { kind: 'anybody' };
      case 'application': {
        // What only looks is asked for anew each time; what decides holds only while its key does (register.ts).
        const actor = await this.#application(bearer(request), changes);
        if (!actor.scopes.includes(access.scope)) throw new Refusal('scope-missing', { scope: access.scope });
        return actor;
      }
      case 'self':
      case 'operator':
        return await this.#operator(request, changes);
    }
  }

  /**
   * Asserts that an operator may do this to whom it is about. Throws a {@link PermissionRefusal}.
   *
   * @param params the parameters of the path, parsed; undefined where they name nothing that could exist
   */
  async assertMay(
    actor: OperatorActor,
    { permission, about }: Extract<Access, { kind: 'operator' }>,
    params: unknown,
    changes: boolean,
  ): Promise<void> {
    const refuse = (why: WhyNot | undefined) => {
      if (why) throw new PermissionRefusal(actor, permission, why);
    };
    if (typeof about === 'string') return refuse(whyNot(actor.rights, permission, about, changes));
    refuse(whyNot(actor.rights, permission, 'within', changes));
    // Owners may do what they may to everybody.
    if (actor.rights.get(permission) === 'everybody' && actor.rights.has('role.write')) return;
    // Whoever can't be placed is out of reach for a right with a limit; without one, the use case finds that nobody is there.
    const named = params as Readonly<Record<string, unknown>> | undefined;
    const concerned = named && (await concernedBy(this.#deps, about, named));
    refuse(whyNot(actor.rights, permission, concerned ?? 'everybody', changes));
  }

  /** Asserts that the caller has proved themselves lately, where they sit at a console: one left open is no proof. */
  assertFresh(actor: Actor): void {
    // An access token is an explicit grant with an end of its own.
    if (actor.kind !== 'person' || actor.by !== 'console') return;
    if (this.#deps.now().getTime() - actor.provedAt.getTime() > FRESH_MS) throw new Refusal('proof-needed');
  }

  /** The session behind a cookie, or undefined. */
  async session(token: string | undefined): Promise<OperatorActor | undefined> {
    const id = token === undefined ? undefined : tokenId('session', token);
    if (!id || token === undefined) return undefined;
    const now = this.#deps.now().getTime();
    const session = await sessions(this.#deps).findOne({
      where: {
        id,
        expiresAt: { [Op.gt]: new Date(now) },
        seenAt: { [Op.gt]: new Date(now - SESSION_IDLE_MINUTES * 60_000) },
      },
      include: [this.#activePerson()],
      ...within(this.#deps),
    });
    if (!session || !(await verifyToken(this.#deps, 'session', id, token, session))) return undefined;
    const { byLink, provedAt, expiresAt } = session;
    // Once a minute is enough for the idle end, and spares a write for each call.
    if (now - session.seenAt.getTime() > 60_000)
      await sessions(this.#deps).update({ seenAt: new Date(now) }, { where: { id }, ...within(this.#deps) });
    return await this.#describe(session.person!, {
      by: 'console',
      credentialId: id,
      csrf: csrfOf(token),
      narrowedTo: null,
      byLink,
      provedAt,
      expiresAt,
    });
  }

  /** Whose session or token it is, with the name that they are called by; nobody who was deactivated. */
  #activePerson() {
    return {
      model: persons(this.#deps),
      as: 'person',
      // Nothing of their contact data, which every call would read along.
      attributes: ['id', 'displayName', 'timeZone', 'language'],
      where: { state: 'active' },
      include: [{ association: 'loginNames', separate: true, order: ['id'], limit: 1 }],
    };
  }

  async #operator(request: FastifyRequest, changes: boolean): Promise<OperatorActor> {
    const token = bearer(request);
    if (token !== undefined) return await this.#accessToken(token);
    const cookie = request.cookies[SESSION_COOKIE];
    if (cookie === undefined) throw new Refusal('not-signed-in');
    const actor = await this.session(cookie);
    if (!actor) throw new Refusal('not-signed-in');
    if (changes) {
      assertSameOrigin(this.#deps, request);
      if (request.headers['x-nlatch-csrf'] !== actor.csrf) throw new Refusal('cross-site');
    }
    return actor;
  }

  async #accessToken(token: string): Promise<OperatorActor> {
    const id = tokenId('access', token);
    if (!id) throw new Refusal('not-signed-in');
    const now = this.#deps.now();
    const found = await accessTokens(this.#deps).findOne({
      where: { id, expiresAt: { [Op.gt]: now } },
      include: [this.#activePerson()],
      ...within(this.#deps),
    });
    if (!found || !(await verifyToken(this.#deps, 'access', id, token, found))) throw new Refusal('not-signed-in');
    const { createdAt, expiresAt, lastUsedAt, permissions } = found;
    if (!lastUsedAt || now.getTime() - lastUsedAt.getTime() > 60_000)
      await accessTokens(this.#deps).update({ lastUsedAt: now }, { where: { id }, ...within(this.#deps) });
    return await this.#describe(found.person!, {
      by: 'access-token',
      credentialId: id,
      csrf: null,
      narrowedTo: permissions,
      byLink: false,
      provedAt: createdAt,
      expiresAt,
    });
  }

  async #describe(
    { id, displayName, loginNames, timeZone, language }: Person,
    how: Pick<OperatorActor, 'by' | 'credentialId' | 'csrf' | 'narrowedTo' | 'byLink' | 'provedAt' | 'expiresAt'>,
  ): Promise<OperatorActor> {
    const grants = await grantsOf(this.#deps, id);
    // Somebody whose last role was taken away is nobody here any more.
    if (grants.length === 0) throw new Refusal('not-signed-in');
    return {
      kind: 'person',
      personId: id,
      displayName,
      loginName: loginNames![0]?.value ?? '',
      timeZone,
      language,
      grants,
      rights: narrowed(rightsOf(grants), how.narrowedTo),
      ...how,
    };
  }

  async #application(token: string | undefined, believes: boolean): Promise<ApplicationActor> {
    if (token === undefined) throw new Refusal('wrong-key');
    const known = believes ? this.#applications.get(token) : undefined;
    if (known) return known;
    this.#applications.delete(token);
    const id = tokenId('connection', token);
    if (!id) throw new Refusal('wrong-key');
    const db = { sequelize: this.#deps.sequelize };
    const row = await selectOne<{
      hash: Buffer;
      hash_key_id: Buffer;
      connection_id: Buffer;
      application_id: Buffer;
      scopes: string;
      claims: string;
      last_used_at: Date | null;
    }>(
      db,
      `SELECT k.hash, k.hash_key_id, k.connection_id, k.last_used_at, c.application_id, c.scopes, c.claims FROM connection_keys k
       JOIN connections c ON c.id = k.connection_id WHERE k.id = :id AND (k.expires_at IS NULL OR k.expires_at > :now)`,
      { id: idBytes(id), now: this.#deps.now() },
    );
    if (!row || !(await verifyToken(this.#deps, 'connection', id, token, row))) throw new Refusal('wrong-key');
    if (!row.last_used_at || this.#deps.now().getTime() - row.last_used_at.getTime() > 60_000)
      await write(db, 'UPDATE connection_keys SET last_used_at = :now WHERE id = :id', {
        id: idBytes(id),
        now: this.#deps.now(),
      });
    const actor: ApplicationActor = {
      kind: 'application',
      applicationId: idText(row.application_id),
      connectionId: idText(row.connection_id),
      keyId: id,
      scopes: row.scopes.split(' ').filter(Boolean) as Scope[],
      claims: row.claims.split(' ').filter(Boolean) as Claim[],
    };
    this.#applications.set(token, actor);
    return actor;
  }
}

/** A value that only a page which read it from `session.show` can send; says nothing of the cookie that it is made from. */
function csrfOf(token: string): string {
  return createHash('sha256').update(`csrf ${token}`).digest('base64url');
}

function bearer(request: FastifyRequest): string | undefined {
  const header = request.headers.authorization;
  if (header === undefined) return undefined;
  return /^Bearer ([\w-]{1,200})$/i.exec(header)?.[1] ?? '';
}
