import { createDecipheriv, createECDH, createPublicKey, hkdfSync, randomBytes, verify } from 'node:crypto';

/**
 * The receiving side of Web Push, from the RFCs and nothing else: what a browser does with a message (RFC 8291, RFC 8188), and what a push
 * service makes of who sends it (RFC 8292).
 */

/** What a browser keeps of a subscription. */
export interface BrowserKeys {
  readonly privateKey: Buffer;
  /** An uncompressed point of P-256. */
  readonly p256dh: Buffer;
  readonly auth: Buffer;
}

export function makeBrowserKeys(): BrowserKeys {
  const pair = createECDH('prime256v1');
  const p256dh = pair.generateKeys();
  return { privateKey: pair.getPrivateKey(), p256dh, auth: randomBytes(16) };
}

const derived = (secret: Uint8Array, salt: Uint8Array, info: Uint8Array, length: number): Buffer =>
  Buffer.from(hkdfSync('sha256', secret, salt, info, length));

/**
 * Opens a message of one record, RFC 8291 §3.4 and RFC 8188 §2.
 *
 * @throws where it is none, or not for this subscription
 */
export function opened(body: Buffer, { privateKey, p256dh, auth }: BrowserKeys): Buffer {
  const [salt, idLength] = [body.subarray(0, 16), body[20] ?? 0];
  const sender = body.subarray(21, 21 + idLength);
  const record = body.subarray(21 + idLength);
  if (idLength !== 65 || record.length < 18 || record.length > body.readUInt32BE(16))
    throw new Error('no message of one record');
  const pair = createECDH('prime256v1');
  pair.setPrivateKey(privateKey);
  const info = Buffer.concat([Buffer.from('WebPush: info\0'), p256dh, sender]);
  const key = derived(pair.computeSecret(sender), auth, info, 32);
  const content = derived(key, salt, Buffer.from('Content-Encoding: aes128gcm\0'), 16);
  const nonce = derived(key, salt, Buffer.from('Content-Encoding: nonce\0'), 12);
  const opening = createDecipheriv('aes-128-gcm', content, nonce);
  opening.setAuthTag(record.subarray(-16));
  const padded = Buffer.concat([opening.update(record.subarray(0, -16)), opening.final()]);
  // The last record ends with a two and zeros behind it.
  const end = padded.lastIndexOf(2);
  if (end < 0 || padded.subarray(end + 1).some((byte) => byte !== 0)) throw new Error('no end of a last record');
  return padded.subarray(0, end);
}

/** Why a push service does not take a message from somebody; undefined where it does. */
export type Unwelcome =
  'no-authorization' | 'another-key' | 'bad-signature' | 'another-service' | 'time' | 'no-contact';

/**
 * Looks at who sends a message, RFC 8292 §2 and §4.2.
 *
 * @param key what the subscription was made for, in base64url
 * @param origin the push service's own
 */
export function unwelcome(
  authorization: string | undefined,
  key: string,
  origin: string,
  nowSeconds: number,
): Unwelcome | undefined {
  const found = /^vapid t=([\w-]+\.[\w-]+)\.([\w-]+), ?k=([\w-]+)$/.exec(authorization ?? '');
  if (!found) return 'no-authorization';
  const [, signed, signature, k] = found as unknown as [string, string, string, string];
  if (k !== key) return 'another-key';
  const point = Buffer.from(k, 'base64url');
  const [x, y] = [point.subarray(1, 33).toString('base64url'), point.subarray(33).toString('base64url')];
  const by = createPublicKey({ key: { kty: 'EC', crv: 'P-256', x, y }, format: 'jwk' });
  const right = verify(
    'sha256',
    Buffer.from(signed),
    { key: by, dsaEncoding: 'ieee-p1363' },
    Buffer.from(signature, 'base64url'),
  );
  if (!right) return 'bad-signature';
  const claims = JSON.parse(Buffer.from(signed.split('.')[1]!, 'base64url').toString()) as {
    aud?: string;
    exp?: number;
    sub?: string;
  };
  if (claims.aud !== origin) return 'another-service';
  if (claims.exp === undefined || claims.exp < nowSeconds || claims.exp > nowSeconds + 86_400) return 'time';
  return /^(mailto:|https:)/.test(claims.sub ?? '') ? undefined : 'no-contact';
}
