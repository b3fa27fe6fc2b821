import { CommanderError } from 'commander';
import type { Context } from './context.js';
import { buildProgram } from './program.js';

/**
 * Runs one command line to its end, and tells what went wrong where output of errors goes.
 *
 * @returns the code that a process ends with
 */
export async function runLine(context: Context, args: readonly string[], version: string): Promise<number> {
  try {
    await (await buildProgram(context, args, version)).parseAsync([...args], { from: 'user' });
    return 0;
  } catch (error) {
    if (error instanceof CommanderError) return error.exitCode === 0 ? 0 : 2;
    const { explainFailure, failureAsJson } = await import('./failure.js');
    const { text, exit } = explainFailure(error);
    context.err(args.includes('--json') ? failureAsJson(error) : text);
    return exit;
  }
}
