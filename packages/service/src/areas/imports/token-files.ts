import { RowIndex, type Change, type Plan } from '@nimble-latch/core/tables';
import { serialKey } from '@nimble-latch/core/people';
import { readTokenRow, type TokenRow } from '@nimble-latch/core/tokenfiles';
import { offerOf } from '@nimble-latch/core/methods';
import type { Id, TokenState } from '@nimble-latch/core/vocabulary';
import { constantTimeEqual } from '@nimble-latch/core/crypto';
import { insertAll } from '../../platform/db/bulk-insert.js';
import { carryOut, select, selectToWrite, updateOf, write, type Db, type SqlValues } from '../../platform/db/sql.js';
import type { Work } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { idBytes, newId, idText, idTextOrNull } from '../../platform/ids.js';
import { PERSON_FACTS_OF_P, personFactsOf, type PersonFactsRow } from '../rulebook/facts.js';
import { eventColumns, givenTo, makerKey, tokenColumns } from '../stock/rows.js';
import { tokenEvents } from '../stock/token-event.model.js';
import { tokenIdentity, tokens as tokenTable } from '../stock/token.model.js';
import type { NewEntry } from '../../platform/trail/writer.js';
import type { Block } from './blocks.js';
import type { Import } from './store.js';
import {
  entryBy,
  refusedPlan,
  type Author,
  type ImportPlanner,
  type KindOfFile,
  type Planned,
  type PlannedBlock,
} from './planner.js';
import { wiped } from '../../platform/secrets/wiped.js';

/** What a token that is for nobody yet comes to, but for the time at which it is written. */
interface Made {
  readonly token: SqlValues;
  readonly event: SqlValues;
  readonly entry: NewEntry;
}

interface Known {
  readonly id: Id;
  readonly sealed: Buffer | null;
  readonly state: TokenState;
  readonly method: 'totp' | 'hotp';
  readonly holder: Id | null;
}

interface Holder {
  readonly id: Id;
  /** An administrator or an emergency account, whom owners alone may touch. */
  readonly protected: boolean;
  readonly groups: ReadonlySet<string>;
}

/** A row with whom it is for. */
interface Read {
  readonly row: TokenRow;
  readonly holder: Holder | undefined;
}

/** A row as it stands in the file. */
type ReadRow = ReturnType<typeof readTokenRow> & {
  readonly number: number;
  readonly line: number;
  /** What it is told from others by. */
  readonly name: string;
};

/** Files with a hardware token in each row, from whatever form they came. The file is their batch. */
export const tokenFiles: KindOfFile<Read, null> = { planner: (deps, one) => new TokenPlanner(deps, one) };

const nameOf = ({ serial, maker }: TokenRow) => `${serialKey(serial ?? '')} ${makerKey(maker)}`;

/** What a row comes to here depends on no row before it: there is no state. */
class TokenPlanner implements ImportPlanner<Read, null> {
  readonly #deps: Deps;
  readonly #import: Import;
  readonly #columns;
  /** The file has no secrets: it says who is to have which token of the stock. */
  readonly #gives: boolean;
  /** Where in the file what stands: noting the same once more makes no difference. */
  readonly #inFile = new RowIndex();
  readonly #prepared = new WeakMap<Block, readonly ReadRow[]>();
  readonly #made = new WeakMap<TokenRow, Made>();
  readonly initial = null;
  readonly remembers = false;

  constructor(deps: Deps, one: Import) {
    this.#deps = deps;
    this.#import = one;
    this.#columns = one.columns.map(({ meaning }) => meaning);
    this.#gives = !this.#columns.includes('secret');
  }

