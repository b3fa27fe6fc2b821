import { namesUsed, type Binding, type Known, type Rulebook, type UsedNames } from '@nimble-latch/core/rulebook';
import type { Id, NameKind } from '@nimble-latch/core/vocabulary';
import type { Model, WhereOptions } from 'sequelize';
import { applications } from '../applications/application.model.js';
import { within, type Table } from '../../platform/db/models.js';
import { select, type Db } from '../../platform/db/sql.js';
import { ENROLMENT_APPLICATION, idBytes, RESET_APPLICATION, idText, storedId } from '../../platform/ids.js';
import { networks } from '../networks/network.model.js';
import { readNetworks } from '../networks/table.js';
import { groups } from '../people/group.model.js';
import { loginNames } from '../people/login-name.model.js';

/** The names of a rulebook, looked up. */
export interface LookedUp {
  /** What each name means. */
  readonly binding: Binding;
  readonly known: Known;
  /** Names that mean what has another name by now. */
  readonly renamed: readonly { readonly kind: NameKind; readonly name: string; readonly now: string }[];
}

interface Found {
  readonly id: Id;
  readonly name: string;
}

interface Source {
  readonly kind: NameKind;
  byName(db: Db, names: readonly string[]): Promise<readonly Found[]>;
  byId(db: Db, ids: readonly Id[]): Promise<readonly Found[]>;
}

/** Things that have a name of their own. */
const named = <M extends Model & Found>(kind: NameKind, table: Table<M>): Source => ({
  kind,
  byName: async (db, names) => await table(db).findAll({ where: { name: [...names] } as WhereOptions, ...within(db) }),
  byId: async (db, ids) => await table(db).findAll({ where: { id: [...ids] } as WhereOptions, ...within(db) }),
});

const SOURCES: Readonly<Record<keyof UsedNames, Source>> = {
  groups: named('group', groups),
  people: {
    kind: 'person',
    byName: async (db, names) => {
      const rows = await loginNames(db).findAll({ where: { value: [...names] }, ...within(db) });
      return rows.map(({ personId, value }) => ({ id: personId, name: value }));
    },
    // By the name that each was given first.
    byId: async (db, ids) => {
      const rows = await loginNames(db).findAll({ where: { personId: [...ids] }, order: ['id'], ...within(db) });
      const first = new Map(rows.reverse().map(({ personId, value }) => [personId, value]));
      return [...first].map(([id, name]) => ({ id, name }));
    },
  },
  applications: named('application', applications),
  networks: named('network', networks),
};

/**
 * Looks up what the names of a rulebook mean; the database compares them without regard to case.
 *
 * @param before what names meant in the version that the text goes back to: of a name that nothing has any more, the
 *   thing that had it then is still meant
 */
export async function lookUp(db: Db, rulebook: Rulebook, before: Binding): Promise<LookedUp> {
  const used = namesUsed(rulebook);
  const renamed: { kind: NameKind; name: string; now: string }[] = [];
  const bindings = await Promise.all(
    (Object.keys(SOURCES) as (keyof UsedNames)[]).map(async (what) => {
      const source = SOURCES[what];
      const names = used[what];
      const rows = names.length === 0 ? [] : await source.byName(db, names);
      const ids = new Map<string, string>(rows.map((row) => [row.name.toLowerCase(), row.id]));
      const gone = names.flatMap((name) => {
        const id = before[what][name.toLowerCase()];
        return ids.has(name.toLowerCase()) || id === undefined ? [] : [{ name, id }];
      });
      const still = gone.length === 0 ? [] : await source.byId(db, [...new Set(gone.map(({ id }) => storedId(id)))]);
      for (const { name, id } of gone) {
        const row = still.find((one) => one.id === id);
        if (!row) continue;
        ids.set(name.toLowerCase(), id);
        renamed.push({ kind: source.kind, name, now: row.name });
      }
      return [what, Object.fromEntries(ids)] as const;
    }),
  );
  const binding = Object.fromEntries(bindings) as unknown as Binding;
  const found = (what: keyof UsedNames) =>
    used[what].filter((name) => Object.hasOwn(binding[what], name.toLowerCase()));
  const groupIds = Object.values(binding.groups).map((id) => idBytes(storedId(id)));
  const [peopled, places] = await Promise.all([
    groupIds.length === 0
      ? []
      : select<{ id: Buffer; people: number }>(
          db,
          `SELECT g.id, EXISTS (SELECT 1 FROM group_members m WHERE m.group_id = g.id OR m.group_id IN
             (SELECT part_id FROM group_closure c WHERE c.whole_id = g.id)) AS people FROM person_groups g WHERE g.id IN (:groupIds)`,
          { groupIds },
        ),
    readNetworks(db),
  ]);
  const people = new Map<string, number>(peopled.map((row) => [idText(row.id), Number(row.people)]));
  const known: Known = {
    groups: new Map(found('groups').map((name) => [name, people.get(binding.groups[name.toLowerCase()]!) ?? 0])),
    people: new Set(found('people')),
    applications: new Set(found('applications')),
    networks: new Set(found('networks')),
    countries: new Set(places.flatMap((network) => network.country ?? [])),
    cities: new Set(places.flatMap((network) => network.city ?? [])),
    ownPlaces: new Set(
      found('applications').filter((name) =>
        ([ENROLMENT_APPLICATION, RESET_APPLICATION] as readonly string[]).includes(
          binding.applications[name.toLowerCase()]!,
        ),
      ),
    ),
  };
  return { binding, known, renamed };
}
