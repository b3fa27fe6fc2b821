import type { Id } from '@nimble-latch/core/vocabulary';
import { LIMITS } from '@nimble-latch/api';
import {
  planPerson,
  readPersonRow,
  RowIndex,
  type Change,
  type NamedGroup,
  type PersonRow,
} from '@nimble-latch/core/tables';
import { insertAll } from '../../platform/db/bulk-insert.js';
import { carryOut, insertion, selectOne, updateOf, write, type Db, type SqlValues } from '../../platform/db/sql.js';
import type { Work } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { idBytes, idBytesOrNull, newId, idText } from '../../platform/ids.js';
import { keepFormerMail } from '../notices/former-mails.js';
import { contactColumns } from '../people/contact.js';
import { refreshName } from '../people/facets.js';
import { insertRows, personRows } from '../people/rows.js';
import type { NewEntry } from '../../platform/trail/writer.js';
import type { Block } from './blocks.js';
import {
  entryBy,
  refusedPlan,
  type Author,
  type ImportPlanner,
  type KindOfFile,
  type Planned,
  type PlannedBlock,
} from './planner.js';
import { KnownGroups } from './known-groups.js';
import { knownPeople } from './known-people.js';
import type { Import } from './store.js';

/** New people whose rows are made and sent together. */
const SLICE = 125;

/** Files with a person in each row. */
export const peopleFiles: KindOfFile<PersonRow, State> = { planner: (deps, one) => new PeoplePlanner(deps, one) };

/** Groups that rows so far have named; beside that no row depends on another. */
interface State {
  readonly groups: KnownGroups;
  readonly newGroups: ReadonlySet<string>;
}

class PeoplePlanner implements ImportPlanner<PersonRow, State> {
  readonly #deps: Deps;
  readonly #import: Import;
  readonly #meanings;
  readonly #columns: { readonly names: number; readonly reference: number; readonly groups: number };
  /** Where in the file what stands: noting the same once more makes no difference. */
  readonly #inFile = new RowIndex();
  readonly initial: State = { groups: new KnownGroups(), newGroups: new Set() };
  readonly remembers = false;

