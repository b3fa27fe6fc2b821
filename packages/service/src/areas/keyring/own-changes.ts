import { takesPin } from '@nimble-latch/core/methods';
import { CLEAR } from '@nimble-latch/core/throttle';
import { verifyAssertion, hintsFor } from '@nimble-latch/core/webauthn';
import type { Parsed } from '@nimble-latch/api';
import type { Id } from '@nimble-latch/core/vocabulary';
import { noticeTo } from '../notices/notices.js';
import { keyRulesOf } from '../methods/offer.js';
import { carryOut, selectOneToWrite, write } from '../../platform/db/sql.js';
import type { Work } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { badField, Refusal } from '../../platform/errors.js';
import { entryOf } from '../../platform/http/actors.js';
import type { Handler } from '../../platform/http/call.js';
import { idText, idTextOrNull } from '../../platform/ids.js';
import { readyKey } from '../../platform/secrets/public-keys.js';
import { guardColumns, type AuthenticatorRow } from './authenticator-row.js';
import { authenticators } from './authenticator.model.js';
import { lockCarrier, nameCarrier } from './carriers.js';
import { copiedAt, copiedEntry, mayBeCopied } from './copied-key.js';
import { assertNotLeant, ownBy, type Own } from './own.js';
import { lockOwn } from './own-devices.js';
import { preferLocked } from './prefer.js';
import { codesOf } from './prove-totp.js';
import { bytesOf, CEREMONY_MS, challengeFor, claimedChallenge, givenChallenge, ownParty } from './relying-party.js';
import { renameLocked } from './rename.js';
import { assertAdmitted, countFailure, testLocked, type TestOutcome } from './resync.js';
import { descriptorOf } from './webauthn.js';

/** What people change of their own keyring, beside enrolling. */

/** Names what somebody holds by the thing that it is on, as they would call it; where it is on nothing, by itself. */
export const ownRename: Handler<'own.rename'> = async (deps, call) =>
  await call.run(async (work) => {
    const own = await ownBy(deps, work, call.body.right, 'enrolment', call.origin, 'change');
    assertNotLeant(own);
    const { label } = call.body;
    const row = await lockOwn(deps, work, own, call.params.id, 'name');
    const carrier = idTextOrNull(row.carrier_id);
    const named = carrier
      ? await nameCarrier(work, own, await lockCarrier(work, carrier), label)
      : await renameLocked(work, own, row, label);
    if (named) await noticeTo(deps, work, own.personId, 'authenticator.renamed', { about: call.params.id, label });
    return { answer: { label } };
  });

export const ownPrefer: Handler<'own.prefer'> = async (deps, call) =>
  await call.run(async (work) => {
    const own = await ownBy(deps, work, call.body.right, 'enrolment', call.origin, 'change');
    assertNotLeant(own);
    const row = await lockOwn(deps, work, own, call.params.id, 'prefer');
    if ((row.preferred === 1) === call.body.preferred) return { answer: null };
    await preferLocked(work, own, row, call.body.preferred);
    await noticeTo(deps, work, own.personId, 'authenticator.preferred', { about: call.params.id, label: row.label });
    return { answer: null };
  });

/** What a key is asked when it is tried: this right's, for this key. */
const testOf = ({ signInId }: Own, id: Id): string => `test ${signInId} ${id}`;

interface TriedKey {
  readonly credential_id: Buffer;
  readonly transports: string;
  readonly public_key: Buffer;
  readonly sign_count: number;
  readonly backup_eligible: number;
  readonly user_handle: Buffer;
}

const lockTried = async (work: Work, row: AuthenticatorRow): Promise<TriedKey> =>
  (await selectOneToWrite<TriedKey>(
    work,
    `SELECT c.credential_id, c.transports, c.public_key, c.sign_count, c.backup_eligible, COALESCE(c.user_handle, p.user_handle) AS user_handle
     FROM webauthn_credentials c JOIN persons p ON p.id = :person WHERE c.authenticator_id = :id`,
    { id: row.id, person: row.person_id },
  ))!;

/** An authenticator that is to be tried: one in use, that answers by itself. */
async function lockToTest(deps: Deps, work: Work, own: Own, id: Id): Promise<AuthenticatorRow> {
  assertNotLeant(own);
  const row = await lockOwn(deps, work, own, id, 'test');
  if (row.state !== 'active') throw new Refusal('wrong-state', { state: row.state });
  return row;
}

