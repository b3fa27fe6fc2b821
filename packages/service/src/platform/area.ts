import type { FastifyInstance } from 'fastify';
import type { Model } from 'sequelize';
import type { Table } from './db/models.js';
import type { Deps, PlatformDeps } from './deps.js';
import type { Told } from './delivery/sender.js';
import type { FloodGuard } from './http/flood-guard.js';
import type { JobKinds } from './jobs/jobs.js';
import type { Sweep } from './jobs/sweep.js';

/** Records of any kind, for what goes over all of them. */
export type AnyTable = Table<Model>;

/**
 * What an area, or a kind of connection, brings into the service. Each is a folder with one such description in its `area.ts`; the
 * host (`host/areas.ts`) lists them and makes everything that goes over all of them from that list.
 *
 * H: its handlers, as `AreaHandlers` of the calls that it answers. P: what it provides to every use case.
 */
export interface Area<H extends object, P extends object> {
  readonly name: string;
  /** Its tables. What is sealed in them and what names a key follows from their descriptions. */
  readonly tables: readonly AnyTable[];
  /** What it keeps at hand for every use case; the members are added to `Deps` where their type is declared. */
  readonly provides: (platform: PlatformDeps) => P;
  /** Rows that have run out. */
  readonly sweeps: readonly Sweep[];
  /** What only a node that takes calls needs. Loaded there alone: chores on the host come and go, and should be quick. */
  readonly serves: () => Promise<Serves<H>>;
}

/** What an area does on a node that takes calls. */
export interface Serves<H extends object> {
  /** What answers its calls. */
  readonly handlers: H;
  /** Work in the background: what recurs, and what is asked for. */
  readonly jobs: JobKinds;
  /** Rounds that every node makes for itself, for as long as it runs. */
  readonly loops: readonly AreaLoop[];
  /** Done before calls are taken; repeated where the database is away meanwhile, so it must be safe to do again. */
  readonly starts: (deps: Deps) => Promise<void>;
  /** Lets go of whoever is kept waiting, so that the node can stop. */
  readonly leaves: (deps: Deps) => void;
  /** Hears what became of messages that are about its own. */
  readonly told: Told;
  /** Addresses beside the contract's calls. */
  readonly endpoints: (app: FastifyInstance, deps: Deps, floods: FloodGuard) => Promise<void>;
}

export interface AreaLoop {
  readonly name: string;
  readonly everyMs: number;
  /** Made once for a node; what it answers is run each round. */
  readonly rounds: (deps: Deps) => () => Promise<unknown>;
}

interface Said<H extends object, P extends object>
  extends Pick<Area<H, P>, 'name'>, Partial<Omit<Area<H, P>, 'name' | 'tables' | 'serves'>> {
  // A model of one record is no model of any record to the compiler: its `where` is narrower.
  readonly tables?: readonly { readonly table: string }[];
  readonly serves?: () => Promise<Partial<Serves<H>>>;
}

const nothing = async () => await Promise.resolve();

/** Describes an area; what it does not say, it has none of. */
export const area = <const H extends object = object, P extends object = object>({
  serves,
  ...said
}: Said<H, P>): Area<H, P> => ({
  provides: () => ({}) as P,
  sweeps: [],
  ...said,
  tables: (said.tables ?? []) as unknown as readonly AnyTable[],
  serves: async () => ({
    handlers: {} as H,
    jobs: {},
    loops: [],
    starts: nothing,
    leaves: () => undefined,
    endpoints: nothing,
    told: {},
    ...(await serves?.()),
  }),
});
