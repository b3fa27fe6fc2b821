import { describe, expect, it } from 'vitest';
import { HasherBusy, PasswordHasher, type Hashing } from './password-hasher.js';

/** Hashing that is done when it is told so. */
class Held implements Hashing {
  readonly started: string[] = [];
  readonly #ends: (() => void)[] = [];

  async hash(password: string): Promise<string> {
    return await Promise.resolve(`hash of ${password}`);
  }

  async verify(phc: string, password: string): Promise<boolean> {
    this.started.push(password);
    await new Promise<void>((resolve) => this.#ends.push(resolve));
    return phc === password;
  }

  /** Lets the one that has run longest end, and everything go on that waits for it. */
  async endOne(): Promise<void> {
    this.#ends.shift()!();
    await new Promise((resolve) => setImmediate(resolve));
  }
}

const turnOf = async (hasher: PasswordHasher, source: string, password: string) =>
  await hasher.inTurn(source, async (turn) => await turn.verify('right', password));

describe('the queue for password checks', () => {
  it('runs two at a time, and sources take turns', async () => {
    const held = new Held();
    const hasher = new PasswordHasher(held);
    const all = ['a1', 'a2', 'a3', 'a4', 'b1', 'c1', 'b2'].map((name) => turnOf(hasher, name[0]!, name));
    await new Promise((resolve) => setImmediate(resolve));
    expect(held.started).toEqual(['a1', 'a2']);
    for (const _ of all) await held.endOne();
    expect(held.started).toEqual(['a1', 'a2', 'a3', 'b1', 'c1', 'a4', 'b2']);
    expect(await Promise.all(all)).toEqual(new Array(7).fill(false));
  });

  it('is full for one source and open for others, says when to come back, and forgets who left', async () => {
    const held = new Held();
    const hasher = new PasswordHasher(held);
    const flood: Promise<unknown>[] = [];
    for (let i = 0; i < 64; i++) flood.push(turnOf(hasher, 'flood', `f${i}`));
    let begun = 0;
    const more = hasher.inTurn('flood', async () => {
      begun += 1;
      return await Promise.resolve();
    });
    await expect(more).rejects.toThrow(HasherBusy);
    expect(begun).toBe(0);
    const error = await turnOf(hasher, 'flood', 'x').catch((busy: unknown) => busy);
    expect((error as HasherBusy).seconds).toBeGreaterThanOrEqual(1);
    // Somebody new gets a place, and is not behind all of them.
    const newcomer = turnOf(hasher, 'office', 'right');
    await new Promise((resolve) => setImmediate(resolve));
    await held.endOne();
    await held.endOne();
    expect(held.started).toContain('right');
    for (let i = 0; i < 63; i++) await held.endOne();
    expect(await newcomer).toBe(true);
    await Promise.all(flood);
    const again = turnOf(hasher, 'flood', 'f');
    await new Promise((resolve) => setImmediate(resolve));
    await held.endOne();
    expect(await again).toBe(false);
  });

  it('gives a place back whatever became of the work', async () => {
    const hasher = new PasswordHasher(new Held());
    for (let i = 0; i < 200; i++)
      await expect(hasher.inTurn('s', () => Promise.reject(new Error('no')))).rejects.toThrow('no');
    await expect(hasher.inTurn('s', async () => await Promise.resolve('there'))).resolves.toBe('there');
  });
});