export const ownBeginTest: Handler<'own.beginTest'> = async (deps, call) =>
  await call.run(async (work) => {
    const own = await ownBy(deps, work, call.body.right, 'enrolment', call.origin);
    const { id } = call.params;
    const row = await lockToTest(deps, work, own, id);
    if (row.method !== 'webauthn') return { answer: { publicKey: null } };
    const party = await ownParty(deps);
    const rules = await keyRulesOf(deps, work, own.personId);
    const allowCredentials = [descriptorOf(await lockTried(work, row))];
    const hints = hintsFor(allowCredentials);
    return {
      answer: {
        publicKey: {
          challenge: challengeFor(deps, testOf(own, id)).toString('base64url'),
          timeout: CEREMONY_MS,
          rpId: party.id,
          allowCredentials,
          userVerification: rules.verification === 'required' ? ('required' as const) : ('preferred' as const),
          ...(hints.length > 0 ? { hints: [...hints] } : {}),
        },
      },
    };
  });

type Credential = NonNullable<Parsed<'own.test', 'body'>['credential']>;

/** Tries a key: its signature over the challenge of this test (Web Authentication Level 3, §7.2). */
async function tryKey(
  deps: Deps,
  work: Work,
  own: Own,
  row: AuthenticatorRow,
  { rawId, response, clientExtensionResults }: Credential,
): Promise<TestOutcome> {
  assertAdmitted(work, row);
  const id = idText(row.id);
  const key = await lockTried(work, row);
  const party = await ownParty(deps);
  const rules = await keyRulesOf(deps, work, own.personId);
  const clientDataJSON = bytesOf(response.clientDataJSON);
  const checked = verifyAssertion(
    {
      challenge: givenChallenge(deps, testOf(own, id), claimedChallenge(clientDataJSON)),
      rpId: party.id,
      origins: party.origins,
      userVerification: rules.verification === 'required' ? 'required' : 'preferred',
      allowed: [key.credential_id],
      counter: rules.counter ?? 'refuse',
    },
    {
      id: bytesOf(rawId),
      clientDataJSON,
      authenticatorData: bytesOf(response.authenticatorData),
      signature: bytesOf(response.signature),
      userHandle: response.userHandle == null ? undefined : bytesOf(response.userHandle),
      clientExtensionResults,
    },
    {
      id: key.credential_id,
      key: readyKey(deps, key.credential_id, key.public_key),
      signCount: Number(key.sign_count),
      backupEligible: key.backup_eligible === 1,
      userHandle: key.user_handle,
    },
    true,
  );
  const outcome = checked.ok ? 'right' : 'wrong';
  if (mayBeCopied(checked)) {
    await carryOut(work, copiedAt(row.id, work.now));
    await work.trail(copiedEntry(own, own.personId, id));
  }
  if (checked.ok) {
    await write(work, 'UPDATE webauthn_credentials SET sign_count = :count WHERE authenticator_id = :id', {
      count: checked.signCount,
      id: row.id,
    });
    await authenticators(work).update(guardColumns('familiar', CLEAR), {
      where: { id },
      transaction: work.transaction,
    });
  } else await countFailure(work, row);
  await work.trail(
    entryOf(own, 'authenticator.tested', { kind: 'authenticator', id }, { person: own.personId, details: { outcome } }),
  );
  return outcome;
}

/** Somebody tries what they hold, without signing in by it. */
export const ownTest: Handler<'own.test'> = async (deps, call) => {
  const { code, credential } = call.body;
  return await call.run(async (work) => {
    const own = await ownBy(deps, work, call.body.right, 'enrolment', call.origin);
    const row = await lockToTest(deps, work, own, call.params.id);
    if (row.method === 'webauthn') {
      if (!credential) throw badField('body.credential', 'other-prompt', { kind: 'webauthn' });
      return { answer: { outcome: await tryKey(deps, work, own, row, credential) } };
    }
    if (code === undefined || !takesPin(row.method)) throw badField('body.code', 'code-shape');
    const [typed] = codesOf([code]) as [string];
    return { answer: { outcome: await testLocked(deps, work, own, row, typed) } };
  });
};
