import { catalogue, type Answer } from '@nimble-latch/api';
import { drawLookUpSecret, groupedLookUpSecret } from '@nimble-latch/core/look-up-secrets';
import type { Id } from '@nimble-latch/core/vocabulary';
import { countersignedForKeyring } from '../access/countersign.js';
import { stopSignIns } from '../access/end.js';
import { assertOffered } from '../methods/offer.js';
import { refreshKeyring } from '../people/facets.js';
import { noticeTo } from '../notices/notices.js';
import { selectOne } from '../../platform/db/sql.js';
import type { Work } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { entryOf } from '../../platform/http/actors.js';
import type { Handler } from '../../platform/http/call.js';
import { idBytes, idText, newId } from '../../platform/ids.js';
import { authenticators } from './authenticator.model.js';
import { carrierFor, lockEnrolling, type Maker } from './enrolling.js';
import { assertOwn, ownBy } from './own.js';
import { recoveryCodes, recoveryIdentity } from './recovery-code.model.js';
import { describeAuthenticator, lockAuthenticator } from './store.js';

/**
 * Makes a set of recovery codes in place of the one before: drawn, hashed, and shown this once. A set is made and ended as a whole, so
 * that nobody has to tell two sheets of paper apart.
 *
 * @param permit asked once everything about the person is known, before anything is written; throws where it may not be
 */
async function makeRecovery(
  deps: Deps,
  work: Work,
  maker: Maker,
  person: Id,
  permit: () => Promise<void>,
): Promise<Answer<'recovery.make'>> {
  const { settings } = await deps.settings.current();
  await lockEnrolling(work, person);
  await assertOffered(deps, work, person, 'recovery');
  await permit();
  const { transaction } = work;
  const [replaced] = await authenticators(work).update(
    { state: 'revoked', endedAt: work.now },
    { where: { personId: person, method: 'recovery', state: ['active', 'suspended'] }, transaction },
  );
  const label = catalogue('en').methods.recovery;
  const carrierId = await carrierFor(deps, work, maker, person, await paperOf(work, person));
  const id = newId(deps);
  await authenticators(work).create(
    {
      id,
      personId: person,
      carrierId,
      method: 'recovery',
      state: 'active',
      label,
      parameters: '{}',
      createdAt: work.now,
      activatedAt: work.now,
    },
    { transaction },
  );
  const codes = Array.from({ length: settings.recovery.codes }, () =>
    drawLookUpSecret(deps.random, settings.recovery.letters),
  );
  await recoveryCodes(work).bulkCreate(
    codes.map((code, i) => {
      const { hash, keyId } = deps.keys.current.hash(recoveryIdentity(id, i + 1), code);
      return { authenticatorId: id, number: i + 1, hash, hashKeyId: keyId };
    }),
    { transaction },
  );
  await refreshKeyring(work, person);
  if (replaced > 0) await stopSignIns(deps, work, [person]);
  await work.trail(
    entryOf(
      maker,
      'recovery.made',
      { kind: 'authenticator', id },
      { person, details: { codes: codes.length, replaced } },
    ),
  );
  await noticeTo(deps, work, person, 'recovery.made', { about: id, label });
  return {
    authenticator: describeAuthenticator(await lockAuthenticator(work, id)),
    codes: codes.map(groupedLookUpSecret),
  };
}

/** The sheet that the set before was on, unless it was lost; else a new one. */
async function paperOf(work: Work, person: Id): Promise<Parameters<typeof carrierFor>[4]> {
  const row = await selectOne<{ id: Buffer }>(
    work,
    `SELECT c.id FROM authenticators a JOIN carriers c ON c.id = a.carrier_id
     WHERE a.person_id = :person AND a.method = 'recovery' AND c.state = 'in-hand' ORDER BY a.id DESC LIMIT 1`,
    { person: idBytes(person) },
  );
  return row ? { id: idText(row.id) } : { kind: 'paper', label: 'Paper', serial: null };
}

/** By an administrator, for somebody. */
export const makeRecoveryFor: Handler<'recovery.make'> = async (deps, call) =>
  await call.run(async (work) => {
    const { id } = call.params;
    const permit = async () =>
      await countersignedForKeyring(deps, work, call, id, { recovery: id }, (name) => ({
        what: 'recovery-made',
        facts: { name },
      }));
    return { answer: await makeRecovery(deps, work, call, id, permit) };
  });

/** By somebody, for themselves. */
export const ownMakeRecovery: Handler<'own.makeRecovery'> = async (deps, call) =>
  await call.run(async (work) => {
    const own = await ownBy(deps, work, call.body.right, 'enrolment', call.origin, 'change');
    return {
      answer: await makeRecovery(
        deps,
        work,
        own,
        own.personId,
        async () => await assertOwn(deps, work, own, 'recovery'),
      ),
    };
  });
