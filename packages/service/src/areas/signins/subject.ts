import type { Usable } from '@nimble-latch/core/assurance';
import { OFFERED_METHODS, offeredSpec, specOf } from '@nimble-latch/core/methods';
import { normaliseLoginName } from '@nimble-latch/core/loginnames';
import type { Id, PersonState } from '@nimble-latch/core/vocabulary';
import { select, type Db } from '../../platform/db/sql.js';
import type { Deps } from '../../platform/deps.js';
import { idText } from '../../platform/ids.js';
import { KEYRING_OF_P, keyringOf } from '../keyring/usable.js';
import { NOBODY, PERSON_FACTS_OF_P, personFactsOf, type PersonFacts, type PersonFactsRow } from '../rulebook/facts.js';

/** Whom a typed login name means: a person, or a decoy that behaves like one. */
export interface Subject {
  readonly personId: Id | null;
  readonly displayName: string | null;
  readonly emergency: boolean;
  readonly keyring: readonly Usable[];
  readonly facts: PersonFacts;
  /** Null for an active person. */
  readonly decoyId: Buffer | null;
}

/** What a decoy seems to hold: what most people hold. Stable, since nothing about it is drawn by chance. */
const DECOY_KEYRING: readonly Usable[] = OFFERED_METHODS.flatMap((method) => {
  const { decoy, carrier } = offeredSpec(method);
  if (decoy === null || decoy === 'hidden') return [];
  const on = carrier && `decoy ${carrier}`;
  return [{ id: `decoy ${method}`, method, carrier: on, can: decoy.can, preferred: false }];
});

/** What shows of somebody's keyring before they have proved anything: nothing that a decoy stands for. */
const shows = ({ method }: Usable): boolean => specOf(method).offered?.decoy === null;

/**
 * What somebody seems to hold before they have proved anything: what most people hold, whether they do or not, so that the
 * first prompt tells no outsider who exists and what they have; and whatever else they hold, since it must be asked for.
 */
export const seemingKeyring = (keyring: readonly Usable[]): readonly Usable[] => [
  ...DECOY_KEYRING,
  ...keyring.filter(shows),
];

/** What a login name leads to. */
interface FoundRow extends Partial<PersonFactsRow> {
  name: string;
  id: Buffer;
  state: PersonState;
  display_name: string;
  emergency: number;
  keyring: string | null;
}

/** The people behind normalised login names; undefined for a name that nobody has. */
const finding =
  (more: string) =>
  async (db: Db, names: readonly string[]): Promise<readonly (FoundRow | undefined)[]> => {
    const rows = await select<FoundRow>(
      db,
      `SELECT n.value AS name, p.id, p.state, p.display_name, p.emergency, ${KEYRING_OF_P} AS keyring${more}
       FROM login_names n JOIN persons p ON p.id = n.person_id WHERE n.value IN (:names)`,
      { names },
    );
    const byName = new Map(rows.map((row) => [row.name, row]));
    return names.map((name) => byName.get(name));
  };
const findByNames = finding('');
const findByNamesWithFacts = finding(`, ${PERSON_FACTS_OF_P}`);

/**
 * Finds the person behind a login name. Unknown names and deactivated people get a decoy whose id follows from the name
 * alone, so that it is the same on every node and at every try, and is throttled like anybody.
 *
 * @param withFacts whether some rule asks for more of a person than that they are one
 */
export async function findSubject(deps: Deps, typed: string, withFacts: boolean): Promise<Subject> {
  const name = normaliseLoginName(typed);
  // A name of no valid shape is one more name that nobody has; cut, since it may be long.
  const value = name.ok ? name.value : `invalid ${typed.slice(0, 400)}`;
  const row = await deps.batcher.ask(withFacts ? findByNamesWithFacts : findByNames, value);
  if (row?.state !== 'active')
    return {
      personId: row ? idText(row.id) : null,
      displayName: null,
      emergency: false,
      keyring: DECOY_KEYRING,
      facts: NOBODY,
      decoyId: deps.keys.current.decoyId(value),
    };
  const id = idText(row.id);
  return {
    personId: id,
    displayName: row.display_name,
    emergency: Number(row.emergency) === 1,
    keyring: keyringOf(row.keyring),
    facts: withFacts ? personFactsOf(id, row as PersonFactsRow) : NOBODY,
    decoyId: null,
  };
}
