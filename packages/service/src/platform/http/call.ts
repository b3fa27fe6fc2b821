import type { ServerResponse } from 'node:http';
import type { Readable } from 'node:stream';
import type { Answer, Parsed, RouteId, Routes } from '@nimble-latch/api';
import type { Statement } from '../db/sql.js';
import type { Opening, Plan, Work } from '../db/unit-of-work.js';
import type { Deps } from '../deps.js';
import type { AnybodyActor, ApplicationActor, OperatorActor } from './actors.js';

type ActorOf<R extends RouteId> = Routes[R]['access']['kind'] extends 'application'
  ? ApplicationActor
  : Routes[R]['access']['kind'] extends 'public'
    ? AnybodyActor
    : OperatorActor;

/** A cookie of our pages: `__Host-`, for scripts of nobody, sent by pages of this origin alone. */
export interface SetCookie {
  readonly name: `__Host-${string}`;
  /** Null clears it. */
  readonly token: string | null;
  readonly expiresAt?: Date;
}

/** One call, already parsed and permitted. */
export interface Call<R extends RouteId> {
  readonly params: Parsed<R, 'params'>;
  readonly query: Parsed<R, 'query'>;
  readonly body: Parsed<R, 'body'>;
  /** What opens the file, where it is encrypted: the header `nlatch-file-key`. A secret. */
  readonly fileKey: string | undefined;
  /** The certificate of whoever signed the file: the header `nlatch-file-signer`, base64url. */
  readonly fileSigner: string | undefined;
  /** The file of a call that takes one, as it comes in. */
  readonly file: Routes[R] extends { readonly takes: string } ? Readable : undefined;
  readonly actor: ActorOf<R>;
  /** The address it came from, behind trusted proxies the one they name. */
  readonly origin: string;
  /** Whether whoever called is still there to hear of it. */
  readonly connected: () => boolean;
  /** User-Agent, cut to what is kept. */
  readonly browser: string | null;
  /** The version from If-Match; always there where the route requires it. */
  readonly ifMatch: number | undefined;
  /** The cookies of our pages. */
  readonly cookies: Readonly<Record<string, string | undefined>>;
  /** The console session's cookie, where there is one; for calls that anybody may make. */
  readonly sessionToken: string | undefined;
  /** The request carries an `Idempotency-Key`, so its outcome has to be kept: use `run`. */
  readonly once: boolean;
  /**
   * Runs the use case in one transaction. With an `Idempotency-Key` its outcome is stored, sealed, in the same
   * transaction; a repeated request never comes this far.
   */
  run(useCase: (work: Work) => Promise<Reply<R>>, read?: Statement): Promise<Reply<R>>;
  /** The same of a use case that opens with a read and leaves all that it writes for the end: its first run takes no locks. */
  plan(useCase: (plan: Plan) => Promise<Reply<R>>, opening: Opening): Promise<Reply<R>>;
}

export interface Reply<R extends RouteId> {
  readonly answer: Answer<R>;
  /** The answer as it comes, for answers that may be long; `answer` is then left empty. */
  readonly stream?: Readable;
  /**
   * Takes the begun answer over, for calls that are listened to for long: it writes to the line and ends it. Of the call itself nothing is
   * kept meanwhile, since there may be thousands. Answers what is called once whoever listens has gone.
   */
  readonly listens?: (line: ServerResponse) => () => void;
  /** Becomes the ETag. */
  readonly version?: number;
  /** A console session to set, or to clear (null). */
  readonly cookies?: readonly SetCookie[];
  readonly session?: { readonly token: string; readonly expiresAt: Date } | null;
}

export type Handler<R extends RouteId> = (deps: Deps, call: Call<R>) => Promise<Reply<R>>;
/** One handler for every call of the contract. */
export type Handlers = { readonly [R in RouteId]: Handler<R> };
/** The handlers of one area. */
export type AreaHandlers<R extends RouteId> = { readonly [K in R]: Handler<K> };
