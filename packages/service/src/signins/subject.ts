import { normaliseLoginName } from '@nimble-latch/core/loginnames';
import type { Holding } from '@nimble-latch/core/signin';
import type { Method, PersonState } from '@nimble-latch/core/vocabulary';
import { select, type Db } from '../db/sql.js';
import type { Deps } from '../deps.js';
import { key, text } from '../ids.js';

/** Methods that serve as the second step of the fixed rule. */
const FACTOR_METHODS = ['totp'] as const satisfies Method[];
/** The same as SQL: words of our own, and a constant text stays prepared. */
const IS_FACTOR = `method IN (${FACTOR_METHODS.map((method) => `'${method}'`).join(', ')})`;

/** Whom a typed login name means: a person, or a decoy that behaves like one. */
export type Subject =
  | { readonly personId: string; readonly displayName: string; readonly holding: Holding; readonly decoyId: null }
  | {
      readonly personId: string | null;
      readonly displayName: null;
      readonly holding: Holding;
      readonly decoyId: Buffer;
    };

/** What a decoy seems to hold: what most people hold. Stable, since nothing about it is drawn by chance. */
const DECOY_HOLDING: Holding = { factors: ['totp'] };

/** What a login name leads to. */
interface FoundRow {
  name: string;
  id: Buffer;
  state: PersonState;
  display_name: string;
  methods: string | null;
}

/** The people behind normalised login names; undefined for a name that nobody has. */
async function findByNames(db: Db, names: readonly string[]): Promise<readonly (FoundRow | undefined)[]> {
  const rows = await select<FoundRow>(
    db,
    `SELECT n.value AS name, p.id, p.state, p.display_name,
       (SELECT GROUP_CONCAT(a.method SEPARATOR ' ') FROM authenticators a WHERE a.person_id = p.id AND a.state = 'active' AND a.${IS_FACTOR}) AS methods
     FROM login_names n JOIN persons p ON p.id = n.person_id WHERE n.value IN (:names)`,
    { names },
  );
  const byName = new Map(rows.map((row) => [row.name, row]));
  return names.map((name) => byName.get(name));
}

/**
 * Finds the person behind a login name. Unknown names and deactivated people get a decoy whose id follows from the name
 * alone, so that it is the same on every node and at every try, and is throttled like anybody.
 */
export async function findSubject(deps: Deps, typed: string): Promise<Subject> {
  const name = normaliseLoginName(typed);
  // A name of no valid shape is one more name that nobody has; cut, since it may be long.
  const value = name.ok ? name.value : `invalid ${typed.slice(0, 400)}`;
  const row = await deps.together.ask(findByNames, value);
  if (row?.state === 'active')
    return { personId: text(row.id), displayName: row.display_name, holding: holdingOf(row.methods), decoyId: null };
  return {
    personId: row ? text(row.id) : null,
    displayName: null,
    holding: DECOY_HOLDING,
    decoyId: deps.keys.current.decoyId(value),
  };
}

/** What a sign-in's person holds now. */
export async function currentHolding(db: Db, personId: string): Promise<Holding> {
  const rows = await select<{ method: string }>(
    db,
    `SELECT method FROM authenticators WHERE person_id = :id AND state = 'active' AND ${IS_FACTOR}`,
    { id: key(personId) },
  );
  return holdingOf(rows.map((row) => row.method).join(' '));
}

function holdingOf(methods: string | null): Holding {
  return { factors: [...new Set((methods ?? '').split(' ').filter(Boolean))] as Method[] };
}
