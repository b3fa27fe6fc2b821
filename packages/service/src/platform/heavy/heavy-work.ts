import { existsSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import { Worker } from 'node:worker_threads';
import type { Logger } from 'pino';
import { Refusal } from '../errors.js';
import { TASKS, type TaskArguments, type TaskName, type TaskResult } from './tasks.js';
import type { Question, ThreadAnswer } from './worker.js';

/** How long one piece of work may take. A rulebook of ten thousand rules takes two seconds here. */
const DEADLINE_MS = 15_000;
/** What it may take of memory, mebibytes; beyond it the thread ends, and not the service. */
const MEMORY = { maxOldGenerationSizeMb: 384, maxYoungGenerationSizeMb: 32, stackSizeMb: 4 };
/** Pieces that wait at most; more are told to come back. */
const MOST_WAITING = 16;
/** A thread with nothing to do is kept for a while: somebody who edits a text asks again and again. */
const IDLE_MS = 30_000;
/** Characters below which nothing can take long; done on the spot. */
const SMALL = 4_096;

/** Where the thread's program stands, also when the service is run from its sources. */
const program = (): URL => {
  const beside = new URL('./worker.js', import.meta.url);
  return existsSync(fileURLToPath(beside)) ? beside : new URL('../../../dist/bundle/worker.js', import.meta.url);
};

const sizeOf = (value: unknown): number =>
  typeof value === 'string' ? value.length : typeof value === 'object' && value !== null ? SMALL : 0;

/** Does work on a thread of its own, one piece after the other, each with a deadline and bounded memory. */
export class HeavyWork {
  readonly #log: Logger;
  readonly #deadlineMs: number;
  #worker: Worker | undefined;
  #last: Promise<unknown> = Promise.resolve();
  #waiting = 0;
  #idle: NodeJS.Timeout | undefined;

  constructor(log: Logger, deadlineMs = DEADLINE_MS) {
    this.#log = log;
    this.#deadlineMs = deadlineMs;
  }

  /**
   * @throws Refusal `too-dear` where it takes too long or too much, `throttled` where too much waits already
   * @throws RangeError where the task does
   */
  async run<N extends TaskName>(name: N, ...args: TaskArguments<N>): Promise<TaskResult<N>> {
    // The name and its arguments go together; of several names at once the compiler cannot see it.
    const task = TASKS[name] as unknown as (...args: TaskArguments<N>) => TaskResult<N>;
    if ((args as readonly unknown[]).reduce<number>((sum, value) => sum + sizeOf(value), 0) < SMALL)
      return task(...args);
    if (this.#waiting >= MOST_WAITING) throw new Refusal('throttled', { seconds: 5 });
    this.#waiting += 1;
    const turn = this.#last.then(async () => await this.#ask({ name, args }));
    this.#last = turn.catch(() => undefined);
    try {
      const answer = await turn;
      if ('result' in answer) return answer.result as TaskResult<N>;
      if ('rangeError' in answer) throw new RangeError(name);
      this.#log.error({ job: name, reason: answer.failed }, 'work on a text failed');
      throw new Refusal('too-dear');
    } finally {
      this.#waiting -= 1;
    }
  }

  async stop(): Promise<void> {
    clearTimeout(this.#idle);
    await this.#worker?.terminate();
  }

  #start(): Worker {
    // Of the program that starts it the thread inherits no options: it runs from what was built.
    const worker = new Worker(program(), { resourceLimits: MEMORY, execArgv: [] });
    // An end that nobody waits for must not end the service; the next piece of work starts another thread.
    worker.on('error', (error) => this.#log.warn({ reason: error.message }, 'a thread for texts ended'));
    worker.once('exit', () => {
      if (this.#worker === worker) this.#worker = undefined;
    });
    return worker;
  }

  async #ask(question: Question): Promise<ThreadAnswer> {
    clearTimeout(this.#idle);
    const worker = (this.#worker ??= this.#start());
    worker.ref();
    try {
      return await new Promise<ThreadAnswer>((resolve, reject) => {
        const finish = () => {
          clearTimeout(timer);
          // Each by its name: the thread listens to itself by the same means.
          worker.off('message', answered).off('error', failed).off('exit', ended);
        };
        const end = (reason: string) => {
          finish();
          if (this.#worker === worker) this.#worker = undefined;
          void worker.terminate();
          this.#log.warn({ job: question.name, reason }, 'work on a text was ended: it took too much');
          reject(new Refusal('too-dear'));
        };
        const answered = (answer: ThreadAnswer) => {
          finish();
          resolve(answer);
        };
        const failed = (error: NodeJS.ErrnoException) => end(error.code ?? error.message);
        const ended = (code: number) => end(`exit ${code}`);
        const timer = setTimeout(() => end('deadline'), this.#deadlineMs);
        worker.once('message', answered).once('error', failed).once('exit', ended);
        worker.postMessage(question);
      });
    } finally {
      worker.unref();
      this.#idle = setTimeout(() => {
        if (this.#worker === worker) this.#worker = undefined;
        void worker.terminate();
      }, IDLE_MS);
      this.#idle.unref();
    }
  }
}