  constructor(deps: Deps, one: Import) {
    this.#deps = deps;
    this.#import = one;
    this.#meanings = one.columns.map((column) => column.meaning);
    this.#columns = {
      names: this.#meanings.findIndex((meaning) => meaning === 'login-name' || meaning === 'mail-and-login-name'),
      reference: this.#meanings.indexOf('reference'),
      groups: this.#meanings.indexOf('groups'),
    };
  }

  async plan(db: Db, state: State, block: Block, locked: boolean): Promise<PlannedBlock<PersonRow, State>> {
    const nextState = { groups: state.groups.copy(), newGroups: new Set(state.newGroups) };
    const { columns, rules, mapping } = this.#import;
    const { country, empty, commas } = rules;
    const reading = { columns: columns.map((column) => column.meaning), country, empty, commas };
    const read = block.rows.map(({ line, cells }, i) => {
      const { row, issues } = readPersonRow(cells, reading);
      // Without a column for it, the first login name is what the mapping knows them by.
      const reference = mapping === null ? null : (row.reference ?? row.loginNames[0]?.value ?? null);
      return { number: block.first + i, line, row, issues, reference };
    });
    const known = await knownPeople(this.#deps, db, mapping?.id ?? null, read, locked, this.#import.byOwners);
    const rows: Planned<PersonRow>[] = [];
    for (const { number, line, row, issues, reference } of read) {
      const byReference = reference === null ? undefined : known.byReference.get(reference);
      const byLoginName = [...new Set(row.loginNames.flatMap(({ value }) => known.byLoginName.get(value) ?? []))];
      const person = byReference ?? byLoginName[0];
      const name = row.name ?? person?.name ?? row.loginNames[0]?.value ?? row.reference ?? null;
      const groups = row.groups && (await namedGroups(db, nextState.groups, row.groups));
      let plan =
        issues.length > 0
          ? refusedPlan(person?.id ?? null, issues)
          : groups === 'too-many'
            ? refusedPlan(person?.id ?? null, [
                { column: this.#columns.groups, reason: 'too-many', facts: { most: LIMITS.fileGroups } },
              ])
            : commas === 'ask' && groups?.some(({ id, name: group }) => id === null && group.includes(','))
              ? refusedPlan(person?.id ?? null, [{ column: this.#columns.groups, reason: 'several-groups' }])
              : planPerson(row, groups, { byReference, byLoginName }, reference, this.#meanings);
      const twin = locked ? undefined : this.#twin(row, row.reference ?? reference, plan.id, line);
      if (twin) plan = refusedPlan(plan.id, [twin]);
      if (plan.verdict !== 'refused' && Array.isArray(groups))
        for (const group of groups) if (group.id === null) nextState.newGroups.add(group.name);
      rows.push({ number, line, row, name, plan });
    }
    return { rows, nextState };
  }

  newGroups({ newGroups }: State): ReadonlySet<string> {
    return newGroups;
  }

  /** What tells that an earlier row is about the same person. The first row counts, every later one is refused. */
  #twin(row: PersonRow, reference: string | null, personId: Id | null, line: number) {
    const seen = (text: string) => this.#inFile.note(text, line);
    const before = (column: number, text: string) => {
      const first = seen(text);
      return first === undefined || first === line
        ? undefined
        : { column: column < 0 ? null : column, reason: 'twice-in-file' as const, facts: { line: first } };
    };
    const twins = [
      ...(reference === null ? [] : [before(this.#columns.reference, `reference ${reference}`)]),
      ...row.loginNames.map(({ value }) => before(this.#columns.names, `name ${value}`)),
      ...(personId === null ? [] : [before(this.#columns.names, `person ${personId}`)]),
    ];
    return twins.find((twin) => twin !== undefined);
  }

  async begin(work: Work, { newGroups, ...state }: State, names: readonly string[], author: Author): Promise<State> {
    const groups = state.groups.copy();
    await groups.add(this.#deps, work, names, author);
    return { groups, newGroups };
  }

  async write(work: Work, { groups }: State, planned: readonly Planned<PersonRow>[], author: Author): Promise<void> {
    const added = planned.filter(({ plan }) => plan.verdict === 'new');
    await this.#add(work, groups, added, author);
    const entries: NewEntry[] = [];
    for (const one of planned)
      if (one.plan.verdict !== 'new') entries.push(await this.#change(work, groups, one, author));
    await work.trailAll(entries);
  }

  /** Everybody new. While the server writes some, the rows of the next are made: sealing takes as long as writing. */
  async #add(work: Work, groups: KnownGroups, added: readonly Planned<PersonRow>[], author: Author): Promise<void> {
    let writing: Promise<unknown> = Promise.resolve();
    for (let at = 0; at < added.length; at += SLICE) {
      const { rows, entries } = this.#newRows(work.now, groups, added.slice(at, at + SLICE), author);
      await writing;
      // One after the other: what is sent behind a statement that lost a deadlock would stand outside the transaction.
      writing = insertRows(work, rows).then(async () => await work.trailAll(entries));
      // A failure is met where it is waited for.
      writing.catch(() => undefined);
    }
    await writing;
  }

  #newRows(now: Date, known: KnownGroups, added: readonly Planned<PersonRow>[], author: Author) {
    const entries: NewEntry[] = [];
    const { rules, mapping } = this.#import;
    const mappingId = idBytesOrNull(mapping?.id);
    const rows = {
      persons: [] as SqlValues[],
      person_terms: [] as SqlValues[],
      login_names: [] as SqlValues[],
      group_members: [] as SqlValues[],
      person_references: [] as SqlValues[],
    };
    for (const { row } of added) {
      const id = newId(this.#deps);
      const person = personRows(
        this.#deps,
        id,
        {
          displayName: row.name!,
          loginNames: row.loginNames,
          mail: row.mail ?? null,
          phone: row.phone ?? null,
          language: row.language ?? rules.language,
          timeZone: row.timeZone ?? rules.timeZone,
          source: 'csv',
          mappingId,
        },
        now,
      );
      rows.persons.push(...person.persons);
      rows.person_terms.push(...person.person_terms);
      rows.login_names.push(...person.login_names);
      const personId = idBytes(id);
      const groups = groupIds(known, row);
      for (const groupId of groups)
        rows.group_members.push({
          groupId: idBytes(groupId),
          personId,
          nameKey: person.persons[0]!.nameKey,
          mappingId,
        });
      if (mappingId)
        rows.person_references.push({ mappingId, reference: row.reference ?? row.loginNames[0]!.value, personId });
      entries.push(
        entryBy(
          author,
          'person.added',
          { kind: 'person', id },
          { person: id, details: { loginNames: row.loginNames.length, ...(groups.length > 0 ? { groups } : {}) } },
        ),
      );
    }
    return { rows, entries };
  }

  async #change(work: Work, groups: KnownGroups, { row, plan }: Planned<PersonRow>, author: Author): Promise<NewEntry> {
    const id = plan.id!;
    const personId = idBytes(id);
    const mappingId = idBytesOrNull(this.#import.mapping?.id);
    const now = (what: Change['what']) => plan.changes.find((change) => change.what === what);
    const each = (what: Change['what']) => plan.changes.filter((change) => change.what === what);
    const columns: SqlValues = {
      ...(now('name') ? { displayName: row.name! } : {}),
      ...(now('mail') ? contactColumns(this.#deps, id, 'mail', row.mail!) : {}),
      ...(now('phone') ? contactColumns(this.#deps, id, 'phone', row.phone!) : {}),
      ...(now('language') ? { language: row.language! } : {}),
      ...(now('time-zone') ? { timeZone: row.timeZone! } : {}),
      ...(now('state') ? { state: 'active' } : {}),
      updatedAt: work.now,
    };
    // Notices of what comes next reach the address before too. The change itself is the directory's doing, and told to nobody.
    if (now('mail')) await keepFormerMail(work, id);
    await carryOut(work, updateOf('persons', personId, columns));
    await write(work, 'UPDATE persons SET version = version + 1 WHERE id = :personId', { personId });
    if (now('name')) await refreshName(work, personId, row.name!);
    const names = each('login-name');
    for (const { from } of names)
      if (from !== null)
        await write(work, 'DELETE FROM login_names WHERE value = :from AND person_id = :personId', { from, personId });
    const kinds = new Map(row.loginNames.map(({ value, kind }) => [value, kind]));
    const given = names.flatMap(({ to }) => (to === null ? [] : [{ to, kind: kinds.get(to)! }]));
    if (given.length > 0)
      await insertAll(
        work,
        'login_names',
        given.map(({ to, kind }) => ({
          id: idBytes(newId(this.#deps)),
          personId,
          value: to,
          kind,
          source: 'csv',
          mappingId,
        })),
      );
    const { joined, left } = await this.#regroup(work, personId, each('group'), groupIds(groups, row), mappingId);
    if (mappingId && (now('reference') || now('state'))) {
      await write(work, 'DELETE FROM person_references WHERE mapping_id = :mappingId AND person_id = :personId', {
        mappingId,
        personId,
      });
      await carryOut(
        work,
        insertion('person_references', {
          mappingId,
          reference: row.reference ?? row.loginNames[0]!.value,
          personId,
        }),
      );
    }
    const fields = [...new Set(plan.changes.map((change) => change.what))];
    return entryBy(
      author,
      now('state') ? 'person.reactivated' : 'person.changed',
      { kind: 'person', id },
      {
        person: id,
        details: { fields, ...(joined.length > 0 ? { joined } : {}), ...(left.length > 0 ? { left } : {}) },
      },
    );
  }

  /** Puts somebody into the groups that the file names, and out of those that only an earlier file named. */
  async #regroup(
    work: Work,
    personId: Buffer,
    changes: readonly Change[],
    groups: readonly Id[],
    mappingId: Buffer | null,
  ): Promise<{ readonly joined: Id[]; readonly left: string[] }> {
    const joined: Id[] = [];
    const left: string[] = [];
    if (changes.length === 0) return { joined, left };
    for (const groupId of groups) {
      const done = await write(
        work,
        'INSERT IGNORE INTO group_members (group_id, person_id, name_key, mapping_id) SELECT :groupId, id, name_key, :mappingId FROM persons WHERE id = :personId',
        { groupId: idBytes(groupId), personId, mappingId },
      );
      if (done > 0) joined.push(groupId);
    }
    for (const { from } of changes) {
      if (from === null) continue;
      const group = await selectOne<{ id: Buffer }>(work, 'SELECT id FROM person_groups WHERE name = :from', { from });
      if (!group) continue;
      const done = await write(
        work,
        'DELETE FROM group_members WHERE group_id = :groupId AND person_id = :personId AND mapping_id = :mappingId',
        { groupId: group.id, personId, mappingId },
      );
      if (done > 0) left.push(idText(group.id));
    }
    return { joined, left };
  }
}

/** The ids of what a row names; every group of the file is there once it is being written. */
const groupIds = (groups: KnownGroups, { groups: named }: PersonRow): Id[] => [
  ...new Set((named ?? []).map((name) => groups.idOf(name))),
];

/** Groups by the names of a row, each looked up once in an import. */
async function namedGroups(db: Db, groups: KnownGroups, names: readonly string[]): Promise<NamedGroup[] | 'too-many'> {
  const named = new Map<string, NamedGroup>();
  for (const name of names) {
    const group = await groups.find(db, name);
    if (group === undefined) return 'too-many';
    const id = group?.id ?? null;
    // Two spellings of one group count once.
    named.set(id ?? name.toLowerCase(), { id, name });
  }
  return [...named.values()];
}
