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
import { KnownGroups } from './known-groups.js';
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

/** Files with a group in each row. They add groups, parts and members, and take nothing away. */
export const groupFiles: KindOfFile<GroupRow, State | null> = { planner: (deps, one) => new GroupPlanner(deps, one) };

/** What rows go by that stand behind others. */
interface State {
  readonly groups: KnownGroups;
  /** Groups that a row has begun. */
  readonly begun: Set<string>;
  /** Direct parts by the group they are in, as they are and as the rows so far will make them. */
  readonly parts: Map<string, ReadonlySet<string>>;
  readonly newGroups: Set<string>;
}

/** One spelling for all spellings of a name that the database takes for the same, as far as the file goes. */
const folded = (name: string) => name.normalize('NFKD').replace(/\p{M}/gu, '').toLowerCase();

class GroupPlanner implements ImportPlanner<GroupRow, State | null> {
  readonly #deps: Deps;
  readonly #import: Import;
  readonly #meanings;
  /** What parts there are is read with the first block. */
  readonly initial = null;
  readonly remembers = true;

  constructor(deps: Deps, one: Import) {
    this.#deps = deps;
    this.#import = one;
    this.#meanings = one.columns.map((column) => column.meaning);
  }

  async plan(db: Db, state: State | null, block: Block): Promise<PlannedBlock<GroupRow, State>> {
    const nextState = await this.#copyOf(db, state);
    const read = block.rows.map(({ line, cells }, i) => ({
      number: block.first + i,
      line,
      ...readGroupRow(cells, this.#meanings, this.#import.rules.commas),
    }));
    const people = await peopleNamed(db, [
      ...new Set(read.flatMap(({ row }) => row.members.map(({ loginName }) => loginName))),
    ]);
    const rows: Planned<GroupRow>[] = [];
    for (const { number, line, row, issues } of read) {
      const plan =
        issues.length > 0 || row.group === undefined
          ? refusedPlan(null, issues)
          : await this.#planRow(db, nextState, row, row.group, people);
      rows.push({ number, line, row, name: row.group ?? null, plan });
    }
    return { rows, nextState };
  }

  /** A state that a block may go on from, without a difference to the one before it. */
  async #copyOf(db: Db, state: State | null): Promise<State> {
    return {
      groups: state?.groups.copy() ?? new KnownGroups(),
      begun: new Set(state?.begun),
      parts: state ? new Map(state.parts) : await readParts(db),
      newGroups: new Set(state?.newGroups),
    };
  }

  newGroups(state: State | null): ReadonlySet<string> {
    return state?.newGroups ?? new Set();
  }

  async #planRow(db: Db, state: State, row: GroupRow, name: string, people: ReadonlyMap<string, Named>): Promise<Plan> {
    const group = await state.groups.find(db, name);
    const whole = row.partOf === undefined ? null : await state.groups.find(db, row.partOf);
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
      if (around === node || holds(state, node, around))
        issues.push({ column: column('part-of'), reason: 'part-of-itself' });
      else if (!state.parts.get(around)?.has(node)) changes.push({ what: 'part-of', from: null, to: row.partOf });
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
    remember(state, row, { name, node, isNew: group === null, wholeIsNew: whole === null, added });
    const first = id === null && !state.begun.has(node);
    state.begun.add(node);
    return { verdict: first ? 'new' : changes.length > 0 ? 'changed' : 'unchanged', id, changes, issues: [] };
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

  async begin(work: Work, state: State | null, names: readonly string[], author: Author): Promise<State> {
    const next = await this.#copyOf(work, state);
    await next.groups.add(this.#deps, work, names, author);
    return next;
  }

  async write(work: Work, state: State | null, planned: readonly Planned<GroupRow>[], author: Author): Promise<void> {
    const { groups } = state!;
    await lockNesting(work);
    const people = await peopleNamed(work, [
      ...new Set(planned.flatMap(({ row }) => row.members.map(({ loginName }) => loginName))),
    ]);
    const entries: NewEntry[] = [];
    for (const { row, plan } of planned) {
      const id = groups.idOf(row.group!);
      const target = { kind: 'group', id };
      const changes = (what: Change['what']) => plan.changes.filter((change) => change.what === what);
      if (changes('description').length > 0) {
        await carryOut(work, updateOf('person_groups', idBytes(id), { description: row.description! }));
        await write(work, 'UPDATE person_groups SET version = version + 1 WHERE id = :id', { id: idBytes(id) });
        entries.push(entryBy(author, 'group.changed', target, { details: { fields: ['description'] } }));
      }
      if (changes('part-of').length > 0) {
        const whole = groups.idOf(row.partOf!);
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

/** What a row is about, as the rows behind it see it. */
interface Told {
  readonly name: string;
  readonly node: string;
  readonly isNew: boolean;
  readonly wholeIsNew: boolean;
  readonly added: ReadonlySet<string>;
}

/** Puts into the state what a row will have done, for the rows behind it. */
function remember(state: State, row: GroupRow, { name, node, isNew, wholeIsNew, added }: Told): void {
  if (isNew) state.newGroups.add(name);
  if (row.partOf === undefined) return;
  if (wholeIsNew) state.newGroups.add(row.partOf);
  const around = wholeIsNew || added.has(folded(row.partOf)) ? folded(row.partOf) : state.groups.idOf(row.partOf);
  // A set of its own: the one that stood there belongs to the state before.
  state.parts.set(around, new Set([...(state.parts.get(around) ?? []), node]));
}

/** Whether a group holds another somewhere inside it. */
function holds({ parts }: State, whole: string, part: string): boolean {
  const seen = new Set<string>();
  const open = [whole];
  for (let at = open.pop(); at !== undefined; at = open.pop()) {
    if (at === part) return true;
    if (seen.has(at)) continue;
    seen.add(at);
    open.push(...(parts.get(at) ?? []));
  }
  return false;
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
