import type { Answer } from '@nimble-latch/api';
import { PUSH_REQUEST_LIFE_MS } from '@nimble-latch/core/push';
import type { AuthenticatorState, Id, Method, PushRequestState } from '@nimble-latch/core/vocabulary';
import { insertAll } from '../../platform/db/bulk-insert.js';
import { selectOne, selectOneToWrite, write, type Db } from '../../platform/db/sql.js';
import type { Work } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { notFound, Refusal } from '../../platform/errors.js';
import { entryOf } from '../../platform/http/actors.js';
import type { Handler } from '../../platform/http/call.js';
import { idBytes, idText, newId } from '../../platform/ids.js';
import { pushRequests } from './push-request.model.js';
import { wakePhones } from './wake.js';

/** Tests of one phone in a quarter of an hour: each makes it ring. */
const TESTS_MOST = 6;

interface TestRow {
  readonly state: PushRequestState;
  readonly created_at: Date;
  readonly valid_until: Date;
  readonly shown_at: Date | null;
  readonly answered_at: Date | null;
  readonly past: number;
}

/** A question to one phone, of no sign-in; nothing is compared. @returns until when it waits */
export async function askOfNothing(
  deps: Deps,
  work: Work,
  asked: { readonly person: Id; readonly device: Id; readonly lifeMs: number },
  from: { readonly origin: string; readonly browser: string | null },
): Promise<Date> {
  const validUntil = new Date(work.now.getTime() + asked.lifeMs);
  await insertAll(work, 'push_requests', [
    pushRequests.sent({
      id: newId(deps),
      personId: asked.person,
      signInId: null,
      deviceId: asked.device,
      applicationId: null,
      challenge: Buffer.from(deps.random(32)),
      number: null,
      state: 'waiting',
      lane: 'familiar',
      source: null,
      sourceAddress: from.origin,
      browser: from.browser,
      createdAt: work.now,
      validUntil,
    }),
  ]);
  return validUntil;
}

const LATEST = `SELECT state, created_at, valid_until, shown_at, answered_at, valid_until <= UTC_TIMESTAMP(3) AS past FROM push_requests
  WHERE device_id = :id AND person_id = (SELECT a.person_id FROM authenticators a WHERE a.id = :id) AND sign_in_id IS NULL ORDER BY created_at DESC LIMIT 1`;

/** The latest test of a phone. Throws `not-found` where there was none lately. */
async function latestOf(db: Db, id: Id): Promise<Answer<'push.tested'>> {
  const row = await selectOne<TestRow>(db, LATEST, { id: idBytes(id) });
  if (!row) throw notFound();
  return {
    state: row.answered_at ? 'answered' : row.state === 'waiting' && Number(row.past) === 0 ? 'waiting' : 'over',
    askedAt: row.created_at.toISOString(),
    shownAt: row.shown_at?.toISOString() ?? null,
    answeredAt: row.answered_at?.toISOString() ?? null,
    until: row.valid_until.toISOString(),
  };
}

/** Asks a phone that is in use, by itself; one that still waits is taken back. */
export const testPhone: Handler<'push.test'> = async (deps, call) =>
  await call.run(async (work) => {
    const { id } = call.params;
    const row = await selectOneToWrite<{ person_id: Buffer; method: Method; state: AuthenticatorState; tests: number }>(
      work,
      `SELECT a.person_id, a.method, a.state, (SELECT COUNT(*) FROM push_requests q WHERE q.person_id = a.person_id AND q.device_id = a.id
         AND q.created_at > UTC_TIMESTAMP(3) - INTERVAL 15 MINUTE) AS tests FROM authenticators a WHERE a.id = :id`,
      { id: idBytes(id) },
    );
    if (row?.method !== 'push') throw notFound();
    if (row.state !== 'active') throw new Refusal('wrong-state', { state: row.state });
    if (Number(row.tests) >= TESTS_MOST) throw new Refusal('limit-reached', { limit: TESTS_MOST });
    const person = idText(row.person_id);
    await write(
      work,
      "UPDATE push_requests SET state = 'withdrawn' WHERE person_id = :person AND device_id = :id AND sign_in_id IS NULL AND state = 'waiting'",
      { person: row.person_id, id: idBytes(id) },
    );
    const until = await askOfNothing(deps, work, { person, device: id, lifeMs: PUSH_REQUEST_LIFE_MS }, call);
    await work.trail(entryOf(call, 'push.test-sent', { kind: 'authenticator', id }, { person }));
    work.afterCommit(() => wakePhones(deps, person, until.getTime(), { device: id }));
    return { answer: await latestOf(work, id) };
  });

export const testedPhone: Handler<'push.tested'> = async (deps, { params }) => ({
  answer: await latestOf(deps, params.id),
});
