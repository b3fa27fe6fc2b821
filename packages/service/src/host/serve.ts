import type { AddressInfo } from 'node:net';
import { setTimeout as delay } from 'node:timers/promises';
import type { Logger } from 'pino';
import { besideService } from './beside.js';
import { buildApp, type Leaving } from './app.js';
import { served } from './areas.js';
import { requestRecurringJobs, runDueJobs, type JobKinds } from '../platform/jobs/jobs.js';
import { startLoop } from '../platform/jobs/loop.js';
import { beat } from '../platform/jobs/node-heartbeat.js';
import type { BuiltPages } from '../platform/http/pages.js';
import type { Config } from '../platform/config.js';
import type { Deps } from '../platform/deps.js';
import { patiently } from '../platform/db/patience.js';
import { startSending } from '../platform/delivery/sender.js';
import { hasOwner, issueHostLink, LINK_MINUTES } from '../areas/access/host-links.js';
import { closeRuntime, openRuntime, StartError } from './runtime.js';
import { hostWords as words } from '../platform/host-words.js';
import { say } from '@nimble-latch/api';

const builtOf = (name: string): string => besideService(`${name}/dist/web`);
/** Where the built pages lie beside this package. */
export const BUILT_PAGES: BuiltPages = { console: builtOf('console'), pocket: builtOf('pocket') };

/** A running service. */
export interface Service {
  readonly address: string;
  /** What it is made of, for whoever runs it within a program of their own. */
  readonly deps: Deps;
  readonly setUpLink: string | undefined;
  stop(): Promise<void>;
}

/** The kinds of one of the two lanes. */
const kindsOf = (jobs: JobKinds, long: boolean): JobKinds =>
  Object.fromEntries(Object.entries(jobs).filter(([, kind]) => (kind.long ?? false) === long));

/** Starts the service: HTTP, and its background loops. Answers once it takes calls. */
export async function serve(config: Config, log?: Logger, built = BUILT_PAGES): Promise<Service> {
  const deps = await openRuntime(config, log);
  const startedAt = deps.now();
  const all = await served();
  const standing: Leaving = { leaving: false };
  const app = await buildApp(deps, all, built, standing);
  let setUpLink: string | undefined;
  try {
    await patiently(deps.log, async () => {
      await beat(deps, startedAt);
      await requestRecurringJobs(deps, all.jobs);
      for (const start of all.starts) await start(deps);
    });
    await app.listen({ host: config.listen.host, port: config.listen.port });
    setUpLink = await patiently(deps.log, async () =>
      (await hasOwner(deps)) ? undefined : await issueHostLink(deps, 'set-up', null),
    );
  } catch (error) {
    await app.close();
    await closeRuntime(deps);
    const { code } = error as NodeJS.ErrnoException;
    const at = `${config.listen.host}:${config.listen.port}`;
    if (code === 'EADDRINUSE')
      throw new StartError(`${at} is taken by another program.\n  try: NLATCH_LISTEN=127.0.0.1:<another port>`);
    if (code === 'EACCES')
      throw new StartError(`${at} may not be used by this account.\n  try: NLATCH_LISTEN with a port above 1023`);
    if (code === 'EADDRNOTAVAIL')
      throw new StartError(
        `${config.listen.host} is not an address of this machine.\n  try: NLATCH_LISTEN=127.0.0.1:8470`,
      );
    throw error;
  }
  const loops = [
    ...all.loops.map(({ name, everyMs, rounds }) => startLoop(name, everyMs, deps.log, rounds(deps))),
    startLoop('jobs', 1_000, deps.log, async () => await runDueJobs(deps, kindsOf(all.jobs, false))),
    startLoop('long-jobs', 500, deps.log, async () => await runDueJobs(deps, kindsOf(all.jobs, true))),
    ...startSending(deps, all.told),
  ];
  // Listening on a host and port, never on a pipe.
  const bound = app.server.address() as AddressInfo;
  const host = bound.family === 'IPv6' ? `[${bound.address}]` : bound.address;
  const address = `${config.tls ? 'https' : 'http'}://${host}:${bound.port}`;
  deps.log.info(
    {
      address,
      url: config.publicUrl.origin,
      version: deps.version,
      writer: deps.trail.id,
    },
    'listening',
  );
  return {
    address,
    deps,
    setUpLink,
    async stop() {
      standing.leaving = true;
      if (config.drainSeconds > 0) {
        deps.log.info({ seconds: config.drainSeconds }, 'leaving: calls are taken until balancers have noticed');
        await delay(config.drainSeconds * 1_000);
      }
      for (const leave of all.leaves) leave(deps);
      await app.close();
      await Promise.all(loops.map((loop) => loop.stop()));
      await closeRuntime(deps);
    },
  };
}

/** What is printed where somebody watches the start. */
export function startedText(service: Service): string {
  const lines = [say(words.done.listening, { address: service.address })];
  if (service.setUpLink)
    lines.push('', words.done.unowned, `  ${service.setUpLink}`, say(words.done.worksOnce, { minutes: LINK_MINUTES }));
  return `${lines.join('\n')}\n`;
}
