import { parentPort } from 'node:worker_threads';
import { TASKS, type TaskName } from './tasks.js';

/** What the service asks of the thread, and what it answers. */
export interface Question {
  readonly name: TaskName;
  readonly args: readonly unknown[];
}
export type ThreadAnswer = { readonly result: unknown } | { readonly rangeError: true } | { readonly failed: string };

parentPort?.on('message', ({ name, args }: Question) => {
  const task = TASKS[name] as (...args: readonly unknown[]) => unknown;
  let answer: ThreadAnswer;
  try {
    answer = { result: task(...args) };
  } catch (error) {
    answer =
      error instanceof RangeError && name === 'editRulebook'
        ? { rangeError: true }
        : { failed: String((error as Error).name) };
  }
  parentPort?.postMessage(answer);
});
