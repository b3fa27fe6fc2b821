import { randomBytes } from 'node:crypto';
import { describe, expect, it } from 'vitest';
import { uuidText, uuidV7 } from '../crypto/index.js';
import { KeySet, openWithMaster, SealBroken, sealWithMaster, UnknownKey, type Key } from './index.js';

const newKey = (purpose: Key['purpose'], state: Key['state'] = 'active'): Key => ({
  id: uuidText(uuidV7(Date.now(), randomBytes(10))),
  purpose,
  state,
  material: randomBytes(32),
});

describe('the key set', () => {
  const old = newKey('seed', 'reading');
  const seed = newKey('seed');
  const keys = new KeySet([old, seed, newKey('contact'), newKey('index'), newKey('verify')]);
  const plain = Buffer.from('a seed');
  const nonce = () => randomBytes(12);

  it('opens what it sealed, for the same record only', () => {
    const sealed = keys.seal('seed', 'authenticator/1/secret', plain, nonce());
    expect(keys.open('seed', 'authenticator/1/secret', sealed)).toEqual(plain);
    expect(() => keys.open('seed', 'authenticator/2/secret', sealed)).toThrow(SealBroken);
    expect(() => keys.open('contact', 'authenticator/1/secret', sealed)).toThrow(SealBroken);
  });

  it('notices every changed bit and every cut', () => {
    const sealed = keys.seal('seed', 'x', plain, nonce());
    for (let i = 0; i < sealed.length; i++) {
      const altered = Buffer.from(sealed);
      altered[i]! ^= 1;
      expect(() => keys.open('seed', 'x', altered)).toThrow();
      expect(() => keys.open('seed', 'x', sealed.subarray(0, i))).toThrow();
    }
  });

  it('reads what an earlier key wrote, and names a key that it does not hold', () => {
    const before = new KeySet([{ ...old, state: 'active' }]);
    const sealed = before.seal('seed', 'x', plain, nonce());
    expect(keys.open('seed', 'x', sealed)).toEqual(plain);
    expect(keys.isCurrent('seed', sealed)).toBe(false);
    const stranger = new KeySet([newKey('seed')]).seal('seed', 'x', plain, nonce());
    expect(() => keys.open('seed', 'x', stranger)).toThrow(UnknownKey);
  });

  it('finds equal values by their blind index, under every key that rows may carry', () => {
    const index = newKey('index');
    const rotated = new KeySet([{ ...index, state: 'reading' }, newKey('index')]);
    const written = new KeySet([index]).blindIndex('mail', 'ines@wexmoor.example');
    expect(rotated.blindIndexes('mail', 'ines@wexmoor.example').some((one) => one.equals(written))).toBe(true);
    expect(rotated.blindIndexes('phone', 'ines@wexmoor.example').some((one) => one.equals(written))).toBe(false);
  });

  it('verifies a secret in its own context only', () => {
    const stored = keys.hash('link 1', 'secret');
    expect(keys.verify('link 1', 'secret', stored)).toBe(true);
    expect(keys.verify('link 2', 'secret', stored)).toBe(false);
    expect(keys.verify('link 1', 'Secret', stored)).toBe(false);
  });

  it('is wrapped under the master key by id and purpose', () => {
    const master = randomBytes(32);
    const sealed = sealWithMaster(master, nonce(), 'id', 'seed', seed.material);
    expect(openWithMaster(master, sealed, 'id', 'seed')).toEqual(seed.material);
    expect(openWithMaster(master, sealed, 'id', 'contact')).toBeUndefined();
    expect(openWithMaster(randomBytes(32), sealed, 'id', 'seed')).toBeUndefined();
  });
});
