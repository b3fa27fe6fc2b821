import { type Usable } from '@nimble-latch/core/assurance';
import { advance, canAnswer, dependsOnKeyring, verificationFor } from '@nimble-latch/core/signin';
import { admit } from '@nimble-latch/core/throttle';
import type { OperatorReason, Id } from '@nimble-latch/core/vocabulary';
import { verifyAssertion, type RefusalReason } from '@nimble-latch/core/webauthn';
import type { Statement } from '../../../platform/db/sql.js';
import type { Plan } from '../../../platform/db/unit-of-work.js';
import type { Deps } from '../../../platform/deps.js';
import { idBytes, idText } from '../../../platform/ids.js';
import { guardOf } from '../../keyring/authenticator-row.js';
import { copiedAt, copiedEntry, mayBeCopied } from '../../keyring/copied-key.js';
import { bytesOf, claimedChallenge, givenChallenge } from '../../keyring/relying-party.js';
import { currentKeyring, heldAt, usableOf } from '../../keyring/usable.js';
import { keyRulesOf } from '../../methods/offer.js';
import { readyKey } from '../../../platform/secrets/public-keys.js';
import type { Driver } from '../trail-sign-in.js';
import { whyNobody } from '../decoy.js';
import { failing, forgetting, taking } from '../guards.js';
import { ceremonyOf, partyShownAt, type Credential, type ShownAt } from '../key-prompt.js';
import type { Standing } from '../lanes.js';
import type { StoredSignIn } from '../store.js';
import { fromSource, judgeNobody, turnedAway, type Judged } from './judged.js';
import { judgedAhead } from './proof.js';
import { keyIn, openingOf, type KeyRow } from './security-key-rows.js';

/** A key answers a sign-in: its signature, over the challenge of this very prompt (Web Authentication Level 3, §7.2). */
export const securityKey = judgedAhead({
  by: 'credential',
  opening: (deps, id, { credential }) => openingOf(deps, id, credential!),
  prepare: async () => await Promise.resolve(undefined),
  judge: async ({ deps, driver, stored, rows, credential, at }, plan) =>
    await judgeKey(deps, plan, driver, stored, { credential: credential!, row: keyIn(rows), at }),
});

/** The answer, and how it came. */
export interface Answering {
  readonly credential: Credential;
  /** Undefined where none of the person's may answer. */
  readonly row: KeyRow | undefined;
  /** Whose pages it is shown on. */
  readonly at: ShownAt;
  /** The ceremony that it answers, where it said itself whose it is. */
  readonly nameless?: string;
}

export async function judgeKey(
  deps: Deps,
  plan: Plan,
  driver: Driver,
  stored: StoredSignIn,
  answering: Answering,
): Promise<Judged> {
  const { decoyId, personId } = stored;
  const row = decoyId ? undefined : answering.row;
  return await fromSource(plan, stored, async (standing) => {
    if (row) return await judge(deps, plan, driver, stored, row, answering, standing);
    // Nobody, and whoever has no such key, fail and pause as somebody with a key would.
    const name = decoyId ? `key of decoy ${decoyId.toString('hex')}` : `no key of ${personId}`;
    const wrong = wrongOf(null, whyNobody(deps, stored, 'key-unknown'));
    return await judgeNobody(plan, standing, deps.keys.current.decoyId(name), wrong);
  });
}

const wrongOf = (authenticator: Id | null, why: OperatorReason) =>
  ({ type: 'wrong', method: 'webauthn', authenticator, why }) as const;

const USED = forgetting('last_used_at = :now, last_used_in = :place, verified = verified OR :verified');
/** A counter goes on from where it was read: of two answers with the same one, one counts. */
const COUNTED =
  'UPDATE webauthn_credentials SET sign_count = :count, backed_up = :backedUp WHERE authenticator_id = :id AND sign_count = :countBefore';

