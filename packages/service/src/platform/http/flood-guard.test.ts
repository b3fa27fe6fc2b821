import { describe, expect, it } from 'vitest';
import { Refusal } from '../errors.js';
import { FloodGuard } from './flood-guard.js';

const AT = new Date('2026-11-23T08:00:00Z');
const later = (ms: number) => new Date(AT.getTime() + ms);

/** Whether a call from there is let through. */
function calm(guard: FloodGuard, address: string, now = AT, most?: number): boolean {
  try {
    guard.assertCalm(address, now, most);
    return true;
  } catch (error) {
    if (!(error instanceof Refusal) || error.code !== 'throttled') throw error;
    return false;
  }
}

describe('the guard against floods', () => {
  it('lets so many calls a minute through from one prefix, and begins anew with the next minute', () => {
    const guard = new FloodGuard();
    const let1 = Array.from({ length: 20 }, (_, i) => calm(guard, `198.51.100.${i}`, AT, 10)).filter(Boolean);
    expect(let1.length).toBe(10);
    expect(calm(guard, '198.51.101.1', AT, 10)).toBe(true);
    expect(calm(guard, '198.51.100.1', later(59_999), 10)).toBe(false);
    expect(calm(guard, '198.51.100.1', later(60_000), 10)).toBe(true);
  });

  it('counts calls with another bound apart', () => {
    const guard = new FloodGuard();
    for (let i = 0; i < 10; i++) calm(guard, '198.51.100.1', AT, 10);
    expect(calm(guard, '198.51.100.1', AT, 10)).toBe(false);
    expect(calm(guard, '198.51.100.1', AT, 11)).toBe(true);
  });

  it('does not forget whoever floods because others come from everywhere', () => {
    const guard = new FloodGuard();
    for (let i = 0; i < 10; i++) calm(guard, '203.0.113.1', AT, 10);
    // More prefixes than are counted at a time, as whoever has a large IPv6 network can send them.
    for (let i = 0; i < 50_000; i++) {
      calm(guard, `2001:db8:${(i >> 8).toString(16)}:${(i & 255).toString(16)}00::1`, AT, 10);
      if (i % 1_000 === 0) expect(calm(guard, '203.0.113.1', AT, 10), `after ${i}`).toBe(false);
    }
  });
});
