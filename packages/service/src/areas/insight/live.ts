import { PassThrough } from 'node:stream';
import type { Id } from '@nimble-latch/core/vocabulary';
import { setTimeout as delay } from 'node:timers/promises';
import { select, selectOne } from '../../platform/db/sql.js';
import type { Deps } from '../../platform/deps.js';
import { Refusal } from '../../platform/errors.js';
import type { Handler } from '../../platform/http/call.js';
import { idText } from '../../platform/ids.js';

/** How often the database is asked whether something has changed: once for all who listen at this node. */
const LOOK_MS = 1_000;
/** The sign-ins whose changes are noticed: more than a page shows. */
const NEWEST = 100;
/** Life of one stream; browsers open the next by themselves, and are then asked again who they are. */
const LIFE_MS = 5 * 60_000;
const MOST_LISTENERS = 200;
/** Of one person: some windows of some devices, and none that takes the places of all. */
const MOST_OF_ONE = 8;

interface Marks {
  readonly signIns: string;
  readonly trail: string;
}

/** What changes when a list would look different. Reading the trail is left out: showing it would cause the next reading. */
async function marks(deps: Deps): Promise<Marks> {
  const [signIns, entry] = await Promise.all([
    select<{ id: Buffer; version: number }>(deps, `SELECT id, version FROM sign_ins ORDER BY id DESC LIMIT ${NEWEST}`),
    selectOne<{ writer: Buffer; number: number }>(
      deps,
      "SELECT writer, number FROM trail_entries WHERE action <> 'trail.read' ORDER BY at DESC, writer DESC, number DESC LIMIT 1",
    ),
  ]);
  return {
    signIns: signIns.map((row) => `${idText(row.id)}.${row.version}`).join(' '),
    trail: entry ? `${idText(entry.writer)}.${entry.number}` : '',
  };
}

/** Everybody who listens at this node, and the one loop that looks for them. */
class Listeners {
  readonly #deps: Deps;
  readonly #streams = new Map<PassThrough, Id>();
  #looking = false;

  constructor(deps: Deps) {
    this.#deps = deps;
  }

  add(person: Id): PassThrough {
    const own = [...this.#streams.values()].filter((one) => one === person).length;
    if (this.#streams.size >= MOST_LISTENERS || own >= MOST_OF_ONE) throw new Refusal('throttled', { seconds: 30 });
    const stream = new PassThrough();
    this.#streams.set(stream, person);
    const over = setTimeout(() => stream.end(), LIFE_MS);
    stream.once('close', () => {
      clearTimeout(over);
      this.#streams.delete(stream);
    });
    stream.write('retry: 3000\n\n');
    if (!this.#looking) void this.#look();
    return stream;
  }

  async #look(): Promise<void> {
    this.#looking = true;
    let before: Marks | undefined;
    while (this.#streams.size > 0) {
      try {
        const now = await marks(this.#deps);
        const changed = (['signIns', 'trail'] as const).filter((mark) => before && before[mark] !== now[mark]);
        // Something is sent each time: a connection that has gone is found out by writing to it.
        const event = changed.length > 0 ? `event: changed\ndata: ${changed.join(' ')}\n\n` : ':\n\n';
        for (const stream of this.#streams.keys()) stream.write(event);
        before = now;
      } catch (error) {
        this.#deps.log.warn({ error }, 'listeners could not be told of changes; it is tried again');
      }
      await delay(LOOK_MS);
    }
    this.#looking = false;
  }

  end(): void {
    for (const stream of this.#streams.keys()) stream.end();
  }
}

const listeners = new WeakMap<Deps, Listeners>();

/** Ends every stream of this node, so that it can stop. */
export const endStreams = (deps: Deps): void => listeners.get(deps)?.end();

export const streamActivity: Handler<'activity.stream'> = (deps, { actor }) => {
  let all = listeners.get(deps);
  if (!all) listeners.set(deps, (all = new Listeners(deps)));
  return Promise.resolve({ answer: '', stream: all.add(actor.personId) });
};
