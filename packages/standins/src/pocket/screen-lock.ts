import { createHash, generateKeyPairSync, randomBytes, sign } from 'node:crypto';
import { encode } from 'cborg';

/** What a phone's own verification answers, in the members of `unlock` (docs/push-protocol.md). */
export type UnlockMember = Readonly<Record<string, string>>;

const sha256 = (...parts: readonly (Uint8Array | string)[]): Buffer => {
  const hash = createHash('sha256');
  for (const part of parts) hash.update(part);
  return hash.digest();
};
const base64url = (bytes: Uint8Array): string => Buffer.from(bytes).toString('base64url');

const [PRESENT, VERIFIED, ATTESTED] = [0x01, 0x04, 0x40];

/**
 * The screen lock of a phone as its browser offers it: a credential of Web Authentication that verifies its holder, without attestation.
 * Written from the standard alone.
 */
export class ScreenLock {
  /** The holder lays a finger on it, and not another's. */
  verifies = true;
  /** Where the page says that it is. */
  origin: string;
  #count = 0;
  readonly #keys = generateKeyPairSync('ec', { namedCurve: 'P-256' });
  readonly #id = randomBytes(32);

  constructor(
    readonly rpId: string,
    origin: string,
  ) {
    this.origin = origin;
  }

  /** Web Authentication Level 3 §6.1, with attested credential data (§6.5.1) where it is made. */
  #authData(attested: Uint8Array = new Uint8Array()): Buffer {
    const flags = PRESENT | (this.verifies ? VERIFIED : 0) | (attested.length > 0 ? ATTESTED : 0);
    const count = Buffer.alloc(4);
    count.writeUInt32BE(this.#count);
    return Buffer.concat([sha256(this.rpId), Buffer.from([flags]), count, attested]);
  }

  #clientData(type: 'webauthn.create' | 'webauthn.get', challenge: Uint8Array): Buffer {
    return Buffer.from(
      JSON.stringify({ type, challenge: base64url(challenge), origin: this.origin, crossOrigin: false }),
    );
  }

  made(challenge: Uint8Array): UnlockMember {
    const { x, y } = this.#keys.publicKey.export({ format: 'jwk' });
    const [xs, ys] = [Buffer.from(x!, 'base64url'), Buffer.from(y!, 'base64url')];
    // COSE_Key of ES256 (RFC 9053 §7.1.1).
    const key = encode(
      new Map<number, number | Uint8Array>([
        [1, 2],
        [3, -7],
        [-1, 1],
        [-2, xs],
        [-3, ys],
      ]),
    );
    const length = Buffer.alloc(2);
    length.writeUInt16BE(this.#id.length);
    const authData = this.#authData(Buffer.concat([Buffer.alloc(16), length, this.#id, key]));
    return {
      clientData: base64url(this.#clientData('webauthn.create', challenge)),
      credential: base64url(this.#id),
      attestation: base64url(encode({ fmt: 'none', attStmt: {}, authData: new Uint8Array(authData) })),
    };
  }

  used(challenge: Uint8Array): UnlockMember {
    this.#count += 1;
    const [clientData, authData] = [this.#clientData('webauthn.get', challenge), this.#authData()];
    const signature = sign('sha256', Buffer.concat([authData, sha256(clientData)]), this.#keys.privateKey);
    return { clientData: base64url(clientData), authData: base64url(authData), signature: base64url(signature) };
  }
}
