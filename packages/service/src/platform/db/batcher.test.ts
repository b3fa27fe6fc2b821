import { describe, expect, it } from 'vitest';
import type { Db } from './sql.js';
import { Batcher } from './batcher.js';

const together = () => new Batcher({} as Db);

describe('questions that travel together', () => {
  it('one goes at once; those that come up meanwhile gather, and each gets its own answer', async () => {
    const groups: number[][] = [];
    let release: () => void = () => undefined;
    const double = async (_: Db, questions: readonly number[]) => {
      groups.push([...questions]);
      if (groups.length <= 2) await new Promise<void>((resolve) => (release = resolve));
      return questions.map((n) => n * 2);
    };
    const desk = together();
    const turn = async () => await new Promise((resolve) => setImmediate(resolve));
    const first = desk.ask(double, 1);
    await turn();
    const second = desk.ask(double, 2);
    await turn();
    const releaseSecond = release;
    const rest = Array.from({ length: 70 }, (_, i) => desk.ask(double, 10 + i));
    await turn();
    // Two are on their way; nobody else leaves until one is back.
    expect(groups).toEqual([[1], [2]]);
    releaseSecond();
    expect(await second).toBe(4);
    expect(await Promise.all(rest)).toEqual(Array.from({ length: 70 }, (_, i) => 2 * (10 + i)));
    expect(groups.slice(2).map((group) => group.length)).toEqual([32, 32, 6]);
    void first;
  });

  it('what one question breaks is its own: the others of its group are answered', async () => {
    const asked: number[] = [];
    const inverse = async (_: Db, questions: readonly number[]) => {
      asked.push(questions.length);
      if (questions.includes(0)) throw new RangeError('no inverse');
      return questions.map((n) => 1 / n);
    };
    const desk = together();
    const answers = await Promise.allSettled([desk.ask(inverse, 2), desk.ask(inverse, 0), desk.ask(inverse, 4)]);
    expect(answers.map((one) => (one.status === 'fulfilled' ? one.value : (one.reason as Error).message))).toEqual([
      0.5,
      'no inverse',
      0.25,
    ]);
    expect(asked).toEqual([3, 1, 1, 1]);
  });

  it('a connection that is lost is told to all, and nothing is asked again: a write may have been kept', async () => {
    let asked = 0;
    const lost = async () => {
      asked += 1;
      throw Object.assign(new Error('gone'), { errno: 45_009, code: 'ER_SOCKET_UNEXPECTED_CLOSE' });
    };
    const desk = together();
    const answers = await Promise.allSettled([desk.ask(lost, 1), desk.ask(lost, 2)]);
    expect({ asked, ended: answers.map(({ status }) => status) }).toEqual({
      asked: 1,
      ended: ['rejected', 'rejected'],
    });
  });
});
