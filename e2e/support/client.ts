import { Readable } from 'node:stream';
import { createAsking } from '../../packages/cli/src/asking.js';
import { runLine } from '../../packages/cli/src/run.js';

/** How a line of the client ended, as of a process. */
export interface Ran {
  readonly code: number;
  readonly out: string;
  readonly err: string;
}

/**
 * Runs the client as a user's script would (no terminal, answers a line each on standard input), within this process: all of it but the
 * start of a program, which cli.test.ts does for real.
 */
export async function nlatchWithin(
  args: readonly string[],
  { env, input = '' }: { readonly env: NodeJS.ProcessEnv; readonly input?: string },
): Promise<Ran> {
  let out = '';
  let err = '';
  const stdin = Readable.from(input === '' ? [] : [Buffer.from(input)]);
  const context = {
    out: (text: string) => void (out += text),
    err: (text: string) => void (err += text),
    width: 100,
    colour: false,
    now: () => new Date(),
    env,
    ask: createAsking(stdin as never, false),
    interactive: false,
  };
  const code = await runLine(context, args, '0.0.0');
  stdin.destroy();
  return { code, out, err };
}
