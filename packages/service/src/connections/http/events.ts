import { Readable } from 'node:stream';
import type { Id } from '@nimble-latch/core/vocabulary';
import { stateOfAsked } from '../../areas/push/asked.js';
import { readSignIn } from '../../areas/signins/store.js';
import { selectOne } from '../../platform/db/sql.js';
import type { Deps } from '../../platform/deps.js';
import { Refusal } from '../../platform/errors.js';
import type { Handler } from '../../platform/http/call.js';
import { idBytes } from '../../platform/ids.js';

/** How often something is sent while nothing happens: who has gone is found out by that, and what lies between keeps the connection. */
const BEAT_MS = 10_000;

/**
 * Whoever shows the page of a sign-in listens until a phone has answered. What comes says that there is something, and never what: the
 * sign-in goes on by a proof, as everywhere.
 */
export const eventsForApplication: Handler<'signIns.events'> = async (deps, { params, actor }) => {
  const { connectionId, signIn } = await readSignIn(deps, params.id);
  if (connectionId !== actor.connectionId) throw new Refusal('not-found');
  const { waits } = signIn;
  const listens = {
    id: params.id,
    key: actor.keyId,
    asked: waits?.request as Id | undefined,
    until: waits?.until ?? 0,
  };
  return { answer: '', stream: Readable.from(events(deps, listens), { objectMode: false }) };
};

/** All that is kept of whoever listens: there may be thousands. */
interface Listens {
  readonly id: Id;
  readonly key: Id;
  /** What their phones were asked, until when; undefined where no phone is waited for. */
  readonly asked: Id | undefined;
  readonly until: number;
}

const event = (name: string, facts: object = {}): string => `event: ${name}\ndata: ${JSON.stringify(facts)}\n\n`;

async function* events(deps: Deps, listens: Listens): AsyncGenerator<string> {
  const { asked, until, key } = listens;
  yield 'retry: 3000\n\n';
  if (asked !== undefined) yield event('waiting', { until: new Date(until).toISOString() });
  for (;;) {
    const over = await whatOf(deps, listens);
    // A key that was taken away hears nothing more.
    if (!(await stands(deps, key))) return;
    if (over !== undefined) {
      yield over;
      return;
    }
    await deps.phoneAnswers.until(asked!, Math.min(BEAT_MS, leftOf(deps, until)));
    yield ':\n\n';
  }
}

const leftOf = (deps: Deps, until: number): number => Math.max(0, until - deps.now().getTime());

/** What is to be told for good; undefined while it is still waited for. */
async function whatOf(deps: Deps, { id, asked, until }: Listens): Promise<string | undefined> {
  const { state, reason, waits } = (await readSignIn(deps, id)).signIn;
  if (state !== 'asking') return event('ended', { state, reason });
  if (asked === undefined || waits?.request !== asked) return event('moved-on');
  if ((await stateOfAsked(deps, asked)) === 'approved') return event('answered');
  return leftOf(deps, until) === 0 ? event('over') : undefined;
}

const stands = async (deps: Deps, key: Id): Promise<boolean> =>
  (await selectOne(
    deps,
    'SELECT 1 AS one FROM connection_keys WHERE id = :key AND (expires_at IS NULL OR expires_at > UTC_TIMESTAMP(3))',
    { key: idBytes(key) },
  )) !== undefined;
