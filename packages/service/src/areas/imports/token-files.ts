import { catalogue } from '@nimble-latch/api';
import { RowIndex, RowLines, type Change, type Plan } from '@nimble-latch/core/tables';
import { serialKey } from '@nimble-latch/core/people';
import {
  correctionsTo,
  readTokenRow,
  saidBy,
  type TokenCorrections,
  type TokenFacts,
  type TokenRow,
} from '@nimble-latch/core/tokenfiles';
import { offerOf } from '@nimble-latch/core/methods';
import { insertAll } from '../../platform/db/bulk-insert.js';
import { carryOut, updateOf, write, type Db, type SqlValues } from '../../platform/db/sql.js';
import type { Work } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { idBytes, newId } from '../../platform/ids.js';
import type { NewEntry } from '../../platform/trail/writer.js';
import { correctionNote } from '../stock/correct.js';
import { comingAgain, eventColumns, factColumns, givenTo, makerKey, tokenColumns } from '../stock/rows.js';
import { tokenEvents } from '../stock/token-event.model.js';
import { tokens as tokenTable } from '../stock/token.model.js';
import type { Block } from './blocks.js';
import { hasSecret, holdersNamed, knownTokens, type Holder, type KnownToken } from './known-tokens.js';
import type { Import } from './store.js';
import {
  entryBy,
  refusedPlan,
  type Author,
  type ImportPlanner,
  type KindOfFile,
  type Likeness,
  type Planned,
  type PlannedBlock,
} from './planner.js';

/** What a token that is for nobody yet comes to, but for the time at which it is written. */
interface Made {
  readonly token: SqlValues;
  readonly event: SqlValues;
  readonly entry: NewEntry;
}

/** A row with whom it is for, and what it makes of a token that is there. */
interface Read {
  readonly row: TokenRow;
  readonly holder: Holder | undefined;
  readonly corrected: { readonly facts: TokenFacts; readonly proved: boolean } | undefined;
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
  /** The file has no secrets: it says who is to have which token of the stock, or corrects what is known of it. */
  readonly #gives: boolean;
  /** Where in the file what stands: noting the same once more makes no difference. */
  readonly #inFile = { tokens: new RowIndex(), secrets: new RowIndex(), lines: new RowLines() };
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
    const { secrets, owners, whole } = this.#import.rules;
    return block.rows.map(({ line, cells }, i) => {
      const read = readTokenRow(cells, this.#columns, { secrets, owners, whole });
      return { ...read, number: block.first + i, line, name: nameOf(read.row) };
    });
  }

