import { createAsking } from './asking.js';
import type { Context } from './context.js';
import { runLine } from './run.js';

/** Put in by the bundler from package.json. */
declare const NLATCH_VERSION: string;

/* eslint-disable @typescript-eslint/no-unnecessary-condition, @typescript-eslint/no-unnecessary-boolean-literal-compare --
   what is a pipe or a file has none of what Node's types say of a terminal */
const interactive = process.stdin.isTTY === true && process.stderr.isTTY === true;
const context: Context = {
  out: (text) => void process.stdout.write(text),
  err: (text) => void process.stderr.write(text),
  width: Math.min(100, process.stdout.columns ?? 100),
  colour: process.stdout.isTTY === true && !process.env['NO_COLOR'],
  now: () => new Date(),
  env: process.env,
  ask: createAsking(process.stdin, interactive),
  interactive,
};

// A reader that closes early (head, less) is no error.
process.stdout.on('error', (error: NodeJS.ErrnoException) => {
  if (error.code === 'EPIPE') process.exit(0);
  throw error;
});

process.exitCode = await runLine(context, process.argv.slice(2), NLATCH_VERSION);
// An open standard input must not keep the process waiting.
process.stdin.unref?.();