async function judge(
  deps: Deps,
  plan: Plan,
  driver: Driver,
  stored: StoredSignIn,
  row: KeyRow,
  answering: Answering,
  standing: Standing,
): Promise<Judged> {
  const { lane } = standing;
  const admission = admit(guardOf(row, lane), plan.now.getTime());
  if (!admission.admitted) return turnedAway(standing, admission);
  const { signIn, personId, applicationId } = stored;
  const { outcome } = signIn.requirement;
  const checked = await assertion(deps, plan, stored, row, answering);
  const twoOfIt = mayBeCopied(checked);
  const told = {
    standing,
    entries: twoOfIt ? [copiedEntry(driver, personId, idText(row.id), { signIn: stored.id })] : [],
  };
  const copied: readonly Statement[] = twoOfIt ? [copiedAt(row.id, plan.now)] : [];
  const wrong = (why: OperatorReason): Judged => ({
    ...told,
    judgement: wrongOf(idText(row.id), why),
    writes: [failing(row, lane, plan.now), ...copied],
  });
  if (!checked.ok) return wrong(WHY[checked.reason] ?? 'key-refused');
  // What it can do counts as far as it did it now.
  const held = usableOf({ ...row, verified: checked.verified ? 1 : 0 });
  const took = {
    ...told,
    writes: [
      // Once it has verified its holder, ways may count on it.
      taking(USED, row, lane, { now: plan.now, place: idBytes(applicationId), verified: checked.verified }),
      {
        sql: COUNTED,
        values: {
          id: row.id,
          count: checked.signCount,
          backedUp: checked.backedUp,
          countBefore: Number(row.sign_count),
        },
        matchesOne: true,
      },
      ...copied,
    ],
  };
  const noPlace = (): Judged =>
    answering.nameless ? { ...took, judgement: { type: 'beside' } } : wrong('key-not-verified');
  const alone = [held];
  if (!dependsOnKeyring(outcome) && !canAnswer(outcome, signIn.proofs, held, alone)) return noPlace();
  // A right answer mostly ends it; only where a way asks for more is the rest of the keyring looked at, and with it whether the key,
  // for what it did now, has a place in a way.
  const right = { type: 'right', proof: held, keyring: alone } as const;
  const after = advance(signIn, right, plan.now.getTime());
  if (!dependsOnKeyring(outcome) && (after.state === 'let-in' || after.state === 'refused'))
    return { ...took, judgement: right };
  const keyring = exchanged(heldAt(await currentKeyring(plan.reading, personId!), applicationId), held);
  const asHeld = { ...held, preferred: false };
  if (!canAnswer(outcome, signIn.proofs, asHeld, keyring)) return noPlace();
  return { ...took, judgement: { ...right, keyring } };
}

/** What the key said, held against what it was asked. */
async function assertion(
  deps: Deps,
  plan: Plan,
  stored: StoredSignIn,
  row: KeyRow,
  { credential: { response, clientExtensionResults }, at, nameless }: Answering,
) {
  const { signIn, personId, applicationId } = stored;
  const party = await partyShownAt(deps, at, applicationId);
  const rules = await keyRulesOf(deps, plan.reading, personId!);
  const clientDataJSON = bytesOf(response.clientDataJSON);
  const named = !nameless && signIn.proofs.length > 0;
  return verifyAssertion(
    {
      challenge: givenChallenge(deps, nameless ?? ceremonyOf(stored), claimedChallenge(clientDataJSON)),
      rpId: party.id,
      origins: at === 'ours' ? party.origins : (row.origins?.split(' ') ?? []),
      userVerification: nameless || rules.verification === 'required' ? 'required' : verificationFor(signIn),
      allowed: named ? [row.credential_id] : [],
      ...(row.app_id !== null && row.app_id === party.appId ? { appId: row.app_id } : {}),
      counter: rules.counter ?? 'refuse',
    },
    {
      id: row.credential_id,
      clientDataJSON,
      authenticatorData: bytesOf(response.authenticatorData),
      signature: bytesOf(response.signature),
      userHandle: response.userHandle == null ? undefined : bytesOf(response.userHandle),
      clientExtensionResults,
    },
    {
      id: row.credential_id,
      key: readyKey(deps, row.credential_id, row.public_key),
      signCount: Number(row.sign_count),
      backupEligible: row.backup_eligible === 1,
      userHandle: row.user_handle,
    },
    // Where a login name was typed before, whose key it is the row tells.
    nameless === undefined,
  );
}

/** Reasons that operators are told apart; all others say that the answer did not hold. */
const WHY: Readonly<Partial<Record<RefusalReason, OperatorReason>>> = {
  counter: 'key-copied',
  'not-verified': 'key-not-verified',
};

const exchanged = (keyring: readonly Usable[], held: Usable): readonly Usable[] =>
  keyring.map((one) => (one.id === held.id ? { ...held, preferred: one.preferred } : one));
