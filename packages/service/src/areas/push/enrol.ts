import type { Answer } from '@nimble-latch/api';
import type { Json } from '@nimble-latch/core/crypto';
import { PUSH_REQUEST_LIFE_MS, readPushEnrolment, thumbprint } from '@nimble-latch/core/push';
import type { Id } from '@nimble-latch/core/vocabulary';
import QRCode from 'qrcode';
import { countersignedForKeyring } from '../access/countersign.js';
import { authenticators } from '../keyring/authenticator.model.js';
import { carrierFor, lockEnrolling, type Maker } from '../keyring/enrolling.js';
import { assertOwn, enrolledBy, ownBy } from '../keyring/own.js';
import { activate, lockPending } from '../keyring/activate.js';
import type { AuthenticatorRow } from '../keyring/authenticator-row.js';
import { authenticatorOf } from '../keyring/described.js';
import { ownParty } from '../keyring/relying-party.js';
import { assertOffered } from '../methods/offer.js';
import { brokenUniqueIndex } from '../../platform/db/errors.js';
import { selectOne, selectOneToWrite, write } from '../../platform/db/sql.js';
import type { Work } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { Refusal } from '../../platform/errors.js';
import { entryOf } from '../../platform/http/actors.js';
import type { Handler } from '../../platform/http/call.js';
import { idBytes, idText, newId } from '../../platform/ids.js';
import { issueToken, tokenId, verifyToken } from '../../platform/secrets/tokens.js';
import { askedOf } from './asked.js';
import { makeCodes, settleCodes } from './codes.js';
import { phoneRefusal, readDevice } from './devices.js';
import { pushDevices } from './push-device.model.js';
import { askOfNothing } from './test-phone.js';

/** How long a phone may follow the link: as long as the page that shows it is good. */
const CODE_LIFE_MS = 15 * 60_000;
/** How long a phone has for its first request: somebody is looking for the button. */
const TEST_LIFE_MS = 4 * PUSH_REQUEST_LIFE_MS;

/** Phones of one person that approve, unless the method settings say otherwise. */
const PHONES_MOST = 10;

interface Wanted {
  readonly label: string;
  readonly carrier: Parameters<typeof carrierFor>[4];
}

/** Asserts that somebody may have one more phone. Throws `limit-reached`. */
async function assertRoom(work: Work, person: Id, most: number): Promise<void> {
  const held = await authenticators(work).count({
    where: { personId: person, method: 'push', state: ['pending', 'active', 'suspended'] },
    transaction: work.transaction,
  });
  if (held >= most) throw new Refusal('limit-reached', { limit: most });
}

/** Makes a link that one phone may follow, once. The authenticator is pending until that phone has answered its first request. */
async function makePush(
  deps: Deps,
  work: Work,
  maker: Maker,
  person: Id,
  { label, carrier }: Wanted,
  permit: () => Promise<void>,
): Promise<Answer<'push.begin'>> {
  await lockEnrolling(work, person);
  const offer = await assertOffered(deps, work, person, 'push');
  const { mostPhones, unlock } = offer.decided?.cell.parameters ?? {};
  await assertRoom(work, person, mostPhones ?? PHONES_MOST);
  // Where our pages have an address and no name no phone could be unlocked: that is said before somebody takes theirs out.
  if (unlock === 'required') await ownParty(deps);
  await permit();
  const carrierId = await carrierFor(deps, work, maker, person, carrier);
  const id = newId(deps);
  await authenticators(work).create(
    { id, personId: person, carrierId, method: 'push', state: 'pending', label, parameters: '{}', createdAt: work.now },
    { transaction: work.transaction },
  );
  const { token, hash, hashKeyId } = issueToken(deps, 'device', id);
  const codeUntil = new Date(work.now.getTime() + CODE_LIFE_MS);
  await pushDevices(work).create(
    { authenticatorId: id, hash, hashKeyId, codeUntil },
    { transaction: work.transaction },
  );
  await work.trail(
    entryOf(maker, 'authenticator.begun', { kind: 'authenticator', id }, { person, details: { method: 'push' } }),
  );
  const link = `${deps.config.publicUrl.origin}/pocket/#${token}`;
  return {
    authenticator: await authenticatorOf(work, id),
    link,
    qrSvg: await QRCode.toString(link, { type: 'svg', errorCorrectionLevel: 'M', margin: 4 }),
    until: codeUntil.toISOString(),
  };
}

/** By an administrator, for somebody whose phone is at hand. */
export const beginPush: Handler<'push.begin'> = async (deps, call) =>
  await call.run(async (work) => {
    const person = call.params.id;
    const permit = async () =>
      await countersignedForKeyring(
        deps,
        work,
        call,
        person,
        { begin: 'push', ...(call.body as Readonly<Record<string, Json>>) },
        (name) => ({ what: 'factor-begun', facts: { name, label: call.body.label } }),
      );
    return { answer: await makePush(deps, work, call, person, call.body, permit) };
  });

