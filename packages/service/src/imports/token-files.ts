import { RowIndex, type Change, type Plan } from '@nimble-latch/core/tables';
import { serialKey } from '@nimble-latch/core/people';
import { readTokenRow, type TokenRow } from '@nimble-latch/core/tokenfiles';
import { constantTimeEqual } from '@nimble-latch/core/crypto';
import { insertAll, select, write, type Db, type SqlValues } from '../db/sql.js';
import type { Work } from '../db/unit-of-work.js';
import type { Deps } from '../deps.js';
import { key, newId, text } from '../ids.js';
import { eventColumns, makerKey, tokenColumns, tokenIdentity } from '../stock/rows.js';
import type { Block } from './blocks.js';
import type { Import } from './store.js';
import { entryBy, refusedPlan, type Author, type KindOfFile, type Planned, type Walk } from './walk.js';

interface Known {
  readonly id: string;
  readonly sealed: Buffer | null;
}

/** A row with whom it is for. */
interface Read {
  readonly row: TokenRow;
  readonly holder: { readonly id: string; readonly protected: boolean } | undefined;
}

/** Files with a hardware token in each row, from whatever form they came. The file is their batch. */
export const tokenFiles: KindOfFile<Read> = { walk: (deps, one) => new TokenWalk(deps, one) };

const nameOf = ({ serial, maker }: TokenRow) => `${serialKey(serial ?? '')} ${makerKey(maker)}`;

class TokenWalk implements Walk<Read> {
  readonly #deps: Deps;
  readonly #import: Import;
  readonly #columns;
  readonly #inFile = new RowIndex();
  readonly newGroups = new Set<string>();
  readonly remembers = false;

  constructor(deps: Deps, one: Import) {
    this.#deps = deps;
    this.#import = one;
    this.#columns = one.columns.map(({ meaning }) => meaning);
  }

  async plan(db: Db, block: Block, locked: boolean): Promise<Planned<Read>[]> {
    const read = block.rows.map(({ line, cells }, i) => ({
      number: block.first + i,
      line,
      ...readTokenRow(cells, this.#columns, { secrets: this.#import.rules.secrets, method: 'totp' }),
    }));
    const known = await this.#known(
      db,
      read.flatMap(({ row }) => row.serial ?? []),
      locked,
    );
    const holders = await this.#holders(
      db,
      read.flatMap(({ row }) => row.owner ?? []),
    );
    const planned: Planned<Read>[] = [];
    for (const { number, line, row, issues } of read) {
      const holder = row.owner === undefined ? undefined : holders.get(row.owner);
      const there = known.get(nameOf(row));
      const all = [...issues, ...this.#wrong(row, holder, locked ? undefined : line)];
      const plan = all.length > 0 ? refusedPlan(there?.id ?? null, all) : await this.#planned(row, there);
      planned.push({ number, line, row: { row, holder }, name: row.serial ?? null, plan });
    }
    return planned;
  }

