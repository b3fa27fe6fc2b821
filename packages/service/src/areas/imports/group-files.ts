import type { Id } from '@nimble-latch/core/vocabulary';
import { LIMITS } from '@nimble-latch/api';
import { readGroupRow, type Change, type GroupRow, type Plan, type RowIssue } from '@nimble-latch/core/tables';
import { carryOut, select, updateOf, write, type Db } from '../../platform/db/sql.js';
import type { Work } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { idBytes, idText } from '../../platform/ids.js';
import { lockNesting, nest } from '../people/nesting.js';
import type { NewEntry } from '../../platform/trail/writer.js';
import type { Block } from './blocks.js';
import { KnownGroups, refill } from './known-groups.js';
import type { Import } from './store.js';
import { entryBy, refusedPlan, type Author, type KindOfFile, type Planned, type Walk } from './walk.js';

/** Files with a group in each row. They add groups, parts and members, and take nothing away. */
export const groupFiles: KindOfFile<GroupRow> = { walk: (deps, one) => new GroupWalk(deps, one) };

/** One spelling for all spellings of a name that the database takes for the same, as far as the file goes. */
const folded = (name: string) => name.normalize('NFKD').replace(/\p{M}/gu, '').toLowerCase();

class GroupWalk implements Walk<GroupRow> {
  readonly #deps: Deps;
  readonly #import: Import;
  readonly #meanings;
  readonly #groups = new KnownGroups();
  readonly #begun = new Set<string>();
  /** Direct parts by the group they are in, as they are and as the rows so far will make them. */
  #parts: Map<string, Set<string>> | undefined;
  readonly newGroups = new Set<string>();
  readonly remembers = true;

  constructor(deps: Deps, one: Import) {
    this.#deps = deps;
    this.#import = one;
    this.#meanings = one.columns.map((column) => column.meaning);
  }

