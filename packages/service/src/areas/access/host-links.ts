import type { Id } from '@nimble-latch/core/vocabulary';
import { Op } from 'sequelize';
import { within } from '../../platform/db/models.js';
import type { Db } from '../../platform/db/sql.js';
import { inTransaction, type Work } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { Refusal } from '../../platform/errors.js';
import { entryOf } from '../../platform/http/actors.js';
import type { Handler } from '../../platform/http/call.js';
import { newId } from '../../platform/ids.js';
import { setPassword } from '../keyring/set-password.js';
import { insertPerson } from '../people/add-person.js';
import { persons } from '../people/person.model.js';
import { readLoginName } from '../people/login-names.js';
import { issueToken, tokenId, verifyToken } from '../../platform/secrets/tokens.js';
import { chooseParty } from '../relying-party/change.js';
import { catalogue } from '@nimble-latch/api';
import { hostLinks, type HostLink, type LinkKind } from './host-link.model.js';
import { activeOwners } from './owners.js';
import { roleGrants } from './role-grant.model.js';
import { startSession } from './sessions.js';
import { setUps } from './set-up.model.js';

/** How long a link from the host is good for. */
export const LINK_MINUTES = 60;

/**
 * Makes a one-time link. Whoever can run this on the host could read the database and its keys anyway: host access is
 * the root of trust. The secret stands in the fragment, which browsers do not send, and is used by POST only.
 */
export async function issueHostLink(deps: Deps, kind: LinkKind, personId: Id | null): Promise<string> {
  return await inTransaction(deps, async (work) => {
    const id = newId(deps);
    const { token, hash, hashKeyId } = issueToken(deps, 'link', id);
    await hostLinks(work).create(
      {
        id,
        kind,
        personId,
        hash,
        hashKeyId,
        createdAt: work.now,
        expiresAt: new Date(work.now.getTime() + LINK_MINUTES * 60_000),
      },
      { transaction: work.transaction },
    );
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

async function findLink(deps: Deps, db: Db, secret: string, kind?: LinkKind): Promise<HostLink> {
  const id = tokenId('link', secret);
  const link =
    id &&
    (await hostLinks(db).findOne({
      where: { id, usedAt: null, expiresAt: { [Op.gt]: deps.now() } },
      include: [{ model: persons(db), as: 'person', where: { state: 'active' }, required: false }],
      ...within(db),
    }));
  if (!link || !(await verifyToken(deps, 'link', id, secret, link)) || (kind && link.kind !== kind))
    throw new Refusal('link-spent');
  return link;
}

/** Uses a link up; of several at the same moment one succeeds. */
async function spend(work: Work, id: Id): Promise<void> {
  const [spent] = await hostLinks(work).update(
    { usedAt: work.now },
    { where: { id, usedAt: null }, transaction: work.transaction },
  );
  if (spent !== 1) throw new Refusal('link-spent');
}

/** Whether an active owner exists. */
export const hasOwner = async (db: Db): Promise<boolean> => (await activeOwners(db)) > 0;

export const inspectLink: Handler<'links.inspect'> = async (deps, call) => {
  const link = await findLink(deps, deps, call.body.secret);
  const { hostname: host } = deps.config.publicUrl;
  const { partyChoices } = await import('@nimble-latch/core/relying-party/suffixes');
  const keys = link.kind === 'set-up' ? { host, choices: [...partyChoices(host)] } : null;
  return {
    answer: {
      kind: link.kind,
      displayName: link.person?.displayName ?? null,
      expiresAt: link.expiresAt.toISOString(),
      keys,
    },
  };
};

export const useSetUpLink: Handler<'links.setUp'> = async (deps, call) => {
  const { secret, displayName, loginName, password, rpId } = call.body;
  await findLink(deps, deps, secret, 'set-up');
  const name = readLoginName(loginName, 'body.loginName');
  const phc = await setPassword.prepare(deps, password, [name.value]);
  return await call.run(async (work) => {
    const { id: linkId } = await findLink(deps, work, secret, 'set-up');
    await spend(work, linkId);
    // Several set-up links can be out, one of each node that started. A write of one row has the second come after the first, on one
    // server as on a cluster; it then sees the owner that the first made.
    await setUps(work).upsert({ id: 1, begunAt: work.now }, { transaction: work.transaction });
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
    await roleGrants(work).create(
      { personId: person, role: 'owner', grantedAt: work.now, grantedBy: null },
      { transaction: work.transaction },
    );
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
    await spend(work, link.id);
    if (!link.person) throw new Refusal('link-spent');
    const { id: person } = link.person;
    await work.trail(entryOf(call, 'owner-link.used', { kind: 'host-link', id: link.id }, { person }));
    return { answer: null, session: await startSession(deps, work, person, { byLink: true, origin: call.origin }) };
  });
