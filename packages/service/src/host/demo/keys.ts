import { createHash, generateKeyPairSync, randomBytes } from 'node:crypto';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Answer, RouteId, Sent } from '@nimble-latch/api';
import { encode } from 'cborg';
import { write } from '../../platform/db/sql.js';
import { inTransaction } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { idBytes } from '../../platform/ids.js';
import { besideService } from '../beside.js';
import { authenticators } from '../../areas/keyring/authenticator.model.js';
import { within } from '../../platform/db/models.js';

const DAY = 86_400_000;

/** Models of made-up makers: their AAGUIDs, how they are reached, whether their keys are synced. */
const MODELS = [
  {
    label: 'Gullwing Key 1',
    aaguid: '6c1f0d52a4e94b0a8f5d21c7be903a11',
    transports: ['usb'],
    attachment: 'cross-platform',
    synced: false,
  },
  {
    label: 'Gullwing Key 2',
    aaguid: '6c1f0d52a4e94b0a8f5d21c7be903a12',
    transports: ['nfc', 'usb'],
    attachment: 'cross-platform',
    synced: false,
  },
  {
    label: undefined,
    aaguid: 'b02e7a0c91d34c6e9a4400f1d7c3285e',
    transports: ['internal'],
    attachment: 'platform',
    synced: true,
  },
  {
    label: undefined,
    aaguid: '41d8c93e0b7f4d25b1e67a9c5f02d8ab',
    transports: ['hybrid'],
    attachment: 'cross-platform',
    synced: true,
  },
] as const;
const KEYS = 24;

export type CallOf = <R extends RouteId>(
  route: R,
  given: { params?: Sent<R, 'params'>; query?: string; body?: Sent<R, 'body'>; token?: string; ifMatch?: number },
) => Promise<Answer<R>>;

/** Makes a key as an authenticator would (WebAuthn Level 3 §6.3.2), without attestation. */
function answerTo(
  { rp, challenge }: Answer<'webauthn.begin'>['publicKey'],
  origin: string,
  { aaguid, synced, transports, attachment }: (typeof MODELS)[number],
): Sent<'webauthn.prove', 'body'>['credential'] {
  const { publicKey } = generateKeyPairSync('ec', { namedCurve: 'P-256' });
  const { x, y } = publicKey.export({ format: 'jwk' });
  const coordinate = (text: string | undefined) => Buffer.from(text!, 'base64url');
  const cose = new Map<number, unknown>([
    [1, 2],
    [3, -7],
    [-1, 1],
    [-2, coordinate(x)],
    [-3, coordinate(y)],
  ]);
  const id = randomBytes(32);
  // Present, verified, with a credential; what is synced may be, and is.
  const flags = 0x45 | (synced ? 0x18 : 0);
  const authData = Buffer.concat([
    createHash('sha256').update(rp.id).digest(),
    Buffer.from([flags, 0, 0, 0, 0]),
    Buffer.from(aaguid, 'hex'),
    Buffer.from([0, id.length]),
    id,
    encode(cose),
  ]);
  const clientDataJSON = JSON.stringify({ type: 'webauthn.create', challenge, origin, crossOrigin: false });
  const attestationObject = encode(
    new Map<string, unknown>([
      ['fmt', 'none'],
      ['attStmt', new Map()],
      ['authData', authData],
    ]),
  );
  return {
    id: id.toString('base64url'),
    rawId: id.toString('base64url'),
    type: 'public-key',
    authenticatorAttachment: attachment,
    clientExtensionResults: { credProps: { rk: true } },
    response: {
      clientDataJSON: Buffer.from(clientDataJSON).toString('base64url'),
      attestationObject: Buffer.from(attestationObject).toString('base64url'),
      transports: [...transports],
    },
  };
}

/** The stand-in's files; they are there where the whole project is. */
const METADATA = besideService('standins/metadata');

/** Whom metadata are believed from, what they say of the models, and how many keys somebody should hold. */
async function learnModels(call: CallOf): Promise<void> {
  const { version } = await call('keyMetadata.show', {});
  const root = readFileSync(join(METADATA, 'root.pem'), 'utf8');
  await call('keyMetadata.edit', { body: { root }, ifMatch: version });
  await call('keyMetadata.read', { body: { blob: readFileSync(join(METADATA, 'blob.jwt'), 'utf8') } });
  const methods = await call('methods.show', {});
  const rows = methods.rows.map(({ group, cells }) => ({
    group,
    cells: cells.webauthn ? { ...cells, webauthn: { ...cells.webauthn, parameters: { shouldHold: 2 } } } : cells,
  }));
  await call('methods.edit', { body: { rows, lockedOut: 0 }, ifMatch: methods.version });
}

/**
 * Keys of some who have an app already, enrolled at the desk one after the other. Nobody holds their private halves: they are there to
 * be looked at. One was copied, it seems.
 */
export async function loadKeys(deps: Deps, call: CallOf, clock: { at: number }, today: number): Promise<number> {
  const { rows: people } = await call('people.list', { query: `coverage=two-factors&state=active&limit=100` });
  const { rows: applications } = await call('applications.list', { query: 'limit=50' });
  const planner = applications.find(({ name }) => name === 'Berth Planner')!;
  // Of those who have signed in: what they last did may have been done with the key.
  const holders = people.filter(({ lastSeenAt }) => lastSeenAt !== null).slice(0, KEYS);
  for (const [i, { id, lastSeenAt }] of holders.entries()) {
    clock.at = today - (30 - i) * DAY;
    const model = MODELS[i % MODELS.length]!;
    const begun = await call('webauthn.begin', {
      params: { id },
      body: model.label === undefined ? {} : { carrier: model.label },
    });
    const credential = answerTo(begun.publicKey, deps.config.publicUrl.origin, model);
    const proved = await call('webauthn.prove', { params: { id: begun.authenticator.id }, body: { credential } });
    // The latest have not been used since they were handed over.
    if (i >= holders.length - 3) continue;
    const used = new Date(lastSeenAt!);
    await authenticators(deps).update(
      { lastUsedAt: used, lastUsedIn: planner.id },
      { where: { id: proved.id }, ...within(deps) },
    );
    if (i !== 5) continue;
    await inTransaction({ ...deps, now: () => used }, async (work) => {
      await write(work, 'UPDATE webauthn_credentials SET copied_at = :at WHERE authenticator_id = :id', {
        at: used,
        id: idBytes(proved.id),
      });
      await work.trail({
        actor: { kind: 'application', id: planner.id },
        action: 'authenticator.copied',
        target: { kind: 'authenticator', id: proved.id },
        person: id,
        origin: '198.51.100.20',
        reason: null,
        details: {},
      });
    });
  }
  clock.at = today - 3 * DAY;
  await learnModels(call);
  clock.at = today;
  return holders.length;
}
