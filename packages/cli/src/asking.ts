import { createInterface } from 'node:readline';
import type { Context } from './context.js';

/** Asks at a terminal; elsewhere takes the next line of standard input and never waits for a key. */
export function createAsking(stdin: NodeJS.ReadStream, interactive: boolean): Context['ask'] {
  let lines: AsyncIterator<string> | undefined;
  return async (question, { hidden = false } = {}) => {
    if (interactive) {
      const { input, password } = await import('@inquirer/prompts');
      // Prompts go to the error stream, so that output can be piped.
      const streams = { output: process.stderr };
      return hidden
        ? await password({ message: question, mask: true }, streams)
        : await input({ message: question }, streams);
    }
    lines ??= createInterface({ input: stdin, crlfDelay: Infinity })[Symbol.asyncIterator]();
    const next = await lines.next();
    if (next.done) throw (await import('./failure.js')).inputEnded(question);
    return next.value;
  };
}