  prepare(block: Block, author: Author): void {
    const rows = this.#rowsOf(block);
    this.#prepared.set(block, rows);
    if (this.#gives) return;
    const now = this.#deps.now();
    // Most are new, and sealing is most of the work; what turns out otherwise is dropped.
    for (const { row, issues } of rows)
      if (issues.length === 0 && row.owner === undefined) this.#made.set(row, this.#newToken(row, now, author));
  }

  #newToken(row: TokenRow, now: Date, author: Author): Made {
    const { id: batch, fileName } = this.#import;
    const id = newId(this.#deps);
    return {
      token: tokenTable.sent(tokenColumns(this.#deps, id, row, { batch, person: null, now })),
      event: tokenEvents.sent(eventColumns(this.#deps, id, 'imported', now, { by: author.actor.id, note: fileName })),
      entry: entryBy(author, 'token.imported', { kind: 'token', id }, { details: { serial: row.serial! } }),
    };
  }

  #rowsOf(block: Block): readonly ReadRow[] {
    const rules = { secrets: this.#import.rules.secrets, owners: this.#import.rules.owners, method: 'totp' } as const;
    return block.rows.map(({ line, cells }, i) => {
      const read = readTokenRow(cells, this.#columns, rules);
      return { ...read, number: block.first + i, line, name: nameOf(read.row) };
    });
  }

  async plan(db: Db, _: null, block: Block, locked: boolean): Promise<PlannedBlock<Read, null>> {
    const read = this.#prepared.get(block) ?? this.#rowsOf(block);
    const known = await this.#known(
      db,
      read.flatMap(({ row }) => row.serial ?? []),
      locked,
    );
    const holders = await this.#holders(
      db,
      read.flatMap(({ row }) => row.owner ?? []),
    );
    // A list without makers means the one token of that number; a file of secrets means that of no maker.
    const numbered = new Map<string, Known[]>();
    if (this.#gives)
      for (const [named, one] of known) {
        const serial = named.slice(0, named.indexOf(' '));
        numbered.set(serial, [...(numbered.get(serial) ?? []), one]);
      }
    const byMaker = this.#columns.includes('maker');
    const rows: Planned<Read>[] = [];
    for (const { number, line, row, issues, name } of read) {
      const holder = row.owner === undefined ? undefined : holders.get(row.owner);
      const same = numbered.get(name.slice(0, name.indexOf(' '))) ?? [];
      const there = known.get(name) ?? (!byMaker && same.length === 1 ? same[0] : undefined);
      const all = [
        ...issues,
        ...this.#wrong(row, name, holder, locked ? undefined : line),
        ...(there ? [] : this.#notThere(row, same.length > 1)),
        ...(holder ? await this.#notOffered(row, there, holder) : []),
      ];
      const plan =
        all.length > 0 ? refusedPlan(there?.id ?? null, all) : await this.#planned(row, there, holder, locked);
      rows.push({ number, line, row: { row, holder }, name: row.serial ?? null, plan });
    }
    return { rows, nextState: null };
  }

  newGroups(): ReadonlySet<string> {
    return new Set();
  }

  /** What only the stock and the people tell. */
  #wrong(row: TokenRow, name: string, holder: Read['holder'], line: number | undefined): Plan['issues'] {
    const at = (meaning: 'serial' | 'owner') => this.#columns.indexOf(meaning);
    if (row.serial !== undefined && line !== undefined) {
      const first = this.#inFile.note(name, line);
      if (first !== undefined && first !== line)
        return [{ column: at('serial'), reason: 'twice-in-file', facts: { line: first } }];
    }
    if (row.owner === undefined) return [];
    if (!holder) return [{ column: at('owner'), reason: 'unknown-person' }];
    return holder.protected && !this.#import.byOwners ? [{ column: at('owner'), reason: 'owners-only' }] : [];
  }

  /** A list of who is to have which token can only give what is in the stock. */
  #notThere(row: TokenRow, several: boolean): Plan['issues'] {
    if (!this.#gives || row.serial === undefined) return [];
    return [{ column: this.#columns.indexOf('serial'), reason: several ? 'serial-ambiguous' : 'not-in-stock' }];
  }

  /** Whether the method settings keep somebody from what they would be given. */
  async #notOffered(row: TokenRow, there: Known | undefined, holder: Holder): Promise<Plan['issues']> {
    if (there?.holder === holder.id) return [];
    const method = there?.method ?? row.method;
    const { settings } = await this.#deps.methods.current();
    if (offerOf(settings, method, holder.groups).enrol) return [];
    return [{ column: this.#columns.indexOf('owner'), reason: 'method-not-offered', facts: { method } }];
  }

  /**
   * What is there already stays as it is: its secret must be the same, or the file means another token. One that is in the
   * stock is given to its owner.
   */
  async #planned(row: TokenRow, there: Known | undefined, holder: Holder | undefined, locked: boolean): Promise<Plan> {
    // What changes is looked at before it is written, and not again while it is.
    if (!there) return { verdict: 'new', id: null, changes: locked ? [] : changesOf(row), issues: [] };
    const { id, sealed } = there;
    if (!this.#gives) {
      const secret = sealed && (await this.#deps.keys.opening((keys) => keys.open('seed', tokenIdentity(id), sealed)));
      if (!secret || !wiped(secret, (seed) => constantTimeEqual(seed, row.secret!)))
        return refusedPlan(id, [{ column: this.#columns.indexOf('secret'), reason: 'secret-other' }]);
    }
    if (!holder || there.holder === holder.id) return { verdict: 'unchanged', id, changes: [], issues: [] };
    if (there.state !== 'in-stock')
      return refusedPlan(id, [{ column: this.#columns.indexOf('serial'), reason: 'held-by-other' }]);
    return { verdict: 'changed', id, changes: [{ what: 'holder', from: null, to: row.owner! }], issues: [] };
  }

  async #known(db: Db, serials: readonly string[], locked: boolean): Promise<Map<string, Known>> {
    if (serials.length === 0) return new Map();
    const rows = await (locked ? selectToWrite : select)<{
      id: Buffer;
      serial_key: string;
      maker_key: string;
      secret_sealed: Buffer | null;
      state: TokenState;
      method: 'totp' | 'hotp';
      person_id: Buffer | null;
    }>(
      db,
      `SELECT id, serial_key, maker_key, secret_sealed, state, method, person_id FROM tokens WHERE serial_key IN (:serials) ORDER BY id`,
      { serials: [...new Set(serials.map(serialKey))] },
    );
    return new Map(
      rows.map((row) => [
        `${row.serial_key} ${row.maker_key}`,
        {
          id: idText(row.id),
          sealed: row.secret_sealed,
          state: row.state,
          method: row.method,
          holder: idTextOrNull(row.person_id),
        },
      ]),
    );
  }

  async #holders(db: Db, owners: readonly string[]): Promise<Map<string, Holder>> {
    if (owners.length === 0) return new Map();
    const { needsGroups } = await this.#deps.methods.current();
    const rows = await select<{ value: string; id: Buffer; protected: number } & PersonFactsRow>(
      db,
      `SELECT n.value, p.id, ${needsGroups ? `${PERSON_FACTS_OF_P},` : ''} p.emergency = 1 OR EXISTS (SELECT 1 FROM role_grants g WHERE g.person_id = p.id) AS protected
       FROM login_names n JOIN persons p ON p.id = n.person_id WHERE n.value IN (:owners) AND p.state = 'active'`,
      { owners: [...new Set(owners)] },
    );
    return new Map(
      rows.map((row) => {
        const id = idText(row.id);
        const groups = needsGroups ? personFactsOf(id, row).groups : new Set<string>();
        return [row.value, { id, protected: Number(row.protected) === 1, groups }];
      }),
    );
  }

  /** The batch that new tokens come into. */
  async begin(work: Work): Promise<null> {
    if (this.#gives || this.#import.counts!.new === 0) return null;
    const { id, fileName } = this.#import;
    await write(work, 'INSERT IGNORE INTO token_batches (id, name, created_at) VALUES (:id, :name, :now)', {
      id: idBytes(id),
      name: fileName,
      now: work.now,
    });
    return null;
  }

  async write(
    work: Work,
    _: null,
    planned: readonly Planned<Read>[],
    author: Author,
    meanwhile: () => void,
  ): Promise<void> {
    await this.#give(
      work,
      planned.filter(({ plan }) => plan.verdict === 'changed'),
      author,
    );
    await this.#add(
      work,
      planned.filter(({ plan }) => plan.verdict === 'new'),
      author,
      meanwhile,
    );
  }

  /** Tokens of the stock become somebody's; their rows are locked since they were planned. */
  async #give(work: Work, planned: readonly Planned<Read>[], author: Author): Promise<void> {
    if (planned.length === 0) return;
    const by = author.actor.id;
    const events: SqlValues[] = [];
    const entries: NewEntry[] = [];
    for (const { plan, row } of planned) {
      const person = row.holder!.id;
      await carryOut(work, updateOf('tokens', idBytes(plan.id!), tokenTable.sent(givenTo(person, work.now))));
      events.push(tokenEvents.sent(eventColumns(this.#deps, plan.id!, 'assigned', work.now, { by, person })));
      entries.push(entryBy(author, 'token.assigned', { kind: 'token', id: plan.id! }, { person }));
    }
    await insertAll(work, 'token_events', events);
    await work.trailAll(entries);
  }

  async #add(work: Work, planned: readonly Planned<Read>[], author: Author, meanwhile: () => void): Promise<void> {
    if (planned.length === 0) return;
    const { now } = work;
    const tokens: SqlValues[] = [];
    const events: SqlValues[] = [];
    const entries: NewEntry[] = [];
    for (const {
      row: { row, holder },
    } of planned) {
      const made = this.#made.get(row) ?? this.#newToken(row, now, author);
      const given = holder ? { state: 'assigned', personId: idBytes(holder.id) } : {};
      tokens.push({ ...made.token, ...given, createdAt: now, changedAt: now });
      events.push({ ...made.event, at: now });
      entries.push(made.entry);
      if (!holder) continue;
      const { target } = made.entry;
      const by = author.actor.id;
      events.push(tokenEvents.sent(eventColumns(this.#deps, target.id!, 'assigned', now, { by, person: holder.id })));
      entries.push(entryBy(author, 'token.assigned', target, { person: holder.id }));
    }
    const inserted = insertAll(work, 'tokens', tokens);
    // It is waited for below; until then a failure is nobody's, and must not end the process.
    inserted.catch(() => undefined);
    await sent();
    meanwhile();
    await inserted;
    await insertAll(work, 'token_events', events);
    await work.trailAll(entries);
  }
}

/** What was handed to the driver is on its way. */
const sent = async () => await new Promise((resolve) => setImmediate(resolve));

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
    ...told('not-honoured', row.notHonoured),
  ];
}
