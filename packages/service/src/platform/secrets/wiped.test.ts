import { expect, it } from 'vitest';
import { wiped } from './wiped.js';

it('gives what was made of a secret, and leaves nothing of its bytes, whatever became of it', () => {
  const secret = Buffer.from('a seed that codes are made of');
  expect(wiped(secret, (seed) => Buffer.from(seed).toString('utf8'))).toBe('a seed that codes are made of');
  expect([...secret].every((byte) => byte === 0)).toBe(true);
  const other = new Uint8Array([1, 2, 3]);
  expect(() =>
    wiped(other, () => {
      throw new Error('no');
    }),
  ).toThrow('no');
  expect([...other]).toEqual([0, 0, 0]);
});