  /** What only the stock and the people tell. */
  #wrong(row: TokenRow, holder: Read['holder'], line: number | undefined): Plan['issues'] {
    const at = (meaning: 'serial' | 'owner') => this.#columns.indexOf(meaning);
    if (row.serial !== undefined && line !== undefined) {
      const first = this.#inFile.note(nameOf(row), line);
      if (first !== undefined && first !== line)
        return [{ column: at('serial'), reason: 'twice-in-file', facts: { line: first } }];
    }
    if (row.owner === undefined) return [];
    if (!holder) return [{ column: at('owner'), reason: 'unknown-person' }];
    return holder.protected && !this.#import.byOwners ? [{ column: at('owner'), reason: 'owners-only' }] : [];
  }

  /** What is there already stays as it is: its secret must be the same, or the file means another token. */
  async #planned(row: TokenRow, there: Known | undefined): Promise<Plan> {
    if (!there) return { verdict: 'new', id: null, changes: changesOf(row), issues: [] };
    const { sealed } = there;
    const secret =
      sealed && (await this.#deps.keys.opening((keys) => keys.open('seed', tokenIdentity(there.id), sealed)));
    return secret && constantTimeEqual(secret, row.secret!)
      ? { verdict: 'unchanged', id: there.id, changes: [], issues: [] }
      : refusedPlan(there.id, [{ column: this.#columns.indexOf('secret'), reason: 'secret-other' }]);
  }

  async #known(db: Db, serials: readonly string[], locked: boolean): Promise<Map<string, Known>> {
    if (serials.length === 0) return new Map();
    const rows = await select<{ id: Buffer; serial_key: string; maker_key: string; secret_sealed: Buffer | null }>(
      db,
      `SELECT id, serial_key, maker_key, secret_sealed FROM tokens WHERE serial_key IN (:serials) ORDER BY id ${locked ? 'FOR UPDATE' : ''}`,
      { serials: [...new Set(serials.map(serialKey))] },
    );
    return new Map(
      rows.map((row) => [`${row.serial_key} ${row.maker_key}`, { id: text(row.id), sealed: row.secret_sealed }]),
    );
  }

  async #holders(db: Db, owners: readonly string[]): Promise<Map<string, NonNullable<Read['holder']>>> {
    if (owners.length === 0) return new Map();
    const rows = await select<{ value: string; id: Buffer; protected: number }>(
      db,
      `SELECT n.value, p.id, p.emergency = 1 OR EXISTS (SELECT 1 FROM role_grants g WHERE g.person_id = p.id) AS protected
       FROM login_names n JOIN persons p ON p.id = n.person_id WHERE n.value IN (:owners) AND p.state = 'active'`,
      { owners: [...new Set(owners)] },
    );
    return new Map(rows.map((row) => [row.value, { id: text(row.id), protected: Number(row.protected) === 1 }]));
  }

  async addGroups(): Promise<void> {
    // Tokens name no groups.
  }

  async write(work: Work, planned: readonly Planned<Read>[], author: Author): Promise<void> {
    if (planned.length === 0) return;
    const { id: batch, fileName } = this.#import;
    await write(work, 'INSERT IGNORE INTO token_batches (id, name, created_at) VALUES (:id, :name, :now)', {
      id: key(batch),
      name: fileName,
      now: work.now,
    });
    const by = author.actor.id;
    const tokens: SqlValues[] = [];
    const events: SqlValues[] = [];
    const entries = planned.flatMap(({ row: { row, holder } }) => {
      const id = newId(this.#deps);
      const person = holder?.id ?? null;
      tokens.push(tokenColumns(this.#deps, id, row, { batch, person, now: work.now }));
      events.push(eventColumns(this.#deps, id, 'imported', work.now, { by, note: fileName }));
      const target = { kind: 'token', id };
      if (person !== null) events.push(eventColumns(this.#deps, id, 'assigned', work.now, { by, person }));
      return [
        entryBy(author, 'token.imported', target, { details: { serial: row.serial! } }),
        ...(person === null ? [] : [entryBy(author, 'token.assigned', target, { person })]),
      ];
    });
    await insertAll(work, 'tokens', tokens);
    await insertAll(work, 'token_events', events);
    await work.trailAll(entries);
  }
}

/** What somebody looks at before a box of tokens is written: everything but its secrets. */
function changesOf(row: TokenRow): Change[] {
  const told = (what: Change['what'], to: string | undefined): Change[] =>
    to === undefined || to === '' ? [] : [{ what, from: null, to }];
  const clock = row.method === 'totp' ? `, ${row.period} s` : `, ${row.counter}`;
  return [
    ...told('kind', `${row.method}, ${row.algorithm}, ${row.digits}${clock}`),
    ...told('maker', row.maker),
    ...told('model', row.model),
    ...told('starts', row.starts),
    ...told('expires', row.expires),
    ...told('holder', row.owner),
  ];
}
