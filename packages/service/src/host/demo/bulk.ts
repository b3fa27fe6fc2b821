import { randomBytes } from 'node:crypto';
import type { Connection } from 'mariadb';
import { coverageOf, serialKey, nameKey, seenOf } from '@nimble-latch/core/people';
import type { Method, Id } from '@nimble-latch/core/vocabulary';
import { insertAll } from '../../platform/db/bulk-insert.js';
import { withConnection, write, type SqlValues } from '../../platform/db/sql.js';
import type { Deps } from '../../platform/deps.js';
import { idBytes, newId } from '../../platform/ids.js';
import { personRows } from '../../areas/people/rows.js';
import type { NewEntry } from '../../platform/trail/writer.js';
import { trailColumns } from '../../platform/trail/writer.js';
import type { Resident } from './population.js';
import { DOMAIN } from './world.js';

/** Rows of one statement: large enough that sending them is what takes the time, small enough to stay in memory. */
const ROWS = 2_000;

/** Rows by table, written in the order of the tables when there are enough of them. */
export class BulkLoad {
  readonly #connection: Connection;
  readonly #deps: Deps;
  readonly #tables = new Map<string, SqlValues[]>();
  #held = 0;

  constructor(deps: Deps, connection: Connection) {
    this.#deps = deps;
    this.#connection = connection;
  }

