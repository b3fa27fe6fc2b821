import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeEach, describe, expect, it } from 'vitest';
import { FobDrawer, NoSuchFob } from './drawer.js';
import { createFobs } from './server.js';

const dir = mkdtempSync(join(tmpdir(), 'fobs-'));
afterAll(() => rmSync(dir, { recursive: true, force: true }));
const file = join(dir, 'fobs.json');
const secret = Buffer.from('12345678901234567890').toString('hex');
beforeEach(() =>
  writeFileSync(
    file,
    JSON.stringify([
      { serial: 'GW-2-4106', maker: 'Gullwing', kind: 'hotp', secret, digits: 6, seconds: 0, counter: 1 },
      { serial: 'BC-77', maker: 'Brasscap', kind: 'totp', secret, digits: 8, seconds: 30, counter: 0 },
    ]),
  ),
);

describe('the stand-in fobs', () => {
  it('show the codes of RFC 4226 appendix D, one after the other, also after a new start', () => {
    const drawer = new FobDrawer(file);
    expect(drawer.find('gw', 0)).toEqual([{ serial: 'GW-2-4106', maker: 'Gullwing', kind: 'hotp' }]);
    expect(drawer.press('gw 2 4106', 0).code).toBe('287082');
    expect(drawer.press('GW-2-4106', 0).code).toBe('359152');
    expect(new FobDrawer(file).press('GW-2-4106', 0).code).toBe('969429');
    expect(readFileSync(file, 'utf8')).toContain('"counter":4');
    expect(() => drawer.press('GW-2-4107', 0)).toThrow(NoSuchFob);
  });

  it('show the codes of RFC 6238 appendix B by their clock, and for how long', async () => {
    const app = createFobs(new FobDrawer(file), () => 1_111_111_109_000);
    const found = await app.inject('/fobs?find=bc');
    expect(found.json()).toEqual([
      { serial: 'BC-77', maker: 'Brasscap', kind: 'totp', code: '07081804', secondsLeft: 1 },
    ]);
    expect((await app.inject({ method: 'POST', url: '/press', payload: { serial: 'bc77' } })).json()).toMatchObject({
      code: '07081804',
    });
    expect((await app.inject({ method: 'POST', url: '/press', payload: {} })).statusCode).toBe(404);
    for (const path of ['/', '/fob.css', '/fob.js']) expect((await app.inject(path)).statusCode).toBe(200);
  });
});
