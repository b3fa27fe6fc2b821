import type { Id } from '@nimble-latch/core/vocabulary';
import type { Answer, Parsed } from '@nimble-latch/api';
import type { Json } from '@nimble-latch/core/crypto';
import {
  hintsForNew,
  offeredAlgorithms,
  refusedByRules,
  verificationOf,
  type NewCredential,
} from '@nimble-latch/core/webauthn';
import { countersignedForKeyring } from '../access/countersign.js';
import { brokenUniqueIndex } from '../../platform/db/errors.js';
import { select, selectToWrite } from '../../platform/db/sql.js';
import type { Work } from '../../platform/db/unit-of-work.js';
import { noticeTo } from '../notices/notices.js';
import type { Deps } from '../../platform/deps.js';
import { Refusal } from '../../platform/errors.js';
import { entryOf, type OperatorActor } from '../../platform/http/actors.js';
import type { Handler } from '../../platform/http/call.js';
import { idBytes, newId, idText } from '../../platform/ids.js';
import type { MethodParameters, Offer } from '@nimble-latch/core/methods';
import { assertOffered } from '../methods/offer.js';
import { modelOf } from '../models/model-of-key.js';
import { assertPartyStill, chooseParty } from '../relying-party/change.js';
import { refreshKeyring } from '../people/facets.js';
import type { AuthenticatorRow } from './authenticator-row.js';
import { carrierFor, lockEnrolling, type Maker } from './enrolling.js';
import { assertOwn, enrolledBy, ownBy } from './own.js';
import { bytesOf, CEREMONY_MS, challengeFor, claimedChallenge, givenChallenge, ownParty } from './relying-party.js';
import { describeAuthenticator, lockAuthenticator } from './store.js';
import { authenticators } from './authenticator.model.js';
import { persons } from '../people/person.model.js';
import { webauthnCredentials } from './webauthn-credential.model.js';

type Response = Parsed<'webauthn.prove', 'body'>['credential'];
/** What the method settings say of somebody's new keys; nothing where they say nothing. */
const rulesOf = ({ decided }: Offer): MethodParameters => decided?.cell.parameters ?? {};

/** How long what was begun may be answered. */
const BEGUN_MS = 10 * 60_000;

/** What the ceremony is: the one authenticator that was begun, in the session that began it. */
const ceremonyOf = (id: Id, session: string): string => `registration ${id} ${session}`;

/**
 * Begins a key: an authenticator that waits for what the browser answers.
 *
 * @param session what the answer has to come from
 * @param permit asked once everything about the person is known, before anything is written; throws where it may not be
 */
async function makeWebauthn(
  deps: Deps,
  work: Work,
  maker: Maker,
  session: string,
  person: Id,
  label: string | undefined,
  permit: () => Promise<void>,
): Promise<Answer<'webauthn.begin'>> {
  const party = await ownParty(deps);
  const { settings } = await deps.settings.current();
  const { name, displayName, userHandle } = await lockEnrolling(work, person);
  const rules = rulesOf(await assertOffered(deps, work, person, 'webauthn'));
  await permit();
  // With the first key it is settled what keys here are made for.
  if (!(await deps.party.current()).chosen) await chooseParty(deps, work, maker, party.id, 'body');
  const handle = userHandle ?? deps.random(32);
  if (!userHandle)
    await persons(work).update({ userHandle: handle }, { where: { id: person }, transaction: work.transaction });
  await endBegun(work, maker, person);
  const id = newId(deps);
  await authenticators(work).create(
    {
      id,
      personId: person,
      method: 'webauthn',
      state: 'pending',
      label: label ?? '',
      parameters: '{}',
      createdAt: work.now,
    },
    { transaction: work.transaction },
  );
  await work.trail(
    entryOf(maker, 'authenticator.begun', { kind: 'authenticator', id }, { person, details: { method: 'webauthn' } }),
  );
  const known = await select<{ credential_id: Buffer; transports: string }>(
    work,
    `SELECT c.credential_id, c.transports FROM webauthn_credentials c JOIN authenticators a ON a.id = c.authenticator_id
     WHERE a.person_id = :person AND a.state IN ('active', 'suspended') ORDER BY a.id`,
    { person: idBytes(person) },
  );
  return {
    authenticator: describeAuthenticator(await lockAuthenticator(work, id)),
    publicKey: {
      rp: { id: party.id, name: settings.organisation },
      user: { id: handle.toString('base64url'), name: name ?? displayName, displayName },
      challenge: challengeFor(deps, ceremonyOf(id, session)).toString('base64url'),
      pubKeyCredParams: offeredAlgorithms(rules).map((alg) => ({ type: 'public-key', alg })),
      timeout: CEREMONY_MS,
      excludeCredentials: known.map(descriptorOf),
      authenticatorSelection: {
        ...(rules.attachment ? { authenticatorAttachment: rules.attachment } : {}),
        residentKey: rules.discoverable ?? 'preferred',
        requireResidentKey: rules.discoverable === 'required',
        userVerification: verificationOf(rules),
      },
      ...(rules.attachment ? { hints: [...hintsForNew(rules.attachment)] } : {}),
      attestation: rules.attestation ? 'direct' : 'none',
      extensions: { credProps: true },
    },
  };
}

