import type { OfferedConnectionKind } from '@nimble-latch/core/connections/kinds';
import { accessArea } from '../areas/access/area.js';
import { applicationsArea } from '../areas/applications/area.js';
import { browsersArea } from '../areas/browsers/area.js';
import { configurationArea } from '../areas/configuration/area.js';
import { figuresArea } from '../areas/figures/area.js';
import { importsArea } from '../areas/imports/area.js';
import { insightArea } from '../areas/insight/area.js';
import { invitationsArea } from '../areas/invitations/area.js';
import { keyringArea } from '../areas/keyring/area.js';
import { methodsArea } from '../areas/methods/area.js';
import { modelsArea } from '../areas/models/area.js';
import { networksArea } from '../areas/networks/area.js';
import { noticesArea } from '../areas/notices/area.js';
import { passesArea } from '../areas/passes/area.js';
import { peopleArea } from '../areas/people/area.js';
import { pushArea } from '../areas/push/area.js';
import { relyingPartyArea } from '../areas/relying-party/area.js';
import { rulebookArea } from '../areas/rulebook/area.js';
import { signinsArea } from '../areas/signins/area.js';
import { stockArea } from '../areas/stock/area.js';
import type {
  ConnectionHandling,
  ConnectionHandlings,
  KeptParameters,
} from '../areas/applications/connection-handling.js';
import { httpConnection } from '../connections/http/area.js';
import { oidcConnection } from '../connections/oidc/area.js';
import type { AnyTable, Area, AreaLoop, Serves } from '../platform/area.js';
import type { Deps, PlatformDeps } from '../platform/deps.js';
import type { Handlers } from '../platform/http/call.js';
import { sweep } from '../platform/jobs/sweep.js';
import type { JobKinds } from '../platform/jobs/jobs.js';
import type { Told } from '../platform/delivery/sender.js';
import { platform } from '../platform/platform.js';

/** Kinds of connection, by name. */
const CONNECTIONS = { http: httpConnection, oidc: oidcConnection } satisfies Readonly<
  Record<OfferedConnectionKind, { readonly handling: object }>
>;

/** Everything that the service is made of. What goes over all of it is made from this list. */
const BROUGHT = [
  platform,
  accessArea,
  applicationsArea,
  browsersArea,
  configurationArea,
  figuresArea,
  importsArea,
  insightArea,
  invitationsArea,
  keyringArea,
  methodsArea,
  modelsArea,
  networksArea,
  noticesArea,
  passesArea,
  pushArea,
  peopleArea,
  relyingPartyArea,
  rulebookArea,
  signinsArea,
  stockArea,
  ...Object.values(CONNECTIONS),
] as const;
const ALL: readonly Area<object, object>[] = BROUGHT;

type Brought = (typeof BROUGHT)[number];
type All<T> = (T extends unknown ? (one: T) => void : never) extends (all: infer A) => void ? A : never;

/** What areas provide to every use case; here too the compiler sees to it that nothing is missing. */
export function provided(basis: PlatformDeps): Omit<Deps, keyof PlatformDeps> {
  const connectionHandlings = Object.fromEntries(
    Object.entries(CONNECTIONS).map(([kind, { handling }]) => [kind, handling as ConnectionHandling<KeptParameters>]),
  ) as ConnectionHandlings;
  const made = together(ALL.map(({ provides }) => provides(basis))) as All<ReturnType<Brought['provides']>>;
  return { ...made, connectionHandlings };
}

/** Every table of the installation. A rotation of keys, and the tests of the schema, go by it. */
export const TABLES: readonly AnyTable[] = ALL.flatMap(({ tables }) => tables);

/** What a node that takes calls is made of. */
export interface Served {
  readonly handlers: Handlers;
  readonly jobs: JobKinds;
  readonly loops: readonly AreaLoop[];
  readonly starts: readonly Serves<object>['starts'][];
  readonly endpoints: readonly Serves<object>['endpoints'][];
  readonly leaves: readonly Serves<object>['leaves'][];
  readonly told: Told;
}

/** Loads what all areas do on a node that takes calls. The compiler sees to it that every call of the contract has its handler. */
export async function served(): Promise<Served> {
  const all = await Promise.all(ALL.map(async ({ serves }) => await serves()));
  const handlers = together(all.map((one) => one.handlers)) as All<Awaited<ReturnType<Brought['serves']>>['handlers']>;
  const { rekey } = await import('../platform/secrets/rekey.js');
  return {
    handlers,
    jobs: {
      ...(together(all.map(({ jobs }) => jobs)) as JobKinds),
      rekey: { long: true, run: async (deps, run) => await rekey(deps, run, TABLES) },
      sweep: {
        everySeconds: 300,
        run: async (deps) =>
          await sweep(
            deps,
            ALL.flatMap(({ sweeps }) => sweeps),
          ),
      },
    },
    loops: all.flatMap(({ loops }) => loops),
    starts: all.map(({ starts }) => starts),
    endpoints: all.map(({ endpoints }) => endpoints),
    leaves: all.map(({ leaves }) => leaves),
    told: together(all.map(({ told }) => told)) as Told,
  };
}

/** Puts members together. Two that bring the same name would hide each other. */
function together(parts: readonly object[]): object {
  const all = {};
  for (const part of parts)
    for (const [name, value] of Object.entries(part)) {
      if (Object.hasOwn(all, name)) throw new Error(`two areas bring ${name}`);
      Object.assign(all, { [name]: value as unknown });
    }
  return all;
}
