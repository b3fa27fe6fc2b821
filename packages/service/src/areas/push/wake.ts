import { createECDH } from 'node:crypto';
import type { Subscription } from '@nimble-latch/core/push';
import type { Id } from '@nimble-latch/core/vocabulary';
import { LRUCache } from 'lru-cache';
import type { Delivery } from '../../platform/delivery/sender.js';
import { sendAllLater } from '../../platform/delivery/outbox.js';
import { insertion, carryOut, select, selectOne, write } from '../../platform/db/sql.js';
import { inTransaction } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { Refusal } from '../../platform/errors.js';
import type { Handler } from '../../platform/http/call.js';
import { idBytes, idText, newId } from '../../platform/ids.js';
import { heard } from './devices.js';
import { pushSenders, senderIdentity } from './push-sender.model.js';
import { pushWakes, wakeIdentity } from './push-wake.model.js';

/** How long a statement of who we are is good (RFC 8292 §2: a day at most), and for how long it is used. */
const SAID_FOR_SECONDS = 12 * 3600;
const SAID_AGAIN_MS = 6 * 3_600_000;

interface Sender {
  /** In base64url, as browsers and the package take it. */
  readonly publicKey: string;
  readonly privateKey: string;
}

/** By what this node says to push services who it is. */
export class PhoneWaking {
  #sender: Promise<Sender> | undefined;
  readonly #said = new LRUCache<string, string>({ max: 100, ttl: SAID_AGAIN_MS });

  /** The one key of the installation, made by whichever node needs it first. */
  async sender(deps: Deps): Promise<Sender> {
    this.#sender ??= readSender(deps).catch((error: unknown) => {
      this.#sender = undefined;
      throw error;
    });
    return await this.#sender;
  }

  /** The header by which a push service knows that it is us, RFC 8292 §3; for all messages of some hours the same. */
  async authorization(deps: Deps, endpoint: string): Promise<string> {
    const { origin } = new URL(endpoint);
    const kept = this.#said.get(origin);
    if (kept !== undefined) return kept;
    const { publicKey, privateKey } = await this.sender(deps);
    // Loaded with the first that is woken: most nodes never do.
    const { default: package_ } = await import('web-push');
    const expires = Math.floor(deps.now().getTime() / 1_000) + SAID_FOR_SECONDS;
    const contact = `https://${deps.config.publicUrl.host}`;
    const said = package_.getVapidHeaders(origin, contact, publicKey, privateKey, 'aes128gcm', expires).Authorization;
    this.#said.set(origin, said);
    return said;
  }
}

async function readSender(deps: Deps): Promise<Sender> {
  // Over the pool that no transaction holds connections of: whoever holds one may wait for it.
  const aside = { sequelize: deps.settingsPool };
  const find = async () =>
    await selectOne<{ id: Buffer; public_key: Buffer; private_sealed: Buffer }>(
      aside,
      'SELECT id, public_key, private_sealed FROM push_senders WHERE only_one = 1',
    );
  let row = await find();
  if (!row) {
    const pair = createECDH('prime256v1');
    const publicKey = pair.generateKeys();
    const id = newId(deps);
    // Without zeros in front it may be shorter than the field; RFC 7518 §6.2.2.1 has it as long.
    const secret = Buffer.concat([Buffer.alloc(32), pair.getPrivateKey()]).subarray(-32);
    const made = pushSenders.sent({
      id,
      onlyOne: 1,
      publicKey,
      privateSealed: deps.keys.current.seal('token', senderIdentity(id), secret, deps.random(12)),
      createdAt: deps.now(),
    });
    // Of two nodes that make one, one is kept.
    const { sql, values } = insertion('push_senders', made);
    await write(aside, sql.replace(/^INSERT/, 'INSERT IGNORE'), values);
    row = await find();
  }
  const { id, public_key, private_sealed } = row!;
  const secret = await deps.keys.opening((keys) => keys.open('token', senderIdentity(idText(id)), private_sealed));
  return { publicKey: public_key.toString('base64url'), privateKey: secret.toString('base64url') };
}

