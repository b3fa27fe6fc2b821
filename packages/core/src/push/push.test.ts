import { createHash, createPublicKey, webcrypto } from 'node:crypto';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { canonicalJson, type Json } from '../crypto/index.js';
import { decoded, isMadeBy, readCompact } from './jws.js';
import { PUSH_REQUEST_STATES } from '../vocabulary.js';
import {
  deviceKeyObject,
  drawNumber,
  mayAskPhones,
  readPush,
  readPushEnrolment,
  thumbprint,
  typeOf,
  type DeviceKey,
  type LatelyAsked,
} from './index.js';

const INSTALLATION = 'https://latch.wexmoor.example';
const NOW = Date.UTC(2026, 10, 30, 9);
const AT = { installation: INSTALLATION, nowMs: NOW };
const DEVICE = '01a22bb4-2b5d-7000-808d-8ce2c18590e5';
const REQUEST = '01a22bb4-4537-7000-a41b-6a205aad64dc';
const CHALLENGE = Buffer.alloc(32, 7).toString('base64url');

/** A phone, by the browser's own cryptography and nothing of ours. */
async function phone() {
  const { privateKey, publicKey } = await webcrypto.subtle.generateKey({ name: 'ECDSA', namedCurve: 'P-256' }, false, [
    'sign',
    'verify',
  ]);
  const { x, y } = await webcrypto.subtle.exportKey('jwk', publicKey);
  const key: DeviceKey = { x: Buffer.from(x!, 'base64url'), y: Buffer.from(y!, 'base64url') };
  const raw = async (header: string, payload: string) => {
    const input = [header, payload].map((part) => Buffer.from(part).toString('base64url')).join('.');
    const made = await webcrypto.subtle.sign({ name: 'ECDSA', hash: 'SHA-256' }, privateKey, Buffer.from(input));
    return `${input}.${Buffer.from(made).toString('base64url')}`;
  };
  const sign = async (typ: string, payload: Record<string, Json>, header: Record<string, Json> = {}) =>
    await raw(canonicalJson({ alg: 'ES256', typ, ...header }), canonicalJson(payload));
  return { key, jwk: { kty: 'EC', crv: 'P-256', x: x!, y: y! }, sign, raw };
}
const answer = (more: Record<string, Json> = {}) => ({
  v: 1,
  aud: INSTALLATION,
  iat: NOW / 1000,
  dev: DEVICE,
  req: REQUEST,
  challenge: CHALLENGE,
  decision: 'approve',
  number: '42',
  ...more,
});

