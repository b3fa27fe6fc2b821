import { API_BASE, PATHS, type RouteId } from '../paths.js';

export { API_BASE, PATHS } from '../paths.js';
import type { Answer, Sent } from '../routes/index.js';
import type { ErrorCode, FieldIssue, Problem } from '../errors.js';

/** The service answered with a problem. */
export class ApiError extends Error {
  constructor(readonly problem: Problem) {
    super(`${problem.title} ${problem.detail}`.trim());
  }
  get code(): ErrorCode {
    return this.problem.code;
  }
  get issues(): readonly FieldIssue[] {
    return this.problem.issues ?? [];
  }
}

/** The service could not be reached, or what answered was not it. */
export class Unreachable extends Error {
  constructor(
    readonly server: string,
    readonly why: 'no-connection' | 'not-the-service',
    cause?: unknown,
  ) {
    super(`No usable answer from ${server}`, { cause });
  }
}

export interface ClientOptions {
  /** Such as `https://latch.wexmoor.example`; empty in a page that the service itself serves. */
  readonly server: string;
  /** An access token or an application's key. */
  readonly token?: string;
  /** Asked before each call that changes something; for cookie sessions. */
  readonly csrf?: () => string | undefined;
  /** Milliseconds until a call is given up; 30,000 unless said. */
  readonly timeoutMs?: number;
  /** In which language problems are told; English unless said. */
  readonly language?: string;
}

type Given<R extends RouteId> = Omit<
  {
    params: Sent<R, 'params'>;
    query: Sent<R, 'query'>;
    body: Sent<R, 'body'>;
  },
  { [K in 'params' | 'query' | 'body']: Sent<R, K> extends undefined ? K : never }['params' | 'query' | 'body']
> & {
  /** The version last seen, for edits. */
  readonly ifMatch?: number;
  readonly idempotencyKey?: string;
  /** A file to send as it is, for calls that take one. */
  readonly file?: Blob | ReadableStream<Uint8Array>;
  readonly signal?: AbortSignal;
};

type Argument<R extends RouteId> =
  object extends Omit<Given<R>, 'query'>
    ? [given?: Partial<Given<R>>]
    : [given: Omit<Given<R>, 'query'> & Partial<Pick<Given<R>, 'query' & keyof Given<R>>>];

/** A typed call of the HTTP interface: `client.call('people.show', { params: { id } })`. */
export interface Client {
  call<R extends RouteId>(route: R, ...args: Argument<R>): Promise<Answer<R>>;
}

const FILE_TIMEOUT_MS = 10 * 60_000;

/** Talks to one service. Throws {@link ApiError} and {@link Unreachable}; nothing else. */
export function createClient(options: ClientOptions): Client {
  const server = options.server.replace(/\/+$/, '');
  return {
    async call(route, ...args) {
      const [method, path] = PATHS[route];
      const given = (args[0] ?? {}) as {
        params?: Record<string, string>;
        query?: Record<string, unknown>;
        body?: unknown;
        ifMatch?: number;
        idempotencyKey?: string;
        file?: Blob | ReadableStream<Uint8Array>;
        fileKey?: string;
        fileSigner?: string;
        signal?: AbortSignal;
      };
      const headers: Record<string, string> = { accept: 'application/json' };
      if (options.language) headers['accept-language'] = options.language;
      if (options.token) headers['authorization'] = `Bearer ${options.token}`;
      if (given.body !== undefined) headers['content-type'] = 'application/json';
      if (given.file !== undefined) headers['content-type'] = 'text/csv';
      if (given.fileKey !== undefined) headers['nlatch-file-key'] = given.fileKey;
      if (given.fileSigner !== undefined) headers['nlatch-file-signer'] = given.fileSigner;
      if (given.ifMatch !== undefined) headers['if-match'] = `"v${given.ifMatch}"`;
      if (given.idempotencyKey !== undefined) headers['idempotency-key'] = given.idempotencyKey;
      const csrf = method === 'GET' ? undefined : options.csrf?.();
      if (csrf) headers['x-nlatch-csrf'] = csrf;
      // A file takes as long as its way takes.
      const timeout = AbortSignal.timeout(given.file ? FILE_TIMEOUT_MS : (options.timeoutMs ?? 30_000));
      let response: Response;
      let text: string;
      try {
        response = await fetch(server + buildPath(path, given.params ?? {}, given.query ?? {}), {
          method,
          headers,
          redirect: 'error',
          signal: given.signal ? AbortSignal.any([given.signal, timeout]) : timeout,
          ...(given.body === undefined ? {} : { body: JSON.stringify(given.body) }),
          // Streams are sent while the answer is not yet read; types of browsers do not know the word.
          ...(given.file === undefined ? {} : ({ body: given.file, duplex: 'half' } as object)),
        });
        text = await response.text();
      } catch (cause) {
        throw new Unreachable(server, 'no-connection', cause);
      }
      // Figures and lists to take away come as they are.
      if (
        response.ok &&
        /^(text\/(plain|csv)|application\/(yaml|pskc\+xml))\b/.test(response.headers.get('content-type') ?? '')
      )
        return text as never;
      const json = parseJson(text);
      if (response.ok && json !== undefined) return json as never;
      if (isProblem(json)) throw new ApiError(json);
      throw new Unreachable(server, 'not-the-service');
    },
  };
}

function buildPath(template: string, params: Record<string, string>, query: Record<string, unknown>): string {
  const path = template.replace(/\{(\w+)\}/g, (_, name: string) => encodeURIComponent(params[name] ?? ''));
  const search = new URLSearchParams();
  for (const [name, value] of Object.entries(query)) if (value !== undefined) search.set(name, String(value));
  const text = search.toString();
  return `${API_BASE}${path}${text ? `?${text}` : ''}`;
}

function parseJson(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch {
    return undefined;
  }
}

function isProblem(value: unknown): value is Problem {
  return typeof value === 'object' && value !== null && 'code' in value && 'status' in value;
}
