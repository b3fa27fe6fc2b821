import { createECDH } from 'node:crypto';
import { createRequire } from 'node:module';
import { describe, expect, it } from 'vitest';
import { makeBrowserKeys, opened, unwelcome } from './message.js';

/** The package that the service sends with. */
const sending = createRequire(new URL('../../../service/package.json', import.meta.url))('web-push') as {
  encrypt: (p256dh: string, auth: string, text: string, encoding: string) => { cipherText: Buffer };
  getVapidHeaders: (...of: readonly unknown[]) => { Authorization: string };
  generateVAPIDKeys: () => { publicKey: string; privateKey: string };
};
const bytes = (text: string) => Buffer.from(text, 'base64url');

describe('a message that wakes a page', () => {
  it('is opened as RFC 8291 §5 has it', () => {
    const keys = {
      privateKey: bytes('q1dXpw3UpT5VOmu_cf_v6ih07Aems3njxI-JWgLcM94'),
      p256dh: bytes('BCVxsr7N_eNgVRqvHtD0zTZsEc6-VV-JvLexhqUzORcxaOzi6-AYWXvTBHm4bjyPjs7Vd8pZGH6SRpkNtoIAiw4'),
      auth: bytes('BTBZMqHH6r4Tts7J_aSIgg'),
    };
    const body = bytes(
      'DGv6ra1nlYgDCS1FRnbzlwAAEABBBP4z9KsN6nGRTbVYI_c7VJSPQTBtkgcy27mlmlMoZIIgDll6e3vCYLocInmYWAmS6TlzAC8w' +
        'EqKK6PBru3jl7A_yl95bQpu6cVPTpK4Mqgkf1CXztLVBSt2Ks3oZwbuwXPXLWyouBWLVWGNWQexSgSxsj_Qulcy4a-fN',
    );
    expect(opened(body, keys).toString()).toBe('When I grow up, I want to be a watermelon');
    // One bit of it another, or another subscription: nothing comes out.
    for (const at of [0, 25, 90, body.length - 1]) {
      const other = Buffer.from(body);
      other[at]! ^= 1;
      expect(() => opened(other, keys)).toThrow();
    }
    expect(() => opened(body, makeBrowserKeys())).toThrow();
    expect(() => opened(body, { ...keys, auth: makeBrowserKeys().auth })).toThrow();
  });

  it('is sealed by the package so that its receiver alone opens it, each time anew', () => {
    const keys = makeBrowserKeys();
    const seal = () =>
      sending.encrypt(keys.p256dh.toString('base64url'), keys.auth.toString('base64url'), '{"v":1}', 'aes128gcm')
        .cipherText;
    const [one, two] = [seal(), seal()];
    expect(one.equals(two)).toBe(false);
    for (const body of [one, two]) expect(opened(body, keys).toString()).toBe('{"v":1}');
  });
});

describe('who sends it', () => {
  const key = 'BA1Hxzyi1RUM1b5wjxsn7nGxAszw2u61m164i3MrAIxHF6YK5h4SDYic-dRuU_RCPCfA5aq9ojSwk5Y2EmClBPs';
  const token =
    'eyJ0eXAiOiJKV1QiLCJhbGciOiJFUzI1NiJ9.eyJhdWQiOiJodHRwczovL3B1c2guZXhhbXBsZS5uZXQiLCJleHAiOjE0NTM1MjM' +
    '3NjgsInN1YiI6Im1haWx0bzpwdXNoQGV4YW1wbGUuY29tIn0.i3CYb7t4xfxCDquptFOepC9GAu_HLGkMlMuCGSK2rpiUfnK9ojF' +
    'wDXb1JrErtmysazNjjvW2L9OkSSHzvoD1oA';
  const at = 1_453_523_768 - 3_600;

  it('is known as RFC 8292 §2.4 has it, and at no other time, place or key', () => {
    const said = `vapid t=${token}, k=${key}`;
    expect(unwelcome(said, key, 'https://push.example.net', at)).toBeUndefined();
    expect(unwelcome(said, key, 'https://push.example.net', at + 7_200)).toBe('time');
    expect(unwelcome(said, key, 'https://push.example.net', at - 90_000)).toBe('time');
    expect(unwelcome(said, key, 'https://elsewhere.example', at)).toBe('another-service');
    expect(unwelcome(said, sending.generateVAPIDKeys().publicKey, 'https://push.example.net', at)).toBe('another-key');
    expect(unwelcome(said.replace('i3CY', 'i3CZ'), key, 'https://push.example.net', at)).toBe('bad-signature');
    expect(unwelcome(undefined, key, 'https://push.example.net', at)).toBe('no-authorization');
  });

  it('says so by the package as the RFC has it', () => {
    const pair = createECDH('prime256v1');
    const publicKey = pair.generateKeys('base64url');
    const privateKey = pair.getPrivateKey('base64url').padStart(43, 'A');
    const said = sending.getVapidHeaders(
      'https://push.example.net',
      'https://latch.wexmoor.example',
      publicKey,
      privateKey,
      'aes128gcm',
      at + 43_200,
    ).Authorization;
    expect(unwelcome(said, publicKey, 'https://push.example.net', at)).toBeUndefined();
  });
});
