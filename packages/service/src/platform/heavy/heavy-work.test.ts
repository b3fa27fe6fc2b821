import { afterAll, describe, expect, it } from 'vitest';
import { createLogger } from '../log/logger.js';
import { HeavyWork } from './heavy-work.js';

const log = createLogger('silent');
const work = new HeavyWork(log);
const hurried = new HeavyWork(log, 60);
/** What costs more than its size takes hours; a busy machine takes minutes. */
const patient = new HeavyWork(log, 150_000);
afterAll(async () => await Promise.all([work.stop(), hurried.stop(), patient.stop()]));

const TOO_DEAR = { code: 'too-dear' };
const rules = (n: number) =>
  `form: 1\nrules:\n${Array.from({ length: n }, (_, i) => `  - { rule: R${i}, then: let in }\n`).join('')}otherwise: refuse\n`;

/** How often this process came to something else while the work went on. */
async function turnsDuring(doing: Promise<unknown>): Promise<number> {
  let turns = 0;
  const beat = setInterval(() => (turns += 1), 2);
  await doing.catch(() => undefined);
  clearInterval(beat);
  return turns;
}

describe('heavy work', () => {
  it('is done beside the process, with the same result as on the spot', async () => {
    const text = rules(9_000);
    const reading = work.run('readRulebook', text);
    expect(await turnsDuring(reading)).toBeGreaterThan(10);
    expect((await reading).rulebook!.rules).toHaveLength(9_000);
    expect((await work.run('readRulebook', rules(3))).rulebook!.rules).toHaveLength(3);
  });

  it('costs no more than its size, whatever stands in the text, and tells so many problems at most', async () => {
    for (const text of [
      `form: 1\n${Array.from({ length: 60_000 }, (_, i) => `k${i}: 1\n`).join('')}`,
      `form: 1\n${'a: 1\n'.repeat(80_000)}`,
      `form: 1\nrules: [${'!x a,'.repeat(30_000)}]\n`,
      '['.repeat(150_000),
      '{a: '.repeat(40_000),
      'a:\n\t- b\n'.repeat(20_000),
      '"'.repeat(150_000),
      '&a '.repeat(60_000),
      '- '.repeat(80_000),
      `${'? '.repeat(60_000)}x`,
    ]) {
      const { problems } = await patient.run('readRulebook', text);
      expect([text.slice(0, 20), problems!.length <= 101]).toEqual([text.slice(0, 20), true]);
      expect(JSON.stringify(problems).length).toBeLessThan(40_000);
    }
    await expect(work.run('readRulebook', '['.repeat(700_000))).rejects.toMatchObject(TOO_DEAR);
    const configuration = await patient.run(
      'readYaml',
      Array.from({ length: 60_000 }, (_, i) => `k${i}: 1`).join('\n'),
    );
    expect(configuration.problems).toEqual([]);
    expect((await work.run('readYaml', `a: 1\nb: ${'x'.repeat(5_000)}\na: 2\n`)).problems).toEqual([
      { line: 3, what: 'twice' },
    ]);
  });

  it('ends at its deadline and beyond its memory, is refused then, and goes on with the next', async () => {
    const slow = rules(9_000);
    expect(await turnsDuring(hurried.run('readRulebook', slow))).toBeGreaterThan(5);
    await expect(hurried.run('readRulebook', slow)).rejects.toMatchObject(TOO_DEAR);
    const other = [...slow].reverse().join('');
    await expect(hurried.run('difference', slow, other)).rejects.toMatchObject(TOO_DEAR);
    expect((await hurried.run('readRulebook', rules(2))).rulebook!.rules).toHaveLength(2);
  });

  it('compares texts that have nothing in common without end', async () => {
    const lines = (letter: string) => Array.from({ length: 20_000 }, (_, i) => `${letter}${i}`).join('\n');
    const difference = await work.run('difference', lines('a'), lines('b'));
    expect(difference.length).toBeLessThan(4_100);
    expect(difference[0]).toEqual({ line: 'a0', change: 'taken' });
  });

  it('turns away what would wait too long', async () => {
    const text = rules(400);
    const many = Array.from({ length: 30 }, async () => await work.run('readRulebook', text));
    const outcomes = await Promise.allSettled(many);
    expect(outcomes.filter((one) => one.status === 'fulfilled').length).toBe(16);
    expect(outcomes.find((one) => one.status === 'rejected')?.reason).toMatchObject({ code: 'throttled' });
  });
});