  async plan(db: Db, _: null, block: Block, locked: boolean): Promise<PlannedBlock<Read, null>> {
    const read = this.#prepared.get(block) ?? this.#rowsOf(block);
    const serials = read.flatMap(({ row }) => row.serial ?? []);
    const known = await knownTokens(db, serials, locked);
    const owners = read.flatMap(({ row }) => row.owner ?? []);
    const holders = await holdersNamed(this.#deps, db, owners);
    const rows: Planned<Read>[] = [];
    for (const one of read) {
      const { number, line, row, issues } = one;
      const holder = row.owner === undefined ? undefined : holders.get(row.owner);
      const { there, several } = await this.#meant(known, one);
      const all = [
        ...issues,
        ...this.#wrong(one, holder, locked),
        ...(there ? [] : this.#notThere(row, several)),
        ...(holder ? await this.#notOffered(row, there, holder) : []),
      ];
      const said = there?.retired === null ? saidBy(row) : {};
      const plan =
        all.length > 0 ? refusedPlan(there?.id ?? null, all) : await this.#planned(row, said, there, holder, locked);
      const corrected =
        there && plan.verdict === 'changed'
          ? { facts: { ...there.facts, ...onlySaid(said) }, proved: there.proved }
          : undefined;
      rows.push({ number, line, row: { row, holder, corrected }, name: row.serial ?? null, plan });
    }
    return { rows, nextState: null };
  }

  newGroups(): ReadonlySet<string> {
    return new Set();
  }

  likeness({ row }: Read): Likeness {
    const { method, algorithm, digits, period, counter } = row;
    const says = new Set(row.said);
    const assumed = (
      ['kind', 'algorithm', 'digits', ...(method === 'totp' ? ['period' as const] : [])] as const
    ).filter((one) => !says.has(one));
    return {
      alike: { method, algorithm, digits, period: method === 'totp' ? period : null, assumed },
      counter: method === 'hotp' ? counter : null,
    };
  }

  /**
   * The token that a row means. Where the file has no column of makers, that is the one token of that number; of a file with
   * secrets only where the secret is the same, since another maker may have used the number.
   */
  async #meant(
    known: ReadonlyMap<string, KnownToken>,
    { name, row }: ReadRow,
  ): Promise<{ readonly there: KnownToken | undefined; readonly several: boolean }> {
    const exactly = known.get(name);
    if (exactly || known.size === 0 || this.#columns.includes('maker')) return { there: exactly, several: false };
    const serial = name.slice(0, name.indexOf(' ') + 1);
    const same = [...known].flatMap(([named, one]) => (named.startsWith(serial) ? [one] : []));
    if (same.length !== 1) return { there: undefined, several: same.length > 1 };
    const [one] = same as [KnownToken];
    const means = this.#gives || (row.secret !== undefined && (await hasSecret(this.#deps, one, row.secret)));
    return { there: means ? one : undefined, several: false };
  }

  /** What only the file as a whole, the stock and the people tell. */
  #wrong({ row, name, line, number }: ReadRow, holder: Holder | undefined, locked: boolean): Plan['issues'] {
    const at = (meaning: 'serial' | 'secret' | 'owner') => this.#columns.indexOf(meaning);
    const twins = locked ? [] : this.#twins(row, name, line, number);
    if (row.owner === undefined || twins.length > 0) return twins;
    if (!holder) return [{ column: at('owner'), reason: 'unknown-person' }];
    return holder.protected && !this.#import.byOwners ? [{ column: at('owner'), reason: 'owners-only' }] : [];
  }

  /** Whether an earlier row is about the same token, or has the same secret: of such two tokens one answers for the other. */
  #twins(row: TokenRow, name: string, line: number, number: number): Plan['issues'] {
    const { tokens, secrets, lines } = this.#inFile;
    lines.set(number, line);
    const before = (index: RowIndex, text: string | undefined): number | undefined => {
      const first = text === undefined ? undefined : index.note(text, number);
      return first === number ? undefined : first;
    };
    const twin = before(tokens, row.serial === undefined ? undefined : name);
    const secret = before(secrets, row.secret && Buffer.from(row.secret).toString('base64'));
    const at = (first: number) => lines.get(first);
    if (twin !== undefined) {
      const column = this.#columns.indexOf('serial');
      // All of a file may stand in one line.
      return at(twin) === line
        ? [{ column, reason: 'twice-among-tokens', facts: { row: twin } }]
        : [{ column, reason: 'twice-in-file', facts: { line: at(twin) } }];
    }
    if (secret === undefined) return [];
    return [{ column: this.#columns.indexOf('secret'), reason: 'secret-twice', facts: { line: at(secret) } }];
  }

  /** A list without secrets can only be about what is in the stock. */
  #notThere(row: TokenRow, several: boolean): Plan['issues'] {
    if (!this.#gives || row.serial === undefined) return [];
    return [{ column: this.#columns.indexOf('serial'), reason: several ? 'serial-ambiguous' : 'not-in-stock' }];
  }

  /** Whether the method settings keep somebody from what they would be given. */
  async #notOffered(row: TokenRow, there: KnownToken | undefined, holder: Holder): Promise<Plan['issues']> {
    if (there?.holder === holder.id) return [];
    const method = saidBy(row).method ?? there?.facts.method ?? row.method;
    const { settings } = await this.#deps.methods.current();
    if (offerOf(settings, method, holder.groups).enrol) return [];
    return [{ column: this.#columns.indexOf('owner'), reason: 'method-not-offered', facts: { method } }];
  }

  /**
   * What is there already must have the same secret, or the file means another token. What else the file says of it is
   * compared: while nobody uses it, it is corrected. One that is retired comes in again. One in the stock is given to its owner.
   */
  async #planned(
    row: TokenRow,
    said: TokenCorrections,
    there: KnownToken | undefined,
    holder: Holder | undefined,
    locked: boolean,
  ): Promise<Plan> {
    // What changes is looked at before it is written, and not again while it is.
    if (!there) return { verdict: 'new', id: null, changes: locked ? [] : changesOf(row), issues: [] };
    const { id } = there;
    const refuse = (meaning: 'serial' | 'secret', reason: 'secret-other' | 'held-by-other') =>
      refusedPlan(id, [{ column: this.#columns.indexOf(meaning), reason }]);
    if (there.retired !== null) {
      if (this.#gives) return refuse('serial', 'held-by-other');
      const again: Change = { what: 'state', from: `retired ${there.retired}`, to: holder ? 'assigned' : 'in-stock' };
      return { verdict: 'returning', id, changes: [again, ...changesOf(row)], issues: [] };
    }
    if (!this.#gives && !(await hasSecret(this.#deps, there, row.secret!))) return refuse('secret', 'secret-other');
    const { corrections, against } = correctionsTo(there.facts, said, there.proved);
    if (corrections.length > 0 && (!there.correctable || against.length > 0)) {
      const what = correctionNote(
        there.correctable ? corrections.filter((one) => against.includes(one.what)) : corrections,
      );
      const reason = there.correctable ? 'proved-otherwise' : 'in-use-otherwise';
      return refusedPlan(id, [
        { column: null, reason, facts: { what, state: catalogue('en').tokenStates[there.state] } },
      ]);
    }
    const given: Change[] =
      holder && there.holder !== holder.id ? [{ what: 'holder', from: null, to: row.owner! }] : [];
    if (given.length > 0 && there.state !== 'in-stock') return refuse('serial', 'held-by-other');
    const changes = [...corrections, ...given];
    return { verdict: changes.length > 0 ? 'changed' : 'unchanged', id, changes, issues: [] };
  }

  /** The batch that new tokens come into. */
  async begin(work: Work): Promise<null> {
    const { new: added, returning } = this.#import.counts!;
    if (this.#gives || added + returning === 0) return null;
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
    await this.#change(
      work,
      planned.filter(({ plan }) => plan.verdict === 'changed' || plan.verdict === 'returning'),
      author,
    );
    await this.#add(
      work,
      planned.filter(({ plan }) => plan.verdict === 'new'),
      author,
      meanwhile,
    );
  }

  /** Tokens that are there: corrected, given to somebody, or in again. Their rows are locked since they were planned. */
  async #change(work: Work, planned: readonly Planned<Read>[], author: Author): Promise<void> {
    if (planned.length === 0) return;
    const by = author.actor.id;
    const events: SqlValues[] = [];
    const entries: NewEntry[] = [];
    for (const { plan, row } of planned) {
      const id = plan.id!;
      const target = { kind: 'token', id } as const;
      const said = (
        ...given: Parameters<typeof eventColumns> extends [unknown, unknown, ...infer Rest] ? Rest : never
      ) => void events.push(tokenEvents.sent(eventColumns(this.#deps, id, ...given)));
      const columns =
        plan.verdict === 'returning'
          ? comingAgain(tokenColumns(this.#deps, id, row.row, { batch: this.#import.id, person: null, now: work.now }))
          : {};
      if (plan.verdict === 'returning') {
        said('imported', work.now, { by, note: this.#import.fileName });
        entries.push(entryBy(author, 'token.imported', target, { details: { serial: row.row.serial!, again: true } }));
      }
      const corrections = plan.verdict === 'changed' ? plan.changes.filter(({ what }) => what !== 'holder') : [];
      const facts = corrections.length > 0 ? factColumns(row.corrected!.facts, row.corrected!.proved) : {};
      if (corrections.length > 0) {
        const what = correctionNote(corrections);
        said('corrected', work.now, { by, note: what });
        entries.push(entryBy(author, 'token.corrected', target, { details: { serial: row.row.serial!, what } }));
      }
      const person = plan.changes.some(({ what }) => what === 'holder') ? row.holder!.id : undefined;
      const given = person === undefined ? {} : givenTo(person, work.now);
      if (person !== undefined) {
        said('assigned', work.now, { by, person });
        entries.push(entryBy(author, 'token.assigned', target, { person }));
      }
      await carryOut(work, updateOf('tokens', idBytes(id), tokenTable.sent({ ...columns, ...facts, ...given })));
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
  const clock = row.method === 'totp' ? `, ${row.period} s` : '';
  return [
    ...told('kind', `${row.method}, ${row.algorithm}, ${row.digits}${clock}`),
    ...told('counter', row.method === 'hotp' ? String(row.counter) : undefined),
    ...told('drift', row.method === 'totp' && row.drift !== 0 ? String(row.drift) : undefined),
    ...told('t0', row.method === 'totp' && row.t0 !== 0 ? String(row.t0) : undefined),
    ...told('maker', row.maker),
    ...told('model', row.model),
    ...told('starts', row.starts),
    ...told('expires', row.expires),
    ...told('holder', row.owner),
    ...told('not-honoured', row.notHonoured),
  ];
}

/** Facts that are said, without those that are not. */
const onlySaid = (said: TokenCorrections): Partial<TokenFacts> =>
  Object.fromEntries(Object.entries(said).filter(([, value]) => value !== undefined));