  async plan(db: Db, block: Block): Promise<Planned<GroupRow>[]> {
    this.#parts ??= await readParts(db);
    const read = block.rows.map(({ line, cells }, i) => ({
      number: block.first + i,
      line,
      ...readGroupRow(cells, this.#meanings),
    }));
    const people = await peopleNamed(db, [
      ...new Set(read.flatMap(({ row }) => row.members.map(({ loginName }) => loginName))),
    ]);
    const planned: Planned<GroupRow>[] = [];
    for (const { number, line, row, issues } of read) {
      const plan =
        issues.length > 0 || row.group === undefined
          ? refusedPlan(null, issues)
          : await this.#planRow(db, row, row.group, people);
      planned.push({ number, line, row, name: row.group ?? null, plan });
    }
    return planned;
  }

  async #planRow(db: Db, row: GroupRow, name: string, people: ReadonlyMap<string, Named>): Promise<Plan> {
    const group = await this.#groups.find(db, name);
    const whole = row.partOf === undefined ? null : await this.#groups.find(db, row.partOf);
    const column = (meaning: 'group' | 'part-of') => this.#meanings.indexOf(meaning);
    if (group === undefined || whole === undefined)
      return refusedPlan(null, [{ column: column('group'), reason: 'too-many', facts: { most: LIMITS.fileGroups } }]);
    // While the rows are written, groups that this import added a moment ago are as new as they were in the preview.
    const added = new Set(this.#import.newGroups.map(folded));
    const id = group === null || added.has(folded(name)) ? null : group.id;
    const node = id ?? folded(name);
    const issues: RowIssue[] = row.members.flatMap(({ loginName, column: at }) =>
      people.has(loginName) ? [] : [{ column: at, reason: 'unknown-person' as const }],
    );
    const changes: Change[] = [];
    if (row.description !== undefined && row.description !== (group?.description ?? ''))
      changes.push({
        what: 'description',
        from: group?.description === '' ? null : (group?.description ?? null),
        to: row.description,
      });
    if (row.partOf !== undefined) {
      const around = whole === null || added.has(folded(row.partOf)) ? folded(row.partOf) : whole.id;
      if (around === node || this.#holds(node, around))
        issues.push({ column: column('part-of'), reason: 'part-of-itself' });
      else if (!this.#parts!.get(around)?.has(node)) changes.push({ what: 'part-of', from: null, to: row.partOf });
    }
    if (issues.length > 0) return refusedPlan(id, issues);
    const joining = await this.#newMembers(db, row, id, people);
    const untouchable = joining.filter(({ to }) => people.get(to!)!.protected && !this.#import.byOwners);
    if (untouchable.length > 0)
      return refusedPlan(
        id,
        untouchable.map(({ to }) => ({
          column: row.members.find(({ loginName }) => loginName === to)!.column,
          reason: 'owners-only',
        })),
      );
    changes.push(...joining);
    this.#remember(row, name, node, group === null, whole === null, added);
    const first = id === null && !this.#begun.has(node);
    this.#begun.add(node);
    return { verdict: first ? 'new' : changes.length > 0 ? 'changed' : 'unchanged', id, changes, issues: [] };
  }

  /** Keeps what the row will have done, for the rows after it. */
  #remember(
    row: GroupRow,
    name: string,
    node: string,
    isNew: boolean,
    wholeIsNew: boolean,
    added: ReadonlySet<string>,
  ): void {
    if (isNew) this.newGroups.add(name);
    if (row.partOf === undefined) return;
    if (wholeIsNew) this.newGroups.add(row.partOf);
    const around = wholeIsNew || added.has(folded(row.partOf)) ? folded(row.partOf) : this.#groups.idOf(row.partOf);
    const parts = this.#parts!.get(around);
    if (parts) parts.add(node);
    else this.#parts!.set(around, new Set([node]));
  }

  /** Whether a group holds another somewhere inside it. */
  #holds(whole: string, part: string): boolean {
    const seen = new Set<string>();
    const open = [whole];
    for (let at = open.pop(); at !== undefined; at = open.pop()) {
      if (at === part) return true;
      if (seen.has(at)) continue;
      seen.add(at);
      open.push(...(this.#parts!.get(at) ?? []));
    }
    return false;
  }

  async #newMembers(db: Db, row: GroupRow, groupId: Id | null, people: ReadonlyMap<string, Named>): Promise<Change[]> {
    if (row.members.length === 0) return [];
    const ids = row.members.map(({ loginName }) => people.get(loginName)!.id);
    const there =
      groupId === null
        ? []
        : await select<{ person_id: Buffer }>(
            db,
            'SELECT person_id FROM group_members WHERE group_id = :group AND person_id IN (:ids)',
            { group: idBytes(groupId), ids: ids.map(idBytes) },
          );
    const members = new Set(there.map((member) => idText(member.person_id)));
    return row.members
      .filter((_, i) => !members.has(ids[i]!))
      .map(({ loginName }) => ({ what: 'member', from: null, to: loginName }));
  }

  keep(): () => void {
    const [begun, newGroups] = [[...this.#begun], [...this.newGroups]];
    const parts = this.#parts && [...this.#parts].map(([whole, some]) => [whole, [...some]] as const);
    const groups = this.#groups.keep();
    return () => {
      groups();
      refill(this.#begun, begun);
      refill(this.newGroups, newGroups);
      this.#parts = parts && new Map(parts.map(([whole, some]) => [whole, new Set(some)]));
    };
  }

  async begin(work: Work, names: readonly string[], author: Author): Promise<void> {
    await this.#groups.add(this.#deps, work, names, author);
  }

  async write(work: Work, planned: readonly Planned<GroupRow>[], author: Author): Promise<void> {
    await lockNesting(work);
    const people = await peopleNamed(work, [
      ...new Set(planned.flatMap(({ row }) => row.members.map(({ loginName }) => loginName))),
    ]);
    const entries: NewEntry[] = [];
    for (const { row, plan } of planned) {
      const id = this.#groups.idOf(row.group!);
      const target = { kind: 'group', id };
      const changes = (what: Change['what']) => plan.changes.filter((change) => change.what === what);
      if (changes('description').length > 0) {
        await carryOut(work, updateOf('person_groups', idBytes(id), { description: row.description! }));
        await write(work, 'UPDATE person_groups SET version = version + 1 WHERE id = :id', { id: idBytes(id) });
        entries.push(entryBy(author, 'group.changed', target, { details: { fields: ['description'] } }));
      }
      if (changes('part-of').length > 0) {
        const whole = this.#groups.idOf(row.partOf!);
        if (await nest(work, idBytes(whole), idBytes(id)))
          entries.push(entryBy(author, 'group.part-added', { kind: 'group', id: whole }, { details: { part: id } }));
      }
      for (const { to } of changes('member')) {
        const person = people.get(to!);
        if (person === undefined || (person.protected && !this.#import.byOwners)) continue;
        const joined = await write(
          work,
          'INSERT IGNORE INTO group_members (group_id, person_id, name_key) SELECT :id, id, name_key FROM persons WHERE id = :person',
          { id: idBytes(id), person: idBytes(person.id) },
        );
        if (joined > 0) entries.push(entryBy(author, 'group.joined', target, { person: person.id }));
      }
    }
    await work.trailAll(entries);
  }
}

/** All direct parts there are; groups are few beside people. */
async function readParts(db: Db): Promise<Map<string, Set<string>>> {
  const parts = new Map<string, Set<string>>();
  for (const row of await select<{ whole_id: Buffer; part_id: Buffer }>(
    db,
    'SELECT whole_id, part_id FROM group_parts',
  )) {
    const whole = idText(row.whole_id);
    const those = parts.get(whole);
    if (those) those.add(idText(row.part_id));
    else parts.set(whole, new Set([idText(row.part_id)]));
  }
  return parts;
}

interface Named {
  readonly id: Id;
  /** An administrator or an emergency account. */
  readonly protected: boolean;
}

/** People by login name. */
async function peopleNamed(db: Db, values: readonly string[]): Promise<Map<string, Named>> {
  if (values.length === 0) return new Map();
  const rows = await select<{ value: string; person_id: Buffer; protected: number }>(
    db,
    `SELECT n.value, n.person_id, p.emergency = 1 OR EXISTS (SELECT 1 FROM role_grants g WHERE g.person_id = p.id) AS protected
     FROM login_names n JOIN persons p ON p.id = n.person_id WHERE n.value IN (:values)`,
    { values },
  );
  return new Map(rows.map((row) => [row.value, { id: idText(row.person_id), protected: Number(row.protected) === 1 }]));
}
