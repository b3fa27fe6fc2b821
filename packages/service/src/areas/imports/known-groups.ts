import type { Id } from '@nimble-latch/core/vocabulary';
import { LIMITS } from '@nimble-latch/api';
import { carryOut, insertion, selectOne, selectOneToWrite, type Db } from '../../platform/db/sql.js';
import type { Work } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { idBytes, newId, idText } from '../../platform/ids.js';
import type { NewEntry } from '../../platform/trail/writer.js';
import { entryBy, type Author } from './planner.js';

export interface KnownGroup {
  readonly id: Id;
  readonly description: string;
}

/**
 * Groups as a file names them, each looked up once in an import. Which spellings mean one group is the database's to say. Part of a
 * planner's state: a block looks groups up in a copy.
 */
export class KnownGroups {
  readonly #known: Map<string, KnownGroup | null>;

  constructor(known: Iterable<readonly [string, KnownGroup | null]> = []) {
    this.#known = new Map(known);
  }

  copy(): KnownGroups {
    return new KnownGroups(this.#known);
  }

  /** The group of this name; null where there is none yet, undefined where the file names more than it may. */
  async find(db: Db, name: string): Promise<KnownGroup | null | undefined> {
    const known = this.#known.get(name);
    if (known !== undefined) return known;
    if (this.#known.size >= LIMITS.fileGroups) return undefined;
    const row = await selectOne<{ id: Buffer; description: string }>(
      db,
      'SELECT id, description FROM person_groups WHERE name = :name',
      { name },
    );
    const group = row ? { id: idText(row.id), description: row.description } : null;
    this.#known.set(name, group);
    return group;
  }

  /** The id of a group that is there; after {@link add} every group of the file is. */
  idOf(name: string): Id {
    return this.#known.get(name)!.id;
  }

  /** Adds groups that are not there yet. */
  async add(deps: Deps, work: Work, names: readonly string[], author: Author): Promise<void> {
    const entries: NewEntry[] = [];
    for (const name of names) {
      // Another spelling of one that was just added is the same group to the database.
      const there = await selectOneToWrite<{ id: Buffer; description: string }>(
        work,
        'SELECT id, description FROM person_groups WHERE name = :name',
        { name },
      );
      const id = there ? idText(there.id) : newId(deps);
      this.#known.set(name, { id, description: there?.description ?? '' });
      if (there) continue;
      await carryOut(work, insertion('person_groups', { id: idBytes(id), name, description: '', createdAt: work.now }));
      entries.push(entryBy(author, 'group.added', { kind: 'group', id }));
    }
    await work.trailAll(entries);
  }
}