/** A phone says how it can be woken, or that it cannot any more. */
export const subscribePhone: Handler<'phones.subscribe'> = async (deps, call) => {
  const { message, device } = await heard(deps, call.body.token, 'subscribe');
  const { subscription } = message;
  const id = idText(device.id);
  if (subscription && !mayBeGoneTo(deps, subscription.endpoint)) throw new Refusal('push-service-refused');
  return await call.run(async (work) => {
    await write(work, 'DELETE FROM push_wakes WHERE id = :id', { id: device.id });
    if (!subscription) return { answer: { wakes: false } };
    const plain = Buffer.from(JSON.stringify(subscription));
    await carryOut(
      work,
      insertion(
        'push_wakes',
        pushWakes.sent({
          id,
          subscriptionSealed: deps.keys.current.seal('contact', wakeIdentity(id), plain, deps.random(12)),
          madeAt: work.now,
          goneAt: null,
        }),
      ),
    );
    return { answer: { wakes: true } };
  });
};

/** By TLS, but to what the host's settings name as internal; where it leads is looked at each time that it is gone to. */
const mayBeGoneTo = ({ config }: Deps, endpoint: string): boolean => {
  const { protocol, hostname, username, password } = new URL(endpoint);
  return (
    username === '' && password === '' && (protocol === 'https:' || config.internal.names.has(hostname.toLowerCase()))
  );
};

const WAKEABLE = `SELECT w.id, w.subscription_sealed, d.unlock_id IS NOT NULL AS unlocks FROM push_wakes w JOIN push_devices d ON d.authenticator_id = w.id JOIN authenticators a ON a.id = w.id LEFT JOIN carriers c ON c.id = a.carrier_id
  WHERE a.person_id = :person AND a.state = 'active' AND w.gone_at IS NULL AND COALESCE(c.state, '') <> 'lost'`;

/**
 * Wakes all phones of somebody that can be, once they are asked something. Nothing waits for it and nothing depends on it: a page that is open
 * sees the question by itself.
 *
 * @param until milliseconds since 1970, until when they are asked
 * @param only which of them are asked, where it is not all
 */
export function wakePhones(
  deps: Deps,
  person: Id,
  until: number,
  only: { readonly device?: Id; readonly unlocked?: boolean } = {},
): void {
  const waking = async (): Promise<void> => {
    const rows = (
      await select<{ id: Buffer; subscription_sealed: Buffer; unlocks: number }>(deps, WAKEABLE, {
        person: idBytes(person),
      })
    ).filter(
      ({ id, unlocks }) =>
        (only.device === undefined || idText(id) === only.device) && (!only.unlocked || Number(unlocks) === 1),
    );
    if (rows.length === 0) return;
    const usefulMs = until - deps.now().getTime();
    const messages = await Promise.all(
      rows.map(async ({ id, subscription_sealed }) => {
        const device = idText(id);
        const plain = await deps.keys.opening((keys) =>
          keys.open('contact', wakeIdentity(device), subscription_sealed),
        );
        const { endpoint, p256dh, auth } = JSON.parse(plain.toString()) as Subscription;
        const authorization = await deps.phoneWaking.authorization(deps, endpoint);
        return {
          message: { kind: 'web-push', endpoint, p256dh, auth, authorization, until } as const,
          usefulMs,
          about: { kind: 'push-device', id: device },
        };
      }),
    );
    await inTransaction(deps, async (work) => await sendAllLater(deps, work, messages));
  };
  waking().catch((error: unknown) =>
    deps.log.warn({ error }, 'phones could not be woken; who looks sees the question'),
  );
}

/** A push service that knows nothing of a subscription any more is asked no more; the phone hears of it, and makes another. */
export async function wakeTold(deps: Deps, devices: readonly Id[], delivery: Delivery): Promise<void> {
  if (delivery !== 'gone') return;
  await write(deps, 'UPDATE push_wakes SET gone_at = UTC_TIMESTAMP(3) WHERE id IN (:ids) AND gone_at IS NULL', {
    ids: devices.map(idBytes),
  });
}