  async add(table: string, row: SqlValues): Promise<void> {
    const rows = this.#tables.get(table);
    if (rows) rows.push(row);
    else this.#tables.set(table, [row]);
    if (++this.#held >= ROWS * 6) await this.flush();
  }

  async flush(): Promise<void> {
    const db = { sequelize: this.#deps.sequelize, connection: this.#connection };
    await this.#connection.beginTransaction();
    for (const [table, rows] of this.#tables)
      for (let from = 0; from < rows.length; from += ROWS) await insertAll(db, table, rows.slice(from, from + ROWS));
    await this.#connection.commit();
    this.#tables.clear();
    this.#held = 0;
  }
}

/** Runs a load on one connection that looks neither for parents nor for duplicates: what is loaded was made to fit. */
export async function bulkLoad(deps: Deps, load: (bulk: BulkLoad) => Promise<void>): Promise<void> {
  await withConnection(deps.sequelize, async (connection) => {
    const db = { sequelize: deps.sequelize, connection };
    await write(db, 'SET SESSION foreign_key_checks = 0, unique_checks = 0');
    try {
      const bulk = new BulkLoad(deps, connection);
      await load(bulk);
      await bulk.flush();
    } finally {
      await write(db, 'SET SESSION foreign_key_checks = 1, unique_checks = 1');
    }
  });
}

/** Writes trail entries in the order of their times. */
export async function loadTrail(
  deps: Deps,
  bulk: BulkLoad,
  entries: { readonly at: Date; readonly entry: NewEntry }[],
): Promise<void> {
  entries.sort((a, b) => a.at.getTime() - b.at.getTime());
  const numbers: number[] = [];
  for (const { at, entry } of entries) {
    const number = deps.trail.reserve();
    numbers.push(number);
    await bulk.add('trail_entries', trailColumns(deps.trail.entry(number, at, entry)));
  }
  await bulk.flush();
  deps.trail.settle(numbers, 'committed');
}

/** What a loaded person can prove with. */
export interface Loaded {
  readonly id: Id;
  readonly who: Resident;
  readonly password: Id | undefined;
  readonly app: { readonly id: Id; readonly secret: Buffer } | undefined;
}

const TOTP = JSON.stringify({ algorithm: 'SHA1', digits: 6, period: 30 });

/** Ids at a time that is not now. */
export function idAt(deps: Deps, at: Date): Id {
  return newId({ ...deps, now: () => at });
}

/**
 * Adds the rows of one person with the keyring they are said to hold.
 *
 * @param lastSeen when they will have signed in last, for the lists; their sign-ins themselves are loaded apart
 */
export async function addResident(
  deps: Deps,
  bulk: BulkLoad,
  who: Resident,
  groupId: Id,
  passwordHash: string,
  at: Date,
  lastSeen: Date | undefined,
): Promise<Loaded> {
  const id = idAt(deps, at);
  const personId = idBytes(id);
  const sortName = nameKey(who.displayName);
  const hasPassword = who.held !== 'nothing';
  const proven = who.held === 'password and app';
  const methods: Method[] = [...(hasPassword ? (['password'] as const) : []), ...(proven ? (['totp'] as const) : [])];
  const { persons, person_terms, login_names } = personRows(
    deps,
    id,
    {
      displayName: who.displayName,
      loginNames: [
        { value: who.loginName, kind: 'plain' },
        { value: who.domainName, kind: 'domain' },
      ],
      mail: `${who.loginName}@${DOMAIN}`,
      phone: null,
      language: 'en',
      timeZone: 'Europe/London',
      source: 'hand',
      state: who.leaver ? 'deactivated' : 'active',
    },
    at,
  );
  await bulk.add('persons', {
    ...persons[0],
    coverage: coverageOf(methods),
    seen: seenOf(lastSeen, deps.now()),
    lastSeenAt: lastSeen ?? null,
  });
  for (const row of person_terms) await bulk.add('person_terms', row);
  for (const row of login_names) await bulk.add('login_names', row);
  await bulk.add('group_members', { groupId: idBytes(groupId), personId, nameKey: sortName });
  for (const method of methods) await bulk.add('person_methods', { personId, method, nameKey: sortName });
  let password: Id | undefined;
  if (hasPassword) {
    password = idAt(deps, at);
    await addAuthenticator(deps, bulk, password, Buffer.from(passwordHash), {
      personId,
      method: 'password',
      label: 'password',
      parameters: '{}',
      passwordOf: personId,
      state: 'active',
      lastUsedAt: lastSeen ?? null,
      carrierId: null,
      at,
    });
  }
  let app: Loaded['app'];
  if (proven || who.held === 'app not proven') {
    const carrier = idBytes(idAt(deps, at));
    await bulk.add('carriers', {
      id: carrier,
      personId,
      kind: 'phone',
      state: 'in-hand',
      label: `${who.displayName.split(' ')[0]}’s phone`,
      serial: who.serial,
      serialKey: who.serial && serialKey(who.serial),
      createdAt: at,
    });
    app = { id: idAt(deps, at), secret: randomBytes(20) };
    await addAuthenticator(deps, bulk, app.id, app.secret, {
      personId,
      method: 'totp',
      label: 'Authenticator app',
      parameters: TOTP,
      passwordOf: null,
      state: proven ? 'active' : 'pending',
      lastUsedAt: proven ? (lastSeen ?? null) : null,
      carrierId: carrier,
      at,
    });
  }
  return { id, who, password, app: proven ? app : undefined };
}

interface NewAuthenticator {
  readonly personId: Buffer;
  readonly method: Method;
  readonly label: string;
  readonly parameters: string;
  readonly passwordOf: Buffer | null;
  readonly state: 'active' | 'pending';
  readonly lastUsedAt: Date | null;
  readonly carrierId: Buffer | null;
  readonly at: Date;
}

async function addAuthenticator(
  deps: Deps,
  bulk: BulkLoad,
  id: Id,
  secret: Buffer,
  { at, ...row }: NewAuthenticator,
): Promise<void> {
  await bulk.add('authenticators', {
    id: idBytes(id),
    ...row,
    secretSealed: deps.keys.current.seal('seed', `authenticator/${id}/secret`, secret, randomBytes(12)),
    // No code from before the last sign-in counts again.
    lastStep: row.method === 'totp' && row.lastUsedAt ? Math.ceil(row.lastUsedAt.getTime() / 30_000) + 1 : null,
    createdAt: at,
    activatedAt: row.state === 'active' ? at : null,
  });
}
