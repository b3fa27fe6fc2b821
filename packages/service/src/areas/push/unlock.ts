import type { Answer } from '@nimble-latch/api';
import type { PushMessages } from '@nimble-latch/core/push';
import { verifyAssertion } from '@nimble-latch/core/webauthn';
import { ownParty, takesKeys } from '../keyring/relying-party.js';
import { parametersOf } from '../methods/offer.js';
import type { Db, Statement } from '../../platform/db/sql.js';
import type { Deps } from '../../platform/deps.js';
import { idText } from '../../platform/ids.js';
import { readyKey } from '../../platform/secrets/public-keys.js';
import type { DeviceRow } from './devices.js';

type Unlocking = Answer<'phones.fetch'>['unlock'];
type Said = NonNullable<PushMessages['answer']['unlock']>;

/** COSE algorithms that a phone may make its credential by: ES256, and RS256, which some systems have alone (RFC 9053, RFC 8812). */
const ALGORITHMS = [-7, -257];

/** Whether phones of somebody have to verify their holder, by the method settings. */
const requiresUnlock = async (deps: Deps, db: Db, person: Buffer): Promise<boolean> =>
  (await parametersOf(deps, db, idText(person), 'push')).unlock === 'required';

/** How a phone verifies its holder: with what it was set up for, or, before its first answer, with what it can be set up for. */
export async function unlockingOf(deps: Deps, db: Db, device: WhoseState): Promise<Unlocking> {
  if (device.unlock_id)
    return { rpId: device.unlock_rp_id!, credential: device.unlock_id.toString('base64url'), required: true };
  if (device.state !== 'pending' || !(await takesKeys(deps))) return null;
  const { id: rpId } = await ownParty(deps);
  return { rpId, credential: null, required: await requiresUnlock(deps, db, device.person_id) };
}

interface WhoseState extends Pick<UnlockColumns, 'unlock_id' | 'unlock_rp_id'> {
  readonly state: string;
  readonly person_id: Buffer;
}

/** What is kept of the credential by which a phone verifies its holder. */
export interface UnlockColumns {
  readonly unlock_id: Buffer | null;
  readonly unlock_key: Buffer | null;
  readonly unlock_count: string | number | null;
  readonly unlock_synced: number | null;
  readonly unlock_rp_id: string | null;
}

/** `why`: what its verification did not hold by, for the trail; undefined where there was none. */
export type Unlocked =
  | { readonly ok: true; readonly writes: readonly Statement[] }
  | { readonly ok: false; readonly why: string | undefined };

/**
 * Whether an approval holds as far as the phone's own verification goes. A phone that was set up with one approves by it alone; one that
 * was set up without has none to show later: who has the phone open could have made it.
 */
export async function unlockedBy(deps: Deps, db: Db, device: DeviceRow, said: Said | null): Promise<Unlocked> {
  if (!device.unlock_id) {
    if (said?.said.kind === 'made') return await made(deps, device, said);
    const needed = said !== null || (device.state === 'pending' && (await requiresUnlock(deps, db, device.person_id)));
    return needed ? { ok: false, why: undefined } : { ok: true, writes: [] };
  }
  return said?.said.kind === 'used' ? await used(deps, device, said) : { ok: false, why: undefined };
}

/** The credential is made with the first answer: Web Authentication Level 3, §7.1. */
async function made(deps: Deps, device: DeviceRow, { challenge, said }: Said): Promise<Unlocked> {
  if (said.kind !== 'made' || device.state !== 'pending') return { ok: false, why: 'not-now' };
  const party = await ownParty(deps);
  const { verifyRegistration } = await import('@nimble-latch/core/webauthn/enrolling');
  const verified = verifyRegistration(
    { challenge, rpId: party.id, origins: party.origins, userVerification: 'required', algorithms: ALGORITHMS },
    {
      id: said.credential,
      clientDataJSON: said.clientData,
      attestationObject: said.attestation,
      transports: [],
      clientExtensionResults: {},
    },
  );
  if (!verified.ok) return { ok: false, why: `${verified.step} ${verified.reason}` };
  const { id, publicKey, signCount, backupEligible } = verified.credential;
  return {
    ok: true,
    writes: [
      {
        sql: `UPDATE push_devices SET unlock_id = :credential, unlock_key = :publicKey, unlock_count = :signCount, unlock_synced = :synced, unlock_rp_id = :rpId
        WHERE authenticator_id = :id AND unlock_id IS NULL`,
        values: {
          id: device.id,
          credential: Buffer.from(id),
          publicKey: Buffer.from(publicKey),
          signCount,
          synced: backupEligible,
          rpId: party.id,
        },
        matchesOne: true,
      },
      // Its approvals are verified ones from now on: it makes no others.
      { sql: 'UPDATE authenticators SET verified = 1 WHERE id = :id', values: { id: device.id } },
    ],
  };
}

/** It is used with every approval: Web Authentication Level 3, §7.2. */
async function used(deps: Deps, device: DeviceRow, { challenge, said }: Said): Promise<Unlocked> {
  if (said.kind !== 'used') return { ok: false, why: undefined };
  const [id, publicKey] = [device.unlock_id!, device.unlock_key!];
  const { origins } = await ownParty(deps);
  const checked = verifyAssertion(
    {
      challenge,
      rpId: device.unlock_rp_id!,
      origins,
      userVerification: 'required',
      allowed: [id],
      counter: 'refuse',
    },
    {
      id,
      clientDataJSON: said.clientData,
      authenticatorData: said.authData,
      signature: said.signature,
      userHandle: undefined,
      clientExtensionResults: {},
    },
    {
      id,
      key: readyKey(deps, id, publicKey),
      signCount: Number(device.unlock_count),
      backupEligible: device.unlock_synced === 1,
      userHandle: device.id,
    },
    true,
  );
  if (!checked.ok) return { ok: false, why: `${checked.step} ${checked.reason}` };
  const before = Number(device.unlock_count);
  const counted: Statement = {
    sql: 'UPDATE push_devices SET unlock_count = :count WHERE authenticator_id = :id AND unlock_count = :before',
    values: { id: device.id, count: checked.signCount, before },
    matchesOne: true,
  };
  return { ok: true, writes: checked.signCount === before ? [] : [counted] };
}
