import type { Id } from '../vocabulary.js';
import { aesGcmOpen, aesGcmSeal, constantTimeEqual, hmac, uuidBytes, uuidText } from '../crypto/index.js';
import type { KeyPurpose, KeyState } from '../vocabulary.js';

/** One key of the installation, its material already unwrapped: 32 bytes. */
export interface Key {
  readonly id: Id;
  readonly purpose: KeyPurpose;
  readonly state: KeyState;
  readonly material: Uint8Array;
}

/** A record was written with a key that this key set does not hold: perhaps a newer one, so reload and try again. */
export class UnknownKey extends Error {
  constructor(readonly keyId: Id) {
    super(`The key set holds no key ${keyId}.`);
  }
}

/** A sealed record does not open: altered, cut short, or moved from another record. */
export class SealBroken extends Error {
  constructor(identity: string) {
    super(`The sealed value of ${identity} does not open with its key: it was altered or belongs to another record.`);
  }
}

const VERSION = 1;
const HEADER = 1 + 16 + 12;

/**
 * The key set: seals records (AES-256-GCM with the record's identity as associated data), makes keyed hashes of what
 * is only ever verified, and blind indexes for exact search over sealed fields. Immutable; a reload makes a new one.
 */
export class KeySet {
  readonly #byId = new Map<Id, Key>();
  readonly #active = new Map<KeyPurpose, Key>();

  constructor(keys: Iterable<Key>) {
    for (const key of keys) {
      this.#byId.set(key.id, key);
      if (key.state === 'active') this.#active.set(key.purpose, key);
    }
  }

  /** The key that writes for a purpose. */
  active(purpose: KeyPurpose): Key {
    const key = this.#active.get(purpose);
    if (!key) throw new Error(`The key set has no active key for ${purpose}.`);
    return key;
  }

  /** The key that wrote something. */
  byId(id: Id): Key {
    const key = this.#byId.get(id);
    if (!key) throw new UnknownKey(id);
    return key;
  }

  /** All keys of a purpose that may still be met in records. */
  readable(purpose: KeyPurpose): Key[] {
    return [...this.#byId.values()].filter((key) => key.purpose === purpose && key.state !== 'retired');
  }

  /**
   * Seals a record's field.
   *
   * @param identity what the value belongs to, such as `authenticator/<id>/seed`: it cannot be opened as another's
   * @param nonce 12 random bytes
   * @returns version byte, key id, nonce, cipher text, tag
   */
  seal(purpose: KeyPurpose, identity: string, plain: Uint8Array, nonce: Uint8Array): Buffer {
    const key = this.active(purpose);
    const header = Buffer.concat([Buffer.of(VERSION), uuidBytes(key.id), nonce]);
    return Buffer.concat([header, aesGcmSeal(key.material, nonce, plain, Buffer.from(`${purpose} ${identity}`))]);
  }

  /** Reverses {@link seal}. Throws {@link UnknownKey} or {@link SealBroken}. */
  open(purpose: KeyPurpose, identity: string, sealed: Uint8Array): Buffer {
    if (sealed.length < HEADER + 16 || sealed[0] !== VERSION) throw new SealBroken(identity);
    const key = this.byId(uuidText(sealed.subarray(1, 17)));
    const plain =
      key.purpose === purpose
        ? aesGcmOpen(
            key.material,
            sealed.subarray(17, HEADER),
            sealed.subarray(HEADER),
            Buffer.from(`${purpose} ${identity}`),
          )
        : undefined;
    if (!plain) throw new SealBroken(identity);
    return plain;
  }

  /** Whether a sealed field was written with the key that writes now. */
  isCurrent(purpose: KeyPurpose, sealed: Uint8Array): boolean {
    return uuidText(sealed.subarray(1, 17)) === this.active(purpose).id;
  }

  /** A keyed hash of a secret that is only ever verified (links, API keys, access tokens), with its key's id. */
  hash(context: string, secret: string): { keyId: Id; hash: Buffer } {
    const key = this.active('verify');
    return { keyId: key.id, hash: hmac('sha256', key.material, `${context}\0${secret}`) };
  }

  /** Compares in constant time. */
  verify(context: string, secret: string, stored: { keyId: Id; hash: Uint8Array }): boolean {
    const key = this.byId(stored.keyId);
    return (
      key.purpose === 'verify' && constantTimeEqual(hmac('sha256', key.material, `${context}\0${secret}`), stored.hash)
    );
  }

  /** The blind index of a sealed field's normal form under the key that writes: equal values give equal bytes. */
  blindIndex(field: string, value: string): Buffer {
    return this.#blind(this.active('index'), field, value);
  }

  /** The blind indexes to look for: one for each key that rows may still be indexed with. */
  blindIndexes(field: string, value: string): Buffer[] {
    return this.readable('index').map((key) => this.#blind(key, field, value));
  }

  /** 16 stable bytes that stand in for a person who is not there. */
  decoyId(loginName: string): Buffer {
    return hmac('sha256', this.active('decoy').material, loginName).subarray(0, 16);
  }

  #blind(key: Key, field: string, value: string): Buffer {
    return hmac('sha256', key.material, `${field}\0${value}`);
  }
}
