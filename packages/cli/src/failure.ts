import { ApiError, Unreachable } from '@nimble-latch/api/client';
import { ERRORS, EXIT, say } from '@nimble-latch/api';
import { words } from './words/index.js';

/** The client itself says no: what, where, and a command that would work. */
export class Failure extends Error {
  constructor(
    readonly what: string,
    readonly options: { readonly where?: string; readonly try?: string; readonly exit?: number } = {},
  ) {
    super(what);
  }
}

/** An answer was needed and standard input has no more lines. */
export const inputEnded = (question: string) =>
  new Failure(say(words.errors.inputEnded, { question }), { try: words.errors.inputEndedTry });

/** How a failure is told and with which status the process ends. */
export function explainFailure(error: unknown): { text: string; exit: number } {
  if (error instanceof Failure)
    return {
      text: lines(error.what, error.options.where, error.options.try),
      exit: error.options.exit ?? EXIT.badInput,
    };
  if (error instanceof ApiError) {
    const { problem } = error;
    const field = (where: string) => where.replace(/^(body|query|header|params)\./, '');
    const [first, ...others] = problem.issues ?? [];
    // One wrong field is the whole story; of several each line says its own.
    if (first && others.length === 0)
      return { text: lines(first.what, field(first.where), undefined), exit: ERRORS[problem.code].exit };
    const where = problem.issues?.map((issue) => `${field(issue.where)}: ${issue.what}`).join('\n       ');
    // A command rather than a sentence where there is one.
    const remedy = problem.code === 'not-signed-in' ? words.errors.signInAgain : problem.remedy;
    // eslint-disable-next-line @typescript-eslint/no-unnecessary-condition -- a newer service knows codes that this client does not
    return { text: lines(problem.title, where, remedy), exit: ERRORS[problem.code]?.exit ?? EXIT.internal };
  }
  if (error instanceof Unreachable) {
    const e = words.errors;
    const [what, remedy] =
      error.why === 'no-connection' ? [e.noConnection, e.noConnectionTry] : [e.notTheService, e.notTheServiceTry];
    return { text: lines(say(what, { server: error.server }), undefined, remedy), exit: EXIT.unavailable };
  }
  return {
    text: lines(words.errors.unexpected, error instanceof Error ? error.name : undefined, words.errors.unexpectedTry),
    exit: EXIT.internal,
  };
}

function lines(what: string, where: string | undefined, remedy: string | undefined): string {
  return (
    [`error: ${what}`, ...(where ? [`where: ${where}`] : []), ...(remedy ? [`try:   ${remedy}`] : [])].join('\n') + '\n'
  );
}
