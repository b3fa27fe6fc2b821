import { pino } from 'pino';
import { describe, expect, it } from 'vitest';
import { patiently } from './patience.js';
import { DatabaseSilent } from './pulse.js';

const log = pino({ level: 'silent' });

/** A step that fails so often before it answers how often it was done. */
function failing(times: number, error: Error) {
  let done = 0;
  return async () => {
    done++;
    if (done <= times) throw error;
    return await Promise.resolve(done);
  };
}

describe('a start', () => {
  it('waits out a database that falls silent', async () => {
    expect(await patiently(log, failing(2, new DatabaseSilent()), 5_000)).toBe(3);
  });

  it('ends when the database stays away', async () => {
    await expect(patiently(log, failing(99, new DatabaseSilent()), 700)).rejects.toThrow('no sign of life');
  });

  it('ends at once where the database is not to blame', async () => {
    await expect(patiently(log, failing(1, new Error('port taken')), 5_000)).rejects.toThrow('port taken');
  });
});
