import type { Answer } from '@nimble-latch/api';
import { uuidV7Floor } from '@nimble-latch/core/crypto';
import { OUTDATED_HOURS, SILENT_DAYS } from '@nimble-latch/core/push';
import { UNLOCK_AT } from '@nimble-latch/core/throttle';
import type { Method, Permission } from '@nimble-latch/core/vocabulary';
import { select, selectOne } from '../../platform/db/sql.js';
import type { Deps } from '../../platform/deps.js';
import type { Handler } from '../../platform/http/call.js';
import { idText } from '../../platform/ids.js';
import { keptAWhile } from '../../platform/kept-a-while.js';
import { countToSign } from '../access/signatures.js';
import { countInvitations } from '../invitations/list.js';
import { countDisputes } from '../notices/list.js';
import { countPeople } from '../people/counts.js';
import { countExactly } from '../people/gather.js';
import { wantsSeveralKeys } from '../people/keys-held.js';
import { HOUR_MS, signInHours } from './sign-in-hours.js';

const DAY_MS = 86_400_000;
const DAYS = 30;

type Counts = Answer<'overview.show'>['signInsLastDay'];

/** Sign-ins of the last days by day and outcome. */
async function signInDays(deps: Deps, now: Date): Promise<Answer<'overview.show'>['signInDays']> {
  const first = Math.floor(now.getTime() / DAY_MS) - DAYS + 1;
  const days: { day: string; signIns: Counts }[] = Array.from({ length: DAYS }, (_, i) => ({
    day: new Date((first + i) * DAY_MS).toISOString().slice(0, 10),
    signIns: {},
  }));
  for (const { hour, state, n } of await signInHours(deps, first * DAY_MS, now)) {
    const signIns = days[Math.floor((hour * HOUR_MS) / DAY_MS) - first]?.signIns;
    if (signIns) signIns[state] = (signIns[state] ?? 0) + n;
  }
  return days;
}

/** Whole hours are counted, so that the figure is exactly of the rows since then. */
const lastDaySince = (now: Date): Date => new Date(Math.floor((now.getTime() - DAY_MS) / HOUR_MS) * HOUR_MS);

async function signInsLastDay(deps: Deps, now: Date): Promise<Counts> {
  const counts: Counts = {};
  for (const { state, n } of await signInHours(deps, lastDaySince(now).getTime(), now))
    counts[state] = (counts[state] ?? 0) + n;
  return counts;
}

async function needsHand(deps: Deps, now: Date): Promise<Answer<'overview.show'>['needsHand']> {
  const rows = await select<{
    id: Buffer;
    display_name: string;
    method: Method;
    locked: number;
    until: Date | null;
  }>(
    deps,
    `SELECT p.id, p.display_name, a.method, GREATEST(a.familiar_failures, a.stranger_failures) >= :unlockAt AS locked,
       GREATEST(COALESCE(a.familiar_paused_until, '1970-01-01'), COALESCE(a.stranger_paused_until, '1970-01-01')) AS until
     FROM authenticators a JOIN persons p ON p.id = a.person_id
     WHERE (a.familiar_paused_until IS NOT NULL OR a.stranger_paused_until IS NOT NULL) AND a.state = 'active' AND p.state = 'active'
     HAVING locked OR until > :now ORDER BY locked DESC, until DESC LIMIT 20`,
    { now, unlockAt: UNLOCK_AT },
  );
  const turnedAway = rows.map((row) => ({
    person: { id: idText(row.id), displayName: row.display_name },
    why: row.locked ? ('locked' as const) : ('paused' as const),
    method: row.method,
    signIn: null,
    at: null,
    until: row.locked ? null : (row.until?.toISOString() ?? null),
  }));
  return [...(await emergencies(deps, now)), ...(await copiedKeys(deps)), ...turnedAway, ...(await deafPhones(deps))];
}

