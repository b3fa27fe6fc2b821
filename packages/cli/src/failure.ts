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

/** Parts of a call that no field of a body holds, by what one types to set them. */
const OPTIONS: Readonly<Record<string, string>> = {
  'header.nlatch-file-key': '--open-by',
  'header.nlatch-file-signer': '--signer',
  'query.mapping': '--mapping',
  'query.form': '--form',
  'body.columns': '--column',
  'body.rules.country': '--country',
  'body.rules.missing': '--missing',
  'body.rules.owners.as': '--owner-as',
  'body.rules.language': '--language',
  'body.rules.timeZone': '--time-zone',
  'body.rules.whole.digits': '--digits',
  'body.rules.whole.period': '--period',
};

/** The id of the request that failed, as the service writes it into its log. */
const requestOf = ({ instance }: { readonly instance?: string }): string | undefined =>
  /^urn:nimble-latch:request:(.+)$/.exec(instance ?? '')?.[1];

/** The same for programs: one form for every failure, whoever it comes from. */
export function failureAsJson(error: unknown): string {
  const { exit } = explainFailure(error);
  if (error instanceof ApiError) {
    const { code, status, title, remedy, issues = [], facts = {} } = error.problem;
    return asLine({
      code,
      status,
      requestId: requestOf(error.problem) ?? null,
      what: title,
      try: remedy,
      issues,
      facts,
      exit,
    });
  }
  const own = error instanceof Failure ? error : undefined;
  const code = own ? 'client' : error instanceof Unreachable ? 'unreachable' : 'unexpected';
  const { text } = explainFailure(error);
  return asLine({
    code,
    status: null,
    requestId: null,
    what: own?.what ?? /^error: (.*)$/m.exec(text)?.[1] ?? '',
    try: own ? (own.options.try ?? null) : (/^try: +(.*)$/m.exec(text)?.[1] ?? null),
    issues: own?.options.where === undefined ? [] : [{ where: own.options.where, what: own.what }],
    facts: {},
    exit,
  });
}
const asLine = (error: object): string => `${JSON.stringify({ error })}\n`;

/** How a failure is told and with which status the process ends. */
export function explainFailure(error: unknown): { text: string; exit: number } {
  if (error instanceof Failure)
    return {
      text: lines(error.what, error.options.where, error.options.try),
      exit: error.options.exit ?? EXIT.badInput,
    };
  if (error instanceof ApiError) {
    const { problem } = error;
    const field = (where: string) => OPTIONS[where] ?? where.replace(/^(body|query|header|params)\./, '');
    const [first, ...others] = problem.issues ?? [];
    // One wrong field is the whole story; of several each line says its own.
    if (first && others.length === 0)
      return { text: lines(first.what, field(first.where), undefined), exit: ERRORS[problem.code].exit };
    const where = problem.issues?.map((issue) => `${field(issue.where)}: ${issue.what}`).join('\n       ');
    // A command rather than a sentence where there is one.
    const remedy = problem.code === 'not-signed-in' ? words.errors.signInAgain : problem.remedy;
    // Whoever runs the service finds it in the log by its id.
    const request = problem.status >= 500 ? requestOf(problem) : undefined;
    const asked =
      request === undefined ? where : [where, say(words.errors.request, { request })].filter(Boolean).join('\n       ');
    // eslint-disable-next-line @typescript-eslint/no-unnecessary-condition -- a newer service knows codes that this client does not
    return { text: lines(problem.title, asked, remedy), exit: ERRORS[problem.code]?.exit ?? EXIT.internal };
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