/** What was begun before and never answered is good in no session any more after a while; nobody can go on with it. */
async function endBegun(work: Work, maker: Maker, person: Id): Promise<void> {
  const begun = await selectToWrite<{ id: Buffer }>(
    work,
    "SELECT id FROM authenticators WHERE person_id = :person AND method = 'webauthn' AND state = 'pending' AND created_at < :before",
    { person: idBytes(person), before: new Date(work.now.getTime() - BEGUN_MS) },
  );
  for (const { id } of begun) {
    await authenticators(work).update(
      { state: 'expired', endedAt: work.now },
      { where: { id: idText(id) }, transaction: work.transaction },
    );
    const target = { kind: 'authenticator', id: idText(id) };
    await work.trail(entryOf(maker, 'authenticator.expired', target, { person, details: { method: 'webauthn' } }));
  }
}

/** A credential as browsers are told of it. */
export const descriptorOf = ({ credential_id, transports }: { credential_id: Buffer; transports: string }) => ({
  type: 'public-key' as const,
  id: credential_id.toString('base64url'),
  transports: transports.split(' ').filter(Boolean),
});

/**
 * Takes what the browser answered. What was wrong with it must outlive the refusal on the trail, so the refusal is handed back, to be
 * thrown after the transaction.
 */
async function proveWebauthn(
  deps: Deps,
  work: Work,
  maker: Maker,
  session: string,
  row: AuthenticatorRow,
  { rawId, response, clientExtensionResults, authenticatorAttachment }: Response,
): Promise<Refusal | undefined> {
  const party = await ownParty(deps);
  const id = idText(row.id);
  const person = idText(row.person_id);
  if (row.method !== 'webauthn' || row.state !== 'pending') throw new Refusal('wrong-state', { state: row.state });
  if (work.now.getTime() - row.created_at.getTime() > BEGUN_MS) throw new Refusal('wrong-state', { state: 'expired' });
  const rules = rulesOf(await assertOffered(deps, work, person, 'webauthn'));
  const clientDataJSON = bytesOf(response.clientDataJSON);
  const { verifyRegistration } = await import('@nimble-latch/core/webauthn/enrolling');
  const verified = verifyRegistration(
    {
      challenge: givenChallenge(deps, ceremonyOf(id, session), claimedChallenge(clientDataJSON)),
      rpId: party.id,
      origins: party.origins,
      userVerification: verificationOf(rules),
      algorithms: offeredAlgorithms(rules),
    },
    {
      id: bytesOf(rawId),
      clientDataJSON,
      attestationObject: bytesOf(response.attestationObject),
      transports: response.transports,
      clientExtensionResults,
    },
  );
  const target = { kind: 'authenticator', id };
  const tellRefused = async (details: Record<string, string>) =>
    await work.trail(entryOf(maker, 'authenticator.proof-failed', target, { person, details }));
  if (!verified.ok) {
    const { step, reason } = verified;
    await tellRefused({ outcome: reason, step });
    return new Refusal('key-not-taken', { step, reason });
  }
  await assertPartyStill(work, party.id);
  const { credential, attestation } = verified;
  const attachment = authenticatorAttachment ?? undefined;
  const model = await modelOf(work, credential, attestation, work.now.getTime());
  const { trust, compromised } = model;
  const against = refusedByRules(rules, {
    credential,
    attestation,
    trusted: trust === 'trusted',
    compromised,
    attachment,
  });
  if (against) {
    await tellRefused({ outcome: against, ...(model.name === null ? {} : { model: model.name }) });
    return new Refusal('key-not-allowed', { reason: against });
  }
  const kind = kindOf(credential, attachment);
  // Named after its model, where that is known; whoever holds it may call it otherwise.
  const label = row.label === '' ? await free(work, row.person_id, model.name ?? LABELS[kind]) : row.label;
  try {
    await webauthnCredentials(work).create(
      {
        authenticatorId: id,
        credentialId: Buffer.from(credential.id),
        publicKey: Buffer.from(credential.publicKey),
        algorithm: credential.algorithm,
        signCount: credential.signCount,
        backupEligible: credential.backupEligible,
        backedUp: credential.backedUp,
        aaguid: Buffer.from(credential.aaguid),
        transports: credential.transports.join(' '),
        discoverable: credential.discoverable ?? null,
        rpId: party.id,
        attestation: attestation.format,
        modelId: model.modelId,
        trust,
      },
      { transaction: work.transaction },
    );
  } catch (error) {
    // Step 26 of the ceremony, decided by the index: nobody else has this credential.
    if (brokenUniqueIndex(error) === 'webauthn_credentials_id') throw new Refusal('key-known');
    throw error;
  }
  const carrierId = await carrierFor(deps, work, maker, person, { kind, label, serial: null });
  await authenticators(work).update(
    {
      state: 'active',
      activatedAt: work.now,
      carrierId,
      label,
      verified: credential.verified,
      deviceBound: !credential.backupEligible,
    },
    { where: { id: idText(row.id) }, transaction: work.transaction },
  );
  await refreshKeyring(work, person);
  await work.trail(
    entryOf(
      maker,
      'authenticator.proved',
      { kind: 'authenticator', id },
      { person, details: { attestation: attestation.format, trust, synced: credential.backupEligible } },
    ),
  );
  await noticeTo(deps, work, person, 'authenticator.proved', { about: id, label });
  return undefined;
}

