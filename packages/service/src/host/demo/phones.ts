import { generateKeyPairSync, sign, type KeyObject } from 'node:crypto';
import { canonicalJson, type Json } from '@nimble-latch/core/crypto';
import { nameKey } from '@nimble-latch/core/people';
import { thumbprint, typeOf, type PushMessageKind } from '@nimble-latch/core/push';
import type { Sent } from '@nimble-latch/api';
import type { Id } from '@nimble-latch/core/vocabulary';
import type { Deps } from '../../platform/deps.js';
import { entryOf, type OperatorActor } from '../../platform/http/actors.js';
import { idBytes } from '../../platform/ids.js';
import type { NewEntry } from '../../platform/trail/writer.js';
import { idAt, type BulkLoad, type Loaded } from './bulk.js';
import type { CallOf } from './keys.js';
import { DEMO_PASSWORD } from './world.js';

const DAY = 86_400_000;

/** Whose phone nobody looks at any more: she has a new one. */
export const SILENT = 'Rosalind Quay';
/** Who was asked for a stranger's sign-in, and said so. */
const REPORTS = 'Noor Haddad';
const BROWSER = 'Mozilla/5.0 (X11; Linux x86_64) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/141.0.0.0 Safari/537.36';

/** A phone, as far as this demo goes with it; nobody keeps its key. */
class BriefPhone {
  readonly #key: KeyObject;
  readonly jwk: { readonly kty: string; readonly crv: string; readonly x: string; readonly y: string };
  device = '';

  constructor(
    readonly origin: string,
    readonly nowMs: () => number,
  ) {
    const { privateKey, publicKey } = generateKeyPairSync('ec', { namedCurve: 'P-256' });
    const { x, y } = publicKey.export({ format: 'jwk' });
    this.#key = privateKey;
    this.jwk = { kty: 'EC', crv: 'P-256', x: x!, y: y! };
  }

  says(kind: PushMessageKind, payload: Record<string, Json>, header: Record<string, Json> = {}): { token: string } {
    const iat = Math.floor(this.nowMs() / 1_000);
    const parts = [
      { alg: 'ES256', typ: typeOf(kind), ...header },
      { v: 1, aud: this.origin, iat, ...(this.device === '' ? {} : { dev: this.device }), ...payload },
    ];
    const input = parts.map((part) => Buffer.from(canonicalJson(part)).toString('base64url')).join('.');
    const made = sign('sha256', Buffer.from(input), { key: this.#key, dsaEncoding: 'ieee-p1363' });
    return { token: `${input}.${made.toString('base64url')}` };
  }
}

/** Adds a phone that approved once, and has asked nothing for weeks. */
export async function addSilentPhone(
  deps: Deps,
  bulk: BulkLoad,
  { id: person, who }: Loaded,
  at: Date,
  byOwner: { readonly actor: OperatorActor; readonly origin: string },
): Promise<{ at: Date; entry: NewEntry }[]> {
  const [id, carrier] = [idAt(deps, at), idAt(deps, at)];
  const personId = idBytes(person);
  await bulk.add('carriers', {
    id: idBytes(carrier),
    personId,
    kind: 'phone',
    state: 'in-hand',
    label: `${who.displayName.split(' ')[0]}’s old phone`,
    serial: null,
    serialKey: null,
    createdAt: at,
  });
  await bulk.add('authenticators', {
    id: idBytes(id),
    personId,
    method: 'push',
    label: 'Phone that approves',
    parameters: '{}',
    passwordOf: null,
    state: 'active',
    lastUsedAt: null,
    carrierId: idBytes(carrier),
    secretSealed: null,
    lastStep: null,
    createdAt: at,
    activatedAt: at,
  });
  await bulk.add('person_methods', { personId, method: 'push', nameKey: nameKey(who.displayName) });
  const { x, y } = new BriefPhone('', () => 0).jwk;
  const key = { x: Buffer.from(x, 'base64url'), y: Buffer.from(y, 'base64url') };
  await bulk.add('push_devices', {
    authenticatorId: idBytes(id),
    keyX: key.x,
    keyY: key.y,
    thumbprint: thumbprint(key),
    seenAt: new Date(at.getTime() + 17 * DAY),
    answeredAt: new Date(at.getTime() + 16 * DAY),
  });
  const target = { kind: 'authenticator', id } as const;
  return [
    { at, entry: entryOf(byOwner, 'authenticator.begun', target, { person, details: { method: 'push' } }) },
    { at: new Date(at.getTime() + 60_000), entry: entryOf(byOwner, 'authenticator.proved', target, { person }) },
  ];
}

/**
 * Approvals on phones are offered to everybody, and to the tower by a tap alone once something else was proved. Somebody was asked just now for what
 * they did not begin, and said so. It is played at the present: what a phone is asked lasts seconds.
 *
 * @param call with a clock that shows the time
 */
export async function loadPhones(
  deps: Deps,
  call: CallOf,
  groups: ReadonlyMap<string, Id>,
  plannerKey: string,
  idOf: (name: string) => Promise<Id | undefined>,
): Promise<void> {
  const { rows, version } = await call('methods.show', {});
  const push = {
    enrol: true,
    purposes: ['sign-in' as const, 'enrol' as const],
    parameters: { codes: 'made' as const },
  };
  const tower = groups.get('harbour-control')!;
  const plain = { ...push, parameters: { ...push.parameters, number: 'not-typed' as const } };
  await call('methods.edit', {
    body: {
      rows: [
        { group: tower, cells: { ...rows.find(({ group }) => group === tower)?.cells, push: plain } },
        ...rows
          .filter(({ group }) => group !== tower)
          .map(({ group, cells }) => ({ group, cells: group === null ? { ...cells, push } : cells })),
      ],
      lockedOut: 0,
    },
    ifMatch: version,
  });
  deps.methods.forget();
  const person = await idOf(REPORTS);
  if (!person) return;
  const begun = await call('push.begin', {
    params: { id: person },
    body: { label: 'Phone that approves', carrier: { kind: 'phone', label: 'Noor’s phone', serial: null } },
  });
  const phone = new BriefPhone(deps.config.publicUrl.origin, () => deps.now().getTime());
  const code = new URL(begun.link).hash.slice(1);
  const came = await call('phones.enrol', { body: phone.says('enrol', { code }, { jwk: phone.jwk }) });
  phone.device = came.device;
  const answer = async (decision: 'approve' | 'not-me') => {
    const { requests } = await call('phones.fetch', { body: phone.says('fetch', {}) });
    const { id: req, challenge } = requests[0]!;
    await call('phones.answer', { body: phone.says('answer', { req, challenge, decision }) });
  };
  await answer('approve');
  await call('push.prove', { params: { id: begun.authenticator.id } });
  const token = plannerKey;
  const signIn = await call('signIns.begin', {
    token,
    body: {
      loginName: 'noor.haddad',
      carries: ['password', 'code', 'wait'],
      claims: { sourceAddress: '203.0.113.66', browser: BROWSER },
    },
  });
  const proof = { kind: 'password', value: DEMO_PASSWORD } as const;
  const prove = async (body: Sent<'signIns.prove', 'body'>) =>
    await call('signIns.prove', { token, params: { id: signIn.id }, body });
  const { prompt } = await prove(proof);
  if (prompt?.kind !== 'wait') await prove({ kind: 'choose', value: 'push' });
  await answer('not-me');
}
