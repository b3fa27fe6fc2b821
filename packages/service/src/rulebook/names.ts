import { namesUsed, type Binding, type Known, type Rulebook, type UsedNames } from '@nimble-latch/core/rulebook';
import type { NameKind } from '@nimble-latch/core/vocabulary';
import { select, type Db } from '../db/sql.js';
import { ENROLMENT_APPLICATION, key, RESET_APPLICATION, text, storedId } from '../ids.js';
import { readNetworks } from '../networks/table.js';

/** The names of a rulebook, looked up. */
export interface LookedUp {
  /** What each name means. */
  readonly binding: Binding;
  readonly known: Known;
  /** Names that mean what has another name by now. */
  readonly renamed: readonly { readonly kind: NameKind; readonly name: string; readonly now: string }[];
}

interface Found {
  id: Buffer;
  name: string;
}

const SOURCES: Readonly<Record<keyof UsedNames, { kind: NameKind; byName: string; byId: string }>> = {
  groups: {
    kind: 'group',
    byName: 'SELECT id, name FROM person_groups WHERE name IN (:names)',
    byId: 'SELECT id, name FROM person_groups WHERE id IN (:ids)',
  },
  people: {
    kind: 'person',
    byName: 'SELECT person_id AS id, value AS name FROM login_names WHERE value IN (:names)',
    byId: `SELECT p.id, (SELECT value FROM login_names n WHERE n.person_id = p.id ORDER BY n.id LIMIT 1) AS name
      FROM persons p WHERE p.id IN (:ids)`,
  },
  applications: {
    kind: 'application',
    byName: 'SELECT id, name FROM applications WHERE name IN (:names)',
    byId: 'SELECT id, name FROM applications WHERE id IN (:ids)',
  },
  networks: {
    kind: 'network',
    byName: 'SELECT id, name FROM networks WHERE name IN (:names)',
    byId: 'SELECT id, name FROM networks WHERE id IN (:ids)',
  },
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
      const { kind, byName, byId } = SOURCES[what];
      const names = used[what];
      const rows = names.length === 0 ? [] : await select<Found>(db, byName, { names });
      const ids = new Map<string, string>(rows.map((row) => [row.name.toLowerCase(), text(row.id)]));
      const gone = names.flatMap((name) => {
        const id = before[what][name.toLowerCase()];
        return ids.has(name.toLowerCase()) || id === undefined ? [] : [{ name, id }];
      });
      const still =
        gone.length === 0
          ? []
          : await select<Found>(db, byId, { ids: [...new Set(gone.map(({ id }) => key(storedId(id))))] });
      for (const { name, id } of gone) {
        const row = still.find((one) => text(one.id) === id);
        if (!row) continue;
        ids.set(name.toLowerCase(), id);
        renamed.push({ kind, name, now: row.name });
      }
      return [what, Object.fromEntries(ids)] as const;
    }),
  );
  const binding = Object.fromEntries(bindings) as unknown as Binding;
  const found = (what: keyof UsedNames) =>
    used[what].filter((name) => Object.hasOwn(binding[what], name.toLowerCase()));
  const groupIds = Object.values(binding.groups).map((id) => key(storedId(id)));
  const [peopled, networks] = await Promise.all([
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
  const people = new Map<string, number>(peopled.map((row) => [text(row.id), Number(row.people)]));
  const known: Known = {
    groups: new Map(found('groups').map((name) => [name, people.get(binding.groups[name.toLowerCase()]!) ?? 0])),
    people: new Set(found('people')),
    applications: new Set(found('applications')),
    networks: new Set(found('networks')),
    countries: new Set(networks.flatMap((network) => network.country ?? [])),
    cities: new Set(networks.flatMap((network) => network.city ?? [])),
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