/** The label, with a number behind it where somebody calls another of theirs so. */
async function free(work: Work, person: Buffer, label: string): Promise<string> {
  const rows = await select<{ label: string }>(
    work,
    "SELECT label FROM authenticators WHERE person_id = :person AND method = 'webauthn' AND state IN ('active', 'suspended')",
    { person },
  );
  const taken = new Set(rows.map((one) => one.label));
  if (!taken.has(label)) return label;
  for (let n = 2; ; n++) if (!taken.has(`${label} ${n}`)) return `${label} ${n}`;
}

const LABELS = {
  laptop: 'Passkey of this device',
  phone: 'Passkey on a phone',
  'security-key': 'Security key',
} as const;

/** What carries it, as far as the browser tells. */
function kindOf({ transports }: NewCredential, attachment: string | undefined): keyof typeof LABELS {
  if (attachment === 'platform') return 'laptop';
  return transports.includes('hybrid') && !transports.includes('usb') ? 'phone' : 'security-key';
}

const sessionOf = ({ credentialId }: OperatorActor): string => `operator ${credentialId}`;

/** By an administrator, for somebody whose key is plugged in there. */
export const beginWebauthn: Handler<'webauthn.begin'> = async (deps, call) =>
  await call.run(async (work) => {
    const person = call.params.id;
    const { carrier } = call.body;
    const permit = async () =>
      await countersignedForKeyring(
        deps,
        work,
        call,
        person,
        { begin: 'webauthn', ...(call.body as Readonly<Record<string, Json>>) },
        (name) => ({
          what: 'factor-begun',
          facts: { name, label: carrier ?? '' },
        }),
      );
    return { answer: await makeWebauthn(deps, work, call, sessionOf(call.actor), person, carrier, permit) };
  });

export const bringWebauthn: Handler<'webauthn.prove'> = async (deps, call) => {
  let refusal: Refusal | undefined;
  const reply = await call.run(async (work) => {
    const row = await lockAuthenticator(work, call.params.id);
    refusal = await proveWebauthn(deps, work, call, sessionOf(call.actor), row, call.body.credential);
    return { answer: describeAuthenticator(await lockAuthenticator(work, call.params.id)) };
  });
  if (refusal) throw refusal;
  return reply;
};

/** By whoever is to use it, signed in where people help themselves. */
export const ownBeginWebauthn: Handler<'own.beginWebauthn'> = async (deps, call) =>
  await call.run(async (work) => {
    const own = await ownBy(deps, work, call.body.right, 'enrolment', call.origin);
    const { personId, signInId } = own;
    return {
      answer: await makeWebauthn(
        deps,
        work,
        own,
        signInId,
        personId,
        call.body.carrier,
        async () => await assertOwn(deps, work, own, 'webauthn'),
      ),
    };
  });

export const ownProveWebauthn: Handler<'own.proveWebauthn'> = async (deps, call) => {
  let refusal: Refusal | undefined;
  const reply = await call.run(async (work) => {
    const own = await ownBy(deps, work, call.body.right, 'enrolment', call.origin);
    const row = await lockAuthenticator(work, call.params.id);
    if (!row.person_id.equals(idBytes(own.personId))) throw new Refusal('not-found');
    await assertOwn(deps, work, own, 'webauthn');
    refusal = await proveWebauthn(deps, work, own, own.signInId, row, call.body.credential);
    if (!refusal) await enrolledBy(work, own, 'webauthn', call.params.id);
    return { answer: { label: (await lockAuthenticator(work, call.params.id)).label } };
  });
  if (refusal) throw refusal;
  return reply;
};
