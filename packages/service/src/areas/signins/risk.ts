import type { Id } from '@nimble-latch/core/vocabulary';
import { riskOf, signalsOf, type Signal } from '@nimble-latch/core/risk';
import { uuidV7Floor } from '@nimble-latch/core/crypto';
import type { Facts } from '@nimble-latch/core/rulebook';
import { select, selectOne } from '../../platform/db/sql.js';
import type { Deps } from '../../platform/deps.js';
import { idBytes } from '../../platform/ids.js';
import { locate } from '../networks/table.js';
import { sourceKey } from './lanes.js';

/** Wrong proofs count for so long, and the past is looked at for so long, at most so many times. */
const LATELY_MS = 15 * 60_000;
const PAST_MS = 60 * 86_400_000;
const PAST_MOST = 200;
const NOBODY = Buffer.alloc(16);

/** What is noticed about a sign-in, and how risky it is by the weights of the settings. */
export interface Risk {
  readonly risk: number;
  readonly signals: readonly Signal[];
}

/** The hour of the day somewhere, 0 to 23. */
function hourIn(zone: string): (at: Date) => number {
  const format = new Intl.DateTimeFormat('en-GB', { hour: 'numeric', hourCycle: 'h23', timeZone: zone });
  return (at) => Number(format.format(at));
}

/**
 * Looks at what is known of a person's past sign-ins. Asked only where some rule goes by risk. For nobody the same is read, so that
 * how long it takes does not tell who exists.
 */
export async function assessRisk(
  deps: Deps,
  personId: Id | null,
  {
    sourceAddress,
    known,
    zone,
    claimed,
  }: { sourceAddress: string | null; known: Facts['browser']; zone: string; claimed: number | null },
): Promise<Risk> {
  const now = deps.now();
  const person = personId === null ? NOBODY : idBytes(personId);
  const [{ settings }, here, sources, past, wrong] = await Promise.all([
    deps.settings.current(),
    locate(deps, sourceAddress),
    selectOne<{ familiar: number | null; n: number }>(
      deps,
      'SELECT MAX(source = :source) AS familiar, COUNT(*) AS n FROM familiar_sources WHERE person_id = :person',
      { person, source: sourceAddress === null ? NOBODY : sourceKey(sourceAddress) },
    ),
    select<{ begun_at: Date; source_address: string | null }>(
      deps,
      `SELECT begun_at, source_address FROM sign_ins WHERE person_id = :person AND id > :since AND state = 'let-in'
       ORDER BY id DESC LIMIT ${PAST_MOST}`,
      { person, since: uuidV7Floor(now.getTime() - PAST_MS) },
    ),
    selectOne<{ n: number | null }>(
      deps,
      "SELECT SUM(JSON_VALUE(data, '$.wrong')) AS n FROM sign_ins WHERE person_id = :person AND id > :since",
      { person, since: uuidV7Floor(now.getTime() - LATELY_MS) },
    ),
  ]);
  const last = past.find(({ source_address: address }) => address !== null);
  const there = last ? await locate(deps, last.source_address) : [];
  const hour = hourIn(zone);
  const place = (networks: readonly { country: string | null; city: string | null }[]) => ({
    country: networks.find(({ country }) => country !== null)?.country ?? null,
    city: networks.find(({ city }) => city !== null)?.city ?? null,
  });
  const signals = signalsOf({
    at: now.getTime(),
    familiar: sourceAddress === null ? undefined : Number(sources?.familiar ?? 0) === 1,
    hasPast: past.length > 0 || Number(sources?.n ?? 0) > 0,
    browser: known,
    wrongLately: Number(wrong?.n ?? 0),
    last: last && { at: last.begun_at.getTime(), ...place(there) },
    here: place(here),
    hours: past.map(({ begun_at: at }) => hour(at)),
    hour: hour(now),
    anonymising: here.find(({ anonymising }) => anonymising)?.name,
    claimed: claimed ?? undefined,
  });
  return { risk: riskOf(signals, settings.risk), signals };
}