describe('what a phone says', () => {
  it('is taken where its key signed it for this installation, now', async () => {
    const one = await phone();
    const known = async (device: string) =>
      await Promise.resolve(device === DEVICE ? deviceKeyObject(one.key) : undefined);
    const read = async (token: string) => await readPush(token, 'answer', AT, known);
    expect(await read(await one.sign(typeOf('answer'), answer()))).toEqual({
      ok: true,
      message: {
        device: DEVICE,
        request: REQUEST,
        challenge: Buffer.alloc(32, 7),
        decision: 'approve',
        number: '42',
        unlock: null,
        codes: [],
      },
    });
    const { number: _, ...without } = answer();
    for (const decision of ['deny', 'not-me'])
      expect(await read(await one.sign(typeOf('answer'), { ...without, decision }))).toMatchObject({
        ok: true,
        message: { decision, number: null },
      });
    const fetching = { v: 1, aud: INSTALLATION, iat: NOW / 1000, dev: DEVICE };
    expect(await readPush(await one.sign(typeOf('fetch'), fetching), 'fetch', AT, known)).toEqual({
      ok: true,
      message: { device: DEVICE, page: null },
    });
    const ofPage = async (page: Json) =>
      await readPush(await one.sign(typeOf('fetch'), { ...fetching, page }), 'fetch', AT, known);
    expect(await ofPage('D8G32xVa')).toMatchObject({ ok: true, message: { page: 'D8G32xVa' } });
    for (const page of [null, '', 7, 'a b', '/x', 'x'.repeat(41)])
      expect(await ofPage(page)).toEqual({ ok: false, reason: 'malformed' });
    const sub = {
      endpoint: 'https://push.example/one',
      p256dh: Buffer.alloc(65, 4).toString('base64url'),
      auth: 'A'.repeat(22),
    };
    for (const subscription of [sub, null])
      expect(
        await readPush(await one.sign(typeOf('subscribe'), { ...fetching, sub: subscription }), 'subscribe', AT, known),
      ).toMatchObject({ ok: true, message: { subscription } });
    const enrol = { v: 1, aud: INSTALLATION, iat: NOW / 1000, code: 'ABCD' };
    expect(readPushEnrolment(await one.sign(typeOf('enrol'), enrol, { jwk: one.jwk }), AT)).toEqual({
      ok: true,
      message: { code: 'ABCD', key: one.key },
    });
  });

  it('is refused for each thing that is otherwise, and told apart only where the key is right', async () => {
    const [one, other] = [await phone(), await phone()];
    const known = async (device: string) =>
      await Promise.resolve(device === DEVICE ? deviceKeyObject(one.key) : undefined);
    const why = async (token: string) => {
      const read = await readPush(token, 'answer', AT, known);
      return read.ok ? 'taken' : read.reason;
    };
    const of = async (more: Record<string, Json>, by = one) => await why(await by.sign(typeOf('answer'), answer(more)));
    expect(await of({}, other)).toBe('signature');
    expect(await of({ dev: REQUEST })).toBe('signature');
    expect(await of({ aud: 'https://elsewhere.example' })).toBe('other-installation');
    expect(await of({ v: 2 })).toBe('other-version');
    for (const seconds of [-600, -121, 121, 600]) expect(await of({ iat: NOW / 1000 + seconds })).toBe('clock');
    for (const seconds of [-120, 120]) expect(await of({ iat: NOW / 1000 + seconds })).toBe('taken');
    // Somebody without the key is not told that it is the time.
    expect(await of({ iat: NOW / 1000 + 600 }, other)).toBe('signature');
    const { number: _, ...numberless } = answer();
    for (const [name, payload] of Object.entries({
      'a number of one digit': answer({ number: '7' }),
      'a number that is one': answer({ number: 42 }),
      'a number with a refusal': answer({ decision: 'deny' }),
      'another decision': { ...numberless, decision: 'maybe' },
      'a short challenge': answer({ challenge: 'AAAA' }),
      'a challenge with stray bits': answer({ challenge: `${CHALLENGE.slice(0, -1)}d` }),
      'a request that is no id': answer({ req: `${REQUEST}0` }),
      'a time that is text': answer({ iat: String(NOW / 1000) }),
      'a time between two': answer({ iat: NOW / 1000 + 0.5 }),
      'a member more': answer({ more: 1 }),
    }))
      expect(await why(await one.sign(typeOf('answer'), payload)), name).toBe('malformed');
    expect(await why(await one.sign(typeOf('fetch'), answer()))).toBe('malformed');
    expect(await why(await one.sign(typeOf('answer'), answer(), { alg: 'none' }))).toBe('malformed');
    expect(await why(await one.sign(typeOf('answer'), answer(), { crit: ['b64'] }))).toBe('malformed');
    // A member that stands twice, and another spelling of the same.
    const payload = canonicalJson(answer());
    const head = canonicalJson({ alg: 'ES256', typ: typeOf('answer') });
    expect(await why(await one.raw(head, payload))).toBe('taken');
    expect(await why(await one.raw(head, payload.replace('{', '{"number":"42",')))).toBe('malformed');
    expect(await why(await one.raw(head, payload.replace('{', '{ ')))).toBe('malformed');
  });

  it('carries what the phone verified its holder by, bound to all else that it says', async () => {
    const one = await phone();
    const known = async () => await Promise.resolve(deviceKeyObject(one.key));
    const read = async (payload: Record<string, Json>) =>
      await readPush(await one.sign(typeOf('answer'), payload), 'answer', AT, known);
    const text = (bytes: string) => Buffer.from(bytes).toString('base64url');
    const made = { clientData: text('{}'), credential: text('id'), attestation: text('object') };
    const used = { clientData: text('{}'), authData: text('data'), signature: text('signature') };
    const challenge = createHash('sha256').update(canonicalJson(answer())).digest();
    // The vector of docs/push-protocol.md.
    expect(challenge.toString('base64url')).toBe('gRyEzDX-l0OubtUAkRNB0pnfyBJwM9_ua8PCh0FnAjg');
    expect(await read(answer({ unlock: made }))).toMatchObject({
      ok: true,
      message: { unlock: { challenge, said: { kind: 'made', credential: Buffer.from('id') } } },
    });
    expect(await read(answer({ unlock: used }))).toMatchObject({
      ok: true,
      message: { unlock: { challenge, said: { kind: 'used', signature: Buffer.from('signature') } } },
    });
    // Whatever else is said, something else is verified; what verifies it is no part of that.
    const all = [{}, { number: '43' }, { req: DEVICE }, { iat: NOW / 1000 + 1 }, { challenge: text('x'.repeat(32)) }];
    const challenges = await Promise.all(
      all.map(async (more) => {
        const taken = await read(answer({ ...more, unlock: used }));
        return taken.ok ? taken.message.unlock!.challenge.toString('hex') : 'refused';
      }),
    );
    expect(new Set(challenges).size).toBe(all.length);
    expect(challenges).not.toContain('refused');
    const { number: _, ...numberless } = answer();
    for (const [name, payload] of Object.entries({
      'with a refusal': { ...numberless, decision: 'deny', unlock: used },
      'of both kinds': answer({ unlock: { ...used, ...made } }),
      'of neither': answer({ unlock: { clientData: text('{}') } }),
      'with a member more': answer({ unlock: { ...used, more: text('1') } }),
      'with nothing in it': answer({ unlock: { ...used, signature: '' } }),
      'in another spelling': answer({ unlock: { ...used, signature: 'AB' } }),
      'with an id too long': answer({ unlock: { ...made, credential: text('x'.repeat(1_024)) } }),
      'as text': answer({ unlock: 'yes' }),
      'as none': answer({ unlock: null }),
    }))
      expect(await read(payload), name).toEqual({ ok: false, reason: 'malformed' });
  });

  it('shows codes with an approval, as they are typed', async () => {
    const one = await phone();
    const known = async () => await Promise.resolve(deviceKeyObject(one.key));
    const codesOf = async (more: Record<string, Json>) => {
      const read = await readPush(await one.sign(typeOf('answer'), answer(more)), 'answer', AT, known);
      return read.ok ? read.message.codes : read.reason;
    };
    expect(await codesOf({ codes: ['012345', '543210'] })).toEqual(['012345', '543210']);
    for (const codes of [[], ['12345'], ['123456789'], [123456], ['12345a'], ['1', '2', '3', '4'], '123456', null])
      expect(await codesOf({ codes })).toBe('malformed');
    const { number: _, ...numberless } = answer();
    const denied = { ...numberless, decision: 'deny', codes: ['012345'] };
    expect(await readPush(await one.sign(typeOf('answer'), denied), 'answer', AT, known)).toMatchObject({ ok: false });
  });

  it('holds no bit that could be another', async () => {
    const one = await phone();
    const known = async () => await Promise.resolve(deviceKeyObject(one.key));
    const token = await one.sign(typeOf('answer'), answer());
    await fc.assert(
      fc.asyncProperty(fc.nat(token.length - 1), fc.integer({ min: 33, max: 126 }), async (at, byte) => {
        const letter = String.fromCharCode(byte);
        fc.pre(token[at] !== letter);
        const changed = `${token.slice(0, at)}${letter}${token.slice(at + 1)}`;
        expect((await readPush(changed, 'answer', AT, known)).ok).toBe(false);
      }),
    );
    await fc.assert(
      fc.asyncProperty(fc.string({ unit: 'binary', maxLength: 300 }), async (any) => {
        expect((await readPush(any, 'answer', AT, known)).ok).toBe(false);
        expect(readPushEnrolment(any, AT).ok).toBe(false);
      }),
    );
    expect((await readPush(`${token}${'A'.repeat(13_000)}`, 'answer', AT, known)).ok).toBe(false);
  });

  it('enrols a key that it holds, and no other', async () => {
    const [one, other] = [await phone(), await phone()];
    const enrol = { v: 1, aud: INSTALLATION, iat: NOW / 1000, code: 'ABCD' };
    const why = async (jwk: Json, by = one) => {
      const read = readPushEnrolment(await by.sign(typeOf('enrol'), enrol, { jwk }), AT);
      return read.ok ? 'taken' : read.reason;
    };
    expect(await why(one.jwk)).toBe('taken');
    expect(await why(other.jwk)).toBe('signature');
    // A point beside the curve, a key with its private half, another curve, none.
    expect(await why({ ...one.jwk, y: one.jwk.x })).toBe('signature');
    expect(await why({ ...one.jwk, d: one.jwk.x })).toBe('malformed');
    expect(await why({ ...one.jwk, crv: 'P-384' })).toBe('malformed');
    expect(await why(null)).toBe('malformed');
  });

  it('is signed and named as the standards have it', () => {
    // RFC 7515 appendix A.3.
    const jws = {
      input:
        'eyJhbGciOiJFUzI1NiJ9.eyJpc3MiOiJqb2UiLA0KICJleHAiOjEzMDA4MTkzODAsDQogImh0dHA6Ly9leGFtcGxlLmNvbS9pc19yb290Ijp0cnVlfQ',
      signature: 'DtEhU3ljbEg8L38VWAfUAqOyKAM6-Xx-F4GawxaepmXFCgfTjDxw5djxLa8ISlSApmWQxfKTUJqPP3-Kg6NU1Q',
      x: 'f83OJ3D2xF1Bg8vub9tLe1gHMzV76e8Tus9uPHvRVEU',
      y: 'x_FEzRu9m36HLN_tue659LNpXW6pCyStikYjKIWI5a0',
    };
    const key = { x: decoded(jws.x)!, y: decoded(jws.y)! };
    const signed = {
      header: {},
      payload: {},
      input: Buffer.from(jws.input),
      signature: decoded(jws.signature)!,
    };
    expect(isMadeBy(signed, deviceKeyObject(key)!)).toBe(true);
    expect(isMadeBy({ ...signed, input: Buffer.from(`${jws.input}A`) }, deviceKeyObject(key)!)).toBe(false);
    // Its payload is no canonical JSON: that is ours to ask, since we write it ourselves.
    expect(readCompact(`${jws.input}.${jws.signature}`)).toBeUndefined();
    // RFC 7638 §3.2: the members in their order, whatever library counts them.
    const jwk = createPublicKey({ key: { kty: 'EC', crv: 'P-256', x: jws.x, y: jws.y }, format: 'jwk' }).export({
      format: 'jwk',
    });
    expect(thumbprint({ x: decoded(jwk.x!)!, y: decoded(jwk.y!)! })).toEqual(thumbprint(key));
    expect(thumbprint(key).toString('base64url')).toBe('oKIywvGUpTVTyxMQ3bwIIeQUudfr_CkLMjCE19ECD-U');
  });
});