/** Keys that seem to have been copied, until they are revoked. */
async function copiedKeys(deps: Deps): Promise<Answer<'overview.show'>['needsHand']> {
  const rows = await select<{ id: Buffer; display_name: string; at: Date }>(
    deps,
    `SELECT p.id, p.display_name, w.copied_at AS at FROM webauthn_credentials w JOIN authenticators a ON a.id = w.authenticator_id
       JOIN persons p ON p.id = a.person_id
     WHERE w.copied_at IS NOT NULL AND a.state IN ('active', 'suspended') AND p.state = 'active' ORDER BY w.copied_at DESC LIMIT 20`,
  );
  return rows.map((row) => ({
    person: { id: idText(row.id), displayName: row.display_name },
    why: 'key-copied',
    method: 'webauthn',
    signIn: null,
    at: row.at.toISOString(),
    until: null,
  }));
}

/**
 * Phones whose holders would wait for a question that does not come: nobody looks at them any more, or nothing wakes them; or whose page
 * may not know what it is asked.
 */
async function deafPhones(deps: Deps): Promise<Answer<'overview.show'>['needsHand']> {
  const OF_ACTIVE = `JOIN authenticators a ON a.id = x.id AND a.state = 'active' JOIN persons p ON p.id = a.person_id AND p.state = 'active'`;
  const rows = await select<{
    id: Buffer;
    display_name: string;
    at: Date;
    why: 'phone-silent' | 'phone-lost' | 'phone-outdated';
  }>(
    deps,
    `(SELECT p.id, p.display_name, x.seen_at AS at, 'phone-silent' AS why FROM
        (SELECT authenticator_id AS id, seen_at FROM push_devices WHERE seen_at < UTC_TIMESTAMP(3) - INTERVAL ${SILENT_DAYS} DAY) x ${OF_ACTIVE}
        ORDER BY x.seen_at DESC LIMIT 20)
     UNION ALL
     (SELECT p.id, p.display_name, x.gone_at AS at, 'phone-lost' AS why FROM push_wakes x ${OF_ACTIVE} WHERE x.gone_at IS NOT NULL ORDER BY x.gone_at DESC LIMIT 20)
     UNION ALL
     (SELECT p.id, p.display_name, x.outdated_at AS at, 'phone-outdated' AS why FROM
        (SELECT authenticator_id AS id, outdated_at FROM push_devices WHERE outdated_at < UTC_TIMESTAMP(3) - INTERVAL ${OUTDATED_HOURS} HOUR) x ${OF_ACTIVE}
        ORDER BY x.outdated_at DESC LIMIT 20)`,
  );
  return rows.map(({ id, display_name, at, why }) => ({
    person: { id: idText(id), displayName: display_name },
    why,
    method: 'push',
    signIn: null,
    at: at.toISOString(),
    until: null,
  }));
}

/** Models that are not to be relied on, as the metadata service reports, as long as somebody holds a key of them. */
async function compromisedModels(deps: Deps): Promise<Answer<'overview.show'>['compromisedModels']> {
  const rows = await select<{ id: Buffer; name: string; since: string | null; people: number }>(
    deps,
    `SELECT m.id, m.name, DATE_FORMAT(m.status_since, '%Y-%m-%d') AS since, COUNT(DISTINCT p.id) AS people FROM key_models m
       JOIN webauthn_credentials w ON w.model_id = m.id JOIN authenticators a ON a.id = w.authenticator_id JOIN persons p ON p.id = a.person_id
     WHERE m.compromised = 1 AND a.state IN ('active', 'suspended') AND p.state = 'active' GROUP BY m.id, m.name, since ORDER BY people DESC, m.name LIMIT 20`,
  );
  return rows.map(({ id, name, since, people }) => ({ id: idText(id), name, since, people: Number(people) }));
}

