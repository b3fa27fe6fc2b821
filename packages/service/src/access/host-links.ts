import type { Id } from '@nimble-latch/core/vocabulary';
import { insert, selectOne, write, type Db } from '../db/sql.js';
import { inTransaction, type Work } from '../db/unit-of-work.js';
import type { Deps } from '../deps.js';
import { Refusal } from '../errors.js';
import { entryOf } from '../http/actors.js';
import type { Handler } from '../http/call.js';
import { key, keyOrNull, newId, textOrNull } from '../ids.js';
import { setPassword } from '../keyring/set-password.js';
import { insertPerson } from '../people/add-person.js';
import { readLoginName } from '../people/login-names.js';
import { issueToken, tokenId, verifyToken } from '../secrets/tokens.js';
import { chooseParty } from '../relying-party/change.js';
import { catalogue } from '@nimble-latch/api';
import { startSession } from './sessions.js';

/** How long a link from the host is good for. */
export const LINK_MINUTES = 60;

export type LinkKind = 'set-up' | 'owner';

/**
 * Makes a one-time link. Whoever can run this on the host could read the database and its keys anyway: host access is
 * the root of trust. The secret stands in the fragment, which browsers do not send, and is used by POST only.
 */
export async function issueHostLink(deps: Deps, kind: LinkKind, personId: Id | null): Promise<string> {
  return await inTransaction(deps, async (work) => {
    const id = newId(deps);
    const { token, hash, hashKeyId } = issueToken(deps, 'link', id);
    await insert(work, 'host_links', {
      id: key(id),
      kind,
      personId: keyOrNull(personId),
      hash,
      hashKeyId,
      createdAt: work.now,
      expiresAt: new Date(work.now.getTime() + LINK_MINUTES * 60_000),
    });
    await work.trail({
      actor: { kind: 'host', id: null },
      action: 'owner-link.issued',
      target: { kind: 'host-link', id },
      person: personId,
      origin: null,
      reason: null,
      details: { kind },
    });
    return `${deps.config.publicUrl.origin}/${kind === 'set-up' ? 'set-up' : 'enter'}#${token}`;
  });
}

interface LinkRow {
  id: Buffer;
  kind: LinkKind;
  person_id: Buffer | null;
  hash: Buffer;
  hash_key_id: Buffer;
  expires_at: Date;
  display_name: string | null;
}

async function findLink(deps: Deps, db: Db, secret: string, kind?: LinkKind): Promise<LinkRow & { linkId: Id }> {
  const linkId = tokenId('link', secret);
  const row =
    linkId &&
    (await selectOne<LinkRow>(
      db,
      `SELECT l.*, (SELECT display_name FROM persons p WHERE p.id = l.person_id AND p.state = 'active') AS display_name
       FROM host_links l WHERE l.id = :id AND l.used_at IS NULL AND l.expires_at > :now`,
      { id: key(linkId), now: deps.now() },
    ));
  if (!row || !(await verifyToken(deps, 'link', linkId, secret, row)) || (kind && row.kind !== kind))
    throw new Refusal('link-spent');
  return { ...row, linkId };
}

/** Uses a link up; of several at the same moment one succeeds. */
async function spend(work: Work, linkId: Id): Promise<void> {
  const spent = await write(work, 'UPDATE host_links SET used_at = :now WHERE id = :id AND used_at IS NULL', {
    id: key(linkId),
    now: work.now,
  });
  if (spent !== 1) throw new Refusal('link-spent');
}

/** Whether an active owner exists. */
export async function hasOwner(db: Db): Promise<boolean> {
  const row = await selectOne(
    db,
    "SELECT 1 AS one FROM role_grants r JOIN persons p ON p.id = r.person_id WHERE r.role = 'owner' AND p.state = 'active' LIMIT 1",
  );
  return row !== undefined;
}

export const inspectLink: Handler<'links.inspect'> = async (deps, call) => {
  const link = await findLink(deps, deps, call.body.secret);
  const { hostname: host } = deps.config.publicUrl;
  const { partyChoices } = await import('@nimble-latch/core/relying-party/suffixes');
  const keys = link.kind === 'set-up' ? { host, choices: [...partyChoices(host)] } : null;
  return {
    answer: { kind: link.kind, displayName: link.display_name, expiresAt: link.expires_at.toISOString(), keys },
  };
};

export const useSetUpLink: Handler<'links.setUp'> = async (deps, call) => {
  const { secret, displayName, loginName, password, rpId } = call.body;
  await findLink(deps, deps, secret, 'set-up');
  const name = readLoginName(loginName, 'body.loginName');
  const phc = await setPassword.prepare(deps, password, [name.value]);
  return await call.run(async (work) => {
    const { linkId } = await findLink(deps, work, secret, 'set-up');
    await spend(work, linkId);
    // Several set-up links can be out, one of each node that started. A write of one row has the second come after the first, on one
    // server as on a cluster; it then sees the owner that the first made.
    await write(work, 'INSERT INTO set_ups (id, begun_at) VALUES (1, :now) ON DUPLICATE KEY UPDATE begun_at = :now', {
      now: work.now,
    });
    if (await hasOwner(work)) throw new Refusal('link-spent');
    const person = await insertPerson(deps, work, {
      displayName,
      loginNames: [name],
      mail: null,
      phone: null,
      language: 'en',
      timeZone: 'UTC',
      source: 'set-up',
    });
    await insert(work, 'role_grants', { personId: key(person), role: 'owner', grantedAt: work.now });
    const { id: authenticator } = await setPassword.store(deps, work, person, phc, catalogue('en').methods.password);
    const as = { actor: { kind: 'anybody' as const }, origin: call.origin };
    const to = { kind: 'person', id: person };
    if (rpId !== undefined) await chooseParty(deps, work, as, rpId, 'body.rpId');
    await work.trail(entryOf(as, 'set-up.completed', { kind: 'host-link', id: linkId }, { person }));
    await work.trail(entryOf(as, 'person.added', to, { person, details: { loginNames: 1 } }));
    await work.trail(entryOf(as, 'role.granted', to, { person, details: { role: 'owner' } }));
    await work.trail(entryOf(as, 'password.set', { kind: 'authenticator', id: authenticator }, { person }));
    return { answer: null, session: await startSession(deps, work, person, { byLink: true, origin: call.origin }) };
  });
};

export const useOwnerLink: Handler<'links.signIn'> = async (deps, call) =>
  await call.run(async (work) => {
    const link = await findLink(deps, work, call.body.secret, 'owner');
    await spend(work, link.linkId);
    const person = textOrNull(link.person_id);
    if (!person || link.display_name === null) throw new Refusal('link-spent');
    await work.trail(entryOf(call, 'owner-link.used', { kind: 'host-link', id: link.linkId }, { person }));
    return { answer: null, session: await startSession(deps, work, person, { byLink: true, origin: call.origin }) };
  });
