import { randomBytes } from 'node:crypto';
import { describe, expect, it } from 'vitest';
import {
  canonicalJson,
  decodeBase32,
  ed25519FromSeed,
  ed25519PublicKeyPem,
  ed25519Sign,
  ed25519Verify,
  encodeBase32,
  uuidBytes,
  uuidText,
  uuidV7,
  uuidV7Floor,
} from './index.js';

describe('ids', () => {
  it('are version 7, sort by time and read back', () => {
    const id = uuidV7(1_700_000_000_000, randomBytes(10));
    expect(uuidText(id)).toMatch(/^018bcfe5-6800-7[0-9a-f]{3}-[89ab][0-9a-f]{3}-[0-9a-f]{12}$/);
    expect(uuidBytes(uuidText(id))).toEqual(id);
    expect(Buffer.compare(id, uuidV7(1_700_000_000_001, Buffer.alloc(10)))).toBe(-1);
    expect(Buffer.compare(uuidV7Floor(1_700_000_000_000), id)).toBe(-1);
  });
});

it('base32 as in RFC 4648 §10, as people type it', () => {
  expect(encodeBase32(Buffer.from('foobar'))).toBe('MZXW6YTBOI');
  expect(Buffer.from(decodeBase32('mzxw 6ytb-oi======')!).toString()).toBe('foobar');
  expect(decodeBase32('M0')).toBeUndefined();
});

it('one byte form for a JSON value, RFC 8785 §3.2.3', () => {
  expect(canonicalJson({ b: 1, a: [null, true, 'é'], '\u20ac': {} })).toBe('{"a":[null,true,"é"],"b":1,"€":{}}');
});

it('Ed25519 as in RFC 8032 §7.1, test 2', () => {
  const key = ed25519FromSeed(Buffer.from('4ccd089b28ff96da9db6c346ec114e0f5b8a319f35aba624da8cf6ed4fb8a6fb', 'hex'));
  const signature = ed25519Sign(key, Buffer.from('72', 'hex'));
  expect(signature.toString('hex')).toMatch(/^92a009a9f0d4cab8720e820b5f642540/);
  expect(ed25519Verify(ed25519PublicKeyPem(key), Buffer.from('72', 'hex'), signature)).toBe(true);
  expect(ed25519Verify(ed25519PublicKeyPem(key), Buffer.from('73', 'hex'), signature)).toBe(false);
  expect(ed25519Verify('no key', Buffer.from('72', 'hex'), signature)).toBe(false);
});
