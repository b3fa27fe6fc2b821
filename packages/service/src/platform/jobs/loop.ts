import type { Logger } from 'pino';
import { isUnavailable } from '../db/errors.js';

export interface Loop {
  /** Goes on at once instead of waiting; one that is at work goes on once more after it. */
  readonly wake: () => void;
  stop(): Promise<void>;
}

/**
 * Runs `step` again and again, never twice at once, until stopped. An error is logged and the loop goes on:
 * background work must outlive a database that is away for a minute.
 */
export function startLoop(name: string, everyMs: number, log: Logger, step: () => Promise<unknown>): Loop {
  let timer: NodeJS.Timeout | undefined;
  let stopped = false;
  let woken = false;
  let running: Promise<void> = Promise.resolve();
  const round = async () => {
    try {
      await step();
    } catch (error) {
      // A database that is away is told once, by what watches over it, and not by everything that waits for it.
      if (!stopped && !isUnavailable(error))
        log.error({ job: name, error }, 'background work failed; it is tried again');
    }
    if (!stopped) timer = setTimeout(next, woken ? 0 : everyMs);
    woken = false;
  };
  const next = () => {
    timer = undefined;
    running = round();
  };
  timer = setTimeout(next, 0);
  return {
    wake() {
      if (stopped) return;
      if (timer === undefined) woken = true;
      else {
        clearTimeout(timer);
        timer = setTimeout(next, 0);
      }
    },
    async stop() {
      stopped = true;
      clearTimeout(timer);
      await running;
    },
  };
}