describe('the number that is shown', () => {
  it('has two digits, each of the hundred as likely, whatever the bytes', () => {
    const seen = new Map<string, number>();
    for (let byte = 0; byte < 256; byte++) {
      const bytes = [byte, 5];
      const number = drawNumber(() => Uint8Array.from(bytes));
      expect(number).toMatch(/^\d\d$/);
      if (byte < 200) seen.set(number, (seen.get(number) ?? 0) + 1);
    }
    expect(new Set(seen.values())).toEqual(new Set([2]));
    expect(seen.size).toBe(100);
  });
});

describe('asking the phones', () => {
  const ago = (minutes: number, state: LatelyAsked['state'], lane: LatelyAsked['lane'] = 'stranger'): LatelyAsked => ({
    state,
    lane,
    createdAt: NOW - minutes * 60_000,
    validUntil: NOW - minutes * 60_000 + 90_000,
  });
  const may = (lately: readonly LatelyAsked[], lane: LatelyAsked['lane'] = 'stranger') =>
    mayAskPhones(
      [...lately].sort((a, b) => b.createdAt - a.createdAt),
      lane,
      NOW,
    );

  it('rests after a no and after silence, for a while', () => {
    expect(may([])).toBe(true);
    for (const no of ['denied', 'not-me', 'given-up'] as const) {
      expect(may([ago(14, no)])).toBe(false);
      expect(may([ago(16, no)])).toBe(true);
      expect(may([ago(4, no, 'familiar')], 'familiar')).toBe(false);
      expect(may([ago(6, no, 'familiar')], 'familiar')).toBe(true);
    }
    expect(may([ago(3, 'waiting')])).toBe(true);
    expect(may([ago(3, 'waiting'), ago(8, 'waiting')])).toBe(false);
    expect(may([ago(3, 'waiting'), ago(5, 'used'), ago(8, 'waiting')])).toBe(true);
    expect(may([ago(3, 'withdrawn'), ago(5, 'withdrawn'), ago(8, 'withdrawn')])).toBe(true);
  });

  it('has few at once, and what strangers do keeps nobody from where they always are', () => {
    const flood = Array.from({ length: 50 }, (_, i) => ago(i / 60, 'waiting'));
    expect(may(flood)).toBe(false);
    expect(may(flood.slice(0, 2))).toBe(true);
    // Begun over and over, each in the place of the one before: the phone would ring all the same.
    const rung = Array.from({ length: 6 }, (_, i) => ago(i, 'withdrawn'));
    expect([may(rung.slice(1)), may(rung)]).toEqual([true, false]);
    expect(may([...flood, ago(1, 'not-me')], 'familiar')).toBe(true);
    fc.assert(
      fc.property(
        fc.array(
          fc
            .tuple(fc.integer({ min: 0, max: 20 }), fc.constantFrom(...PUSH_REQUEST_STATES))
            .map(([at, state]) => ago(at, state)),
        ),
        (strangers) => {
          expect(may(strangers, 'familiar')).toBe(true);
        },
      ),
    );
  });
});