/** Emergency accounts that were let in lately, until somebody has said of the sign-in whether it was meant. */
async function emergencies(deps: Deps, now: Date): Promise<Answer<'overview.show'>['needsHand']> {
  const rows = await select<{ id: Buffer; display_name: string; sign_in: Buffer; at: Date }>(
    deps,
    `SELECT p.id, p.display_name, s.id AS sign_in, s.begun_at AS at FROM persons p JOIN sign_ins s ON s.person_id = p.id
     WHERE p.emergency = 1 AND s.id > :since AND s.state = 'let-in' AND s.walked_by IS NULL
       AND NOT EXISTS (SELECT 1 FROM sign_in_judgements j WHERE j.sign_in_id = s.id)
     ORDER BY s.id DESC LIMIT 20`,
    { since: uuidV7Floor(now.getTime() - DAYS * DAY_MS) },
  );
  return rows.map((row) => ({
    person: { id: idText(row.id), displayName: row.display_name },
    why: 'emergency-used',
    method: null,
    signIn: idText(row.sign_in),
    at: row.at.toISOString(),
    until: null,
  }));
}

/** How many people hold a key, and fewer than the method settings want; null where those say nothing of it. Looks at everybody who holds one. */
const peopleOfFewKeys = keptAWhile(async (deps) =>
  (await wantsSeveralKeys(deps)) ? await countExactly(deps, { state: 'active', fewKeys: true }) : null,
);

/** Messages of the last week that nobody could be given, and nothing will be tried with again; what is older is history. */
async function undelivered(deps: Deps): Promise<number> {
  const row = await selectOne<{ n: number }>(
    deps,
    "SELECT COUNT(*) AS n FROM outbox WHERE state = 'failed' AND created_at > UTC_TIMESTAMP(3) - INTERVAL 7 DAY",
  );
  return Number(row!.n);
}

/** What waits for somebody, as figures beside the rail; each told only to whoever may see all of what it counts. */
export const showWaiting: Handler<'overview.waiting'> = async (deps, { actor }) => {
  const told = async (permission: Permission, count: () => Promise<number>) =>
    actor.rights.get(permission) === 'everybody' ? await count() : null;
  const now = deps.now();
  const [signatures, hands, disputes, invitations, messages] = await Promise.all([
    countToSign(deps, actor),
    told('person.read', async () => (await needsHand(deps, now)).length + (await compromisedModels(deps)).length),
    told('keyring.read', async () => await countDisputes(deps)),
    told('keyring.read', async () => (await countInvitations(deps, { within: undefined })).stuck),
    told('system.read', async () => await undelivered(deps)),
  ]);
  return { answer: { signatures, hands, disputes, invitations, messages } };
};

export const showOverview: Handler<'overview.show'> = async (deps) => {
  const now = deps.now();
  const [counts, lastDay, days, hand, few, compromised, invitations, disputes, applications] = await Promise.all([
    countPeople(deps),
    signInsLastDay(deps, now),
    signInDays(deps, now),
    needsHand(deps, now),
    peopleOfFewKeys(deps),
    compromisedModels(deps),
    countInvitations(deps, { within: undefined }),
    countDisputes(deps),
    selectOne<{ n: number }>(deps, 'SELECT COUNT(*) AS n FROM applications WHERE built_in = 0'),
  ]);
  const covered = (coverage: string) => counts.coverage[coverage] ?? 0;
  return {
    answer: {
      people: counts.people,
      deactivated: counts.state['deactivated'] ?? 0,
      coverage: {
        nothing: covered('nothing'),
        weak: covered('weak'),
        'two-factors': covered('two-factors'),
        'phishing-resistant': covered('phishing-resistant'),
      },
      compromisedModels: compromised,
      fewKeys: few,
      countedAt: counts.countedAt,
      applications: Number(applications?.n ?? 0),
      signInsLastDay: lastDay,
      lastDaySince: lastDaySince(now).toISOString(),
      signInDays: days,
      openDisputes: disputes,
      stuckInvitations: invitations.stuck,
      needsHand: hand,
    },
  };
};
