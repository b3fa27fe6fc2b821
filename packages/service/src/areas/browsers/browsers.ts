import type { Answer } from '@nimble-latch/api';
import { systemOf } from '@nimble-latch/core/rulebook';
import type { ProofDone } from '@nimble-latch/core/signin';
import type { System, Id } from '@nimble-latch/core/vocabulary';
import { carryOut, insertion, select, selectOne, write, type Db } from '../../platform/db/sql.js';
import type { Work } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { idBytes, newId, idText } from '../../platform/ids.js';
import { issueToken, tokenId, verifyToken } from '../../platform/secrets/tokens.js';

/** Which browser this is, so that it can be told from others and remembered. Says nothing of anybody. */
export const BROWSER_COOKIE = '__Host-nlatch-browser';
const BROWSER_DAYS = 400;

/** A browser that was given a cookie of ours; its id. */
export async function readBrowser(deps: Deps, token: string | undefined): Promise<Id | undefined> {
  const id = token === undefined ? undefined : tokenId('browser', token);
  if (!id || token === undefined) return undefined;
  const row = await selectOne<{ hash: Buffer; hash_key_id: Buffer }>(
    deps,
    'SELECT hash, hash_key_id FROM browsers WHERE id = :id',
    { id: idBytes(id) },
  );
  return row && (await verifyToken(deps, 'browser', id, token, row)) ? id : undefined;
}

/** What is known of a browser and a person. */
export interface Acquaintance {
  /** Undefined for a browser that the person was let in from before and that is not remembered. */
  readonly known: 'new' | 'remembered' | undefined;
  readonly remembered: readonly { readonly rule: string; readonly proofs: readonly ProofDone[] }[];
}

export async function acquaintance(
  db: Db,
  browserId: Id | undefined,
  personId: Id | null,
  now: Date,
): Promise<Acquaintance> {
  if (browserId === undefined) return { known: 'new', remembered: [] };
  // Looked up for nobody too: how long an answer takes must not tell who exists.
  const who = { browser: idBytes(browserId), person: personId === null ? Buffer.alloc(16) : idBytes(personId), now };
  const [met, remembered] = await Promise.all([
    selectOne(db, 'SELECT 1 AS one FROM browser_people WHERE browser_id = :browser AND person_id = :person', who),
    select<{ rule: string; proofs: string }>(
      db,
      'SELECT rule, proofs FROM remembered_browsers WHERE browser_id = :browser AND person_id = :person AND until > :now',
      who,
    ),
  ]);
  return {
    known: remembered.length > 0 ? 'remembered' : met ? undefined : 'new',
    remembered: remembered.map(({ rule, proofs }) => ({ rule, proofs: JSON.parse(proofs) as ProofDone[] })),
  };
}

/** Notes that somebody was let in from this browser; a browser that has no cookie yet gets one. */
export async function meetBrowser(
  deps: Deps,
  work: Work,
  browserId: Id | undefined,
  personId: Id,
): Promise<{ id: Id; cookie: { token: string; expiresAt: Date } | undefined }> {
  const id = browserId ?? newId(deps);
  let cookie: { token: string; expiresAt: Date } | undefined;
  if (browserId === undefined) {
    const { token, hash, hashKeyId } = issueToken(deps, 'browser', id);
    await carryOut(
      work,
      insertion('browsers', {
        id: idBytes(id),
        hash,
        hashKeyId: idBytes(hashKeyId),
        createdAt: work.now,
        seenAt: work.now,
      }),
    );
    cookie = { token, expiresAt: new Date(work.now.getTime() + BROWSER_DAYS * 86_400_000) };
  } else await write(work, 'UPDATE browsers SET seen_at = :now WHERE id = :id', { id: idBytes(id), now: work.now });
  await write(
    work,
    `INSERT INTO browser_people (browser_id, person_id, first_at, last_at) VALUES (:id, :person, :now, :now)
     ON DUPLICATE KEY UPDATE last_at = :now`,
    { id: idBytes(id), person: idBytes(personId), now: work.now },
  );
  return { id, cookie };
}

const SYSTEM_NAMES: Readonly<Record<System, string | undefined>> = {
  android: 'Android',
  chromeos: 'ChromeOS',
  ios: 'iOS',
  linux: 'Linux',
  macos: 'macOS',
  windows: 'Windows',
  other: undefined,
};

/** What a browser says that it is, in a few words: its name and system, as far as they are plain to see. */
export function labelOf(userAgent: string | null): string {
  if (userAgent === null) return '';
  const name = /(Firefox|Edg|OPR|Chrome|Safari)\//.exec(userAgent.replace(/Chrome\/.*(Edg|OPR)\//, '$1/'))?.[1];
  const shown = { Edg: 'Edge', OPR: 'Opera' }[name ?? ''] ?? name;
  return [shown, SYSTEM_NAMES[systemOf(userAgent)]].filter((part) => part !== undefined).join(', ');
}

/** Remembers a browser for a person and a rule, by the proofs that need not be made again. */
export async function rememberBrowser(
  deps: Deps,
  work: Work,
  browserId: Id,
  personId: Id,
  rule: string,
  days: number,
  proofs: readonly ProofDone[],
  how: { readonly label: string; readonly origin: string },
): Promise<void> {
  const id = newId(deps);
  const until = new Date(work.now.getTime() + days * 86_400_000);
  const values = {
    id: idBytes(id),
    browser: idBytes(browserId),
    person: idBytes(personId),
    rule,
    proofs: JSON.stringify(proofs),
    label: how.label,
    now: work.now,
    until,
  };
  await write(
    work,
    `INSERT INTO remembered_browsers (id, browser_id, person_id, rule, proofs, label, created_at, until)
     VALUES (:id, :browser, :person, :rule, :proofs, :label, :now, :until)
     ON DUPLICATE KEY UPDATE proofs = :proofs, label = :label, created_at = :now, until = :until`,
    values,
  );
  await work.trail({
    actor: { kind: 'person', id: personId },
    action: 'browser.remembered',
    target: { kind: 'browser', id: browserId },
    person: personId,
    origin: how.origin,
    reason: null,
    details: { rule, days },
  });
}

type Remembered = Answer<'pages.show'>['browsers'][number];

/** The browsers that are remembered for a person, the newest first. */
export async function rememberedOf(
  db: Db,
  personId: Id,
  current: string | undefined,
  now: Date,
): Promise<Remembered[]> {
  const rows = await select<{
    id: Buffer;
    browser_id: Buffer;
    label: string;
    rule: string;
    created_at: Date;
    until: Date;
  }>(
    db,
    'SELECT id, browser_id, label, rule, created_at, until FROM remembered_browsers WHERE person_id = :person AND until > :now ORDER BY created_at DESC LIMIT 200',
    { person: idBytes(personId), now },
  );
  return rows.map((row) => ({
    id: idText(row.id),
    label: row.label,
    rule: row.rule,
    createdAt: row.created_at.toISOString(),
    until: row.until.toISOString(),
    current: current !== undefined && idText(row.browser_id) === current,
  }));
}