export const ownBeginPush: Handler<'own.beginPush'> = async (deps, call) =>
  await call.run(async (work) => {
    const own = await ownBy(deps, work, call.body.right, 'enrolment', call.origin);
    const wanted: Wanted = {
      label: 'Phone that approves',
      carrier: { kind: 'phone', label: call.body.carrier, serial: null },
    };
    const permit = async () => await assertOwn(deps, work, own, 'push');
    return { answer: await makePush(deps, work, own, own.personId, wanted, permit) };
  });

interface ComingRow {
  readonly person_id: Buffer;
  readonly hash: Buffer;
  readonly hash_key_id: Buffer;
}

/**
 * A phone follows the link: it brings its key, and is asked at once. Of two that follow one link, one comes in; all codes that are of no use
 * are told the same.
 */
export const enrolPhone: Handler<'phones.enrol'> = async (deps, call) => {
  const read = readPushEnrolment(call.body.token, {
    installation: deps.config.publicUrl.origin,
    nowMs: deps.now().getTime(),
  });
  if (!read.ok) throw phoneRefusal(deps, read.reason);
  const { code, key } = read.message;
  const device = tokenId('device', code);
  const row = device === undefined ? undefined : await comingRow(deps, device);
  if (!device || !row || !(await verifyToken(deps, 'device', device, code, row))) throw new Refusal('phone-unknown');
  const person = idText(row.person_id);
  try {
    return await call.run(async (work) => {
      const taken = await write(
        work,
        `UPDATE push_devices SET key_x = :x, key_y = :y, thumbprint = :thumbprint, hash = NULL, hash_key_id = NULL, code_until = NULL, seen_at = :now
         WHERE authenticator_id = :id AND hash = :hash AND code_until > UTC_TIMESTAMP(3)`,
        { id: idBytes(device), hash: row.hash, x: key.x, y: key.y, thumbprint: thumbprint(key), now: work.now },
      );
      if (taken !== 1) throw new Refusal('phone-unknown');
      await askOfNothing(deps, work, { person, device, lifeMs: TEST_LIFE_MS }, call);
      const doer = { actor: { kind: 'page', personId: person }, origin: call.origin } as const;
      await work.trail(entryOf(doer, 'phone.came', { kind: 'authenticator', id: device }, { person }));
      const codes = await makeCodes(deps, work, doer, { person, device });
      return { answer: { ...(await askedOf(deps, work, (await readDevice(work, device))!, work.now)), device, codes } };
    });
  } catch (error) {
    if (brokenUniqueIndex(error) === 'push_devices_thumbprint') throw new Refusal('phone-known');
    throw error;
  }
};

const comingRow = async (deps: Deps, device: Id): Promise<ComingRow | undefined> =>
  await selectOne<ComingRow>(
    deps,
    `SELECT a.person_id, d.hash, d.hash_key_id FROM push_devices d JOIN authenticators a ON a.id = d.authenticator_id
       JOIN persons p ON p.id = a.person_id
     WHERE d.authenticator_id = :id AND d.hash IS NOT NULL AND d.code_until > UTC_TIMESTAMP(3) AND a.state = 'pending' AND p.state = 'active'`,
    { id: idBytes(device) },
  );

interface Proved {
  readonly row: AuthenticatorRow;
  /** The authenticator of the codes that came with it. */
  readonly codes: Id | undefined;
}

/** Asserts that a phone has answered its first request, which is used up; it can be used from then on. */
async function prove(deps: Deps, work: Work, maker: Maker, id: Id): Promise<Proved> {
  const row = await lockPending(work, id, 'push');
  await assertOffered(deps, work, idText(row.person_id), 'push');
  const approved = await selectOneToWrite<{ id: Buffer }>(
    work,
    "SELECT id FROM push_requests WHERE person_id = :person AND device_id = :id AND answered_by = :id AND state = 'approved' AND valid_until > UTC_TIMESTAMP(3)",
    { person: row.person_id, id: row.id },
  );
  if (!approved) throw new Refusal('phone-waits');
  await write(work, "UPDATE push_requests SET state = 'used' WHERE id = :id", { id: approved.id });
  await activate(deps, work, maker, row);
  const codes = await settleCodes(deps, work, maker, row.id);
  return { row, codes };
}

export const provePush: Handler<'push.prove'> = async (deps, call) =>
  await call.run(async (work) => {
    await prove(deps, work, call, call.params.id);
    return { answer: await authenticatorOf(work, call.params.id) };
  });

export const ownProvePush: Handler<'own.provePush'> = async (deps, call) =>
  await call.run(async (work) => {
    const { id } = call.params;
    const own = await ownBy(deps, work, call.body.right, 'enrolment', call.origin);
    // Before anything is said of it: nobody learns of somebody else's.
    if (!(await isOf(work, id, own.personId))) throw new Refusal('not-found');
    await assertOwn(deps, work, own, 'push');
    const { row, codes } = await prove(deps, work, own, id);
    await enrolledBy(work, own, 'push', id);
    if (codes) await enrolledBy(work, own, 'totp', codes);
    return { answer: { label: row.label } };
  });

const isOf = async (work: Work, authenticator: Id, person: Id): Promise<boolean> =>
  (await authenticators(work).count({
    where: { id: authenticator, personId: person },
    transaction: work.transaction,
  })) > 0;
