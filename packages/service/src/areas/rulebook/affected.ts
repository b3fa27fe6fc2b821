import type { AffectedPerson } from '@nimble-latch/api';
import { requiresPin } from '@nimble-latch/core/methods';
import { needsLess, sayLeast } from '@nimble-latch/core/signin';
import type { Id } from '@nimble-latch/core/vocabulary';
import { decodeCursor, encodeCursor } from '../../platform/db/cursor.js';
import { select, type Db } from '../../platform/db/sql.js';
import { CONSOLE_APPLICATION, idBytes, idText } from '../../platform/ids.js';
import { heldAt, KEYRING_OF_P, keyringOf } from '../keyring/usable.js';
import { purposeAt } from '../methods/purpose-at.js';
import { PERSON_FACTS_OF_P, personFactsOf, type PersonFactsRow } from './facts.js';
import { InsideView } from './inside-view.js';
import { factsAt, placesFor, type Place } from './places.js';
import { promptKindsOf, type ApplicationRow } from './prompt-kinds.js';
import { classesFor, holdsOf, Prospect, type Asking, type InForce } from './prospect.js';

const PAGE = 500;
/** Places at which one person is said to need less; the first of them say enough. */
const MOST_EASED = 30;

interface PersonRow extends PersonFactsRow {
  id: Buffer;
  display_name: string;
  emergency: number;
  keyring: string | null;
}

/** `vouches`: it may say that the password was right. */
type Application = ApplicationRow & { readonly vouches: number };

/**
 * What a change of the rulebook, or of the method settings, does to people: looks at each at every application from every network,
 * by what is in force and by what would be.
 */
export class Comparison {
  readonly #applications: readonly Application[];
  readonly #from: readonly Place[];
  /** Applications at which a PIN can be asked for. */
  readonly #asking: ReadonlyMap<string, boolean>;
  readonly #before: Prospect;
  readonly #after: Prospect;
  readonly #classOf: ReturnType<typeof classesFor>;
  readonly #at: number;
  readonly inside = new InsideView();

  private constructor(
    applications: readonly Application[],
    from: readonly Place[],
    asking: ReadonlyMap<string, boolean>,
    running: InForce,
    draft: InForce,
    now: Date,
  ) {
    this.#applications = applications;
    this.#from = from;
    this.#asking = asking;
    this.#before = new Prospect(running);
    this.#after = new Prospect(draft);
    this.#classOf = classesFor([running.running, draft.running]);
    this.#at = now.getTime();
  }

  static async of(db: Db, running: InForce, draft: InForce, now: Date): Promise<Comparison> {
    const [applications, from] = await Promise.all([
      select<Application>(
        db,
        `SELECT a.id, a.name, a.built_in, (SELECT GROUP_CONCAT(DISTINCT c.kind) FROM connections c WHERE c.application_id = a.id) AS kinds,
           EXISTS (SELECT 1 FROM connections c WHERE c.application_id = a.id AND FIND_IN_SET('password-checked', REPLACE(c.claims, ' ', ','))) AS vouches
         FROM applications a ORDER BY a.name`,
      ),
      placesFor(db, [running.running, draft.running]),
    ]);
    // Where nobody has signed in yet, nobody knows what is shown there, and nobody can be locked out of it. Looked up only where
    // a PIN could be asked for at all.
    const pins = [running, draft].some(({ methods }) => requiresPin(methods.settings));
    const asking = new Map<string, boolean>();
    if (pins)
      for (const one of applications)
        asking.set(idText(one.id), (await promptKindsOf(db, one))?.has('new-pin') ?? true);
    return new Comparison(applications, from, asking, running, draft, now);
  }

  /** Active people in the order of their ids, each with what becomes of them. */
  async *people(db: Db, after?: Id): AsyncGenerator<AffectedPerson> {
    for (let last: Buffer = after ? idBytes(after) : Buffer.alloc(16); ;) {
      const rows = await select<PersonRow>(
        db,
        `SELECT p.id, p.display_name, p.emergency, ${PERSON_FACTS_OF_P}, ${KEYRING_OF_P} AS keyring
         FROM persons p WHERE p.id > :last AND p.state = 'active' ORDER BY p.id LIMIT ${PAGE}`,
        { last },
      );
      for (const row of rows) yield this.#lookAt(row);
      if (rows.length < PAGE) return;
      last = rows[rows.length - 1]!.id;
    }
  }

  #lookAt(row: PersonRow): AffectedPerson {
    const id = idText(row.id);
    const person = personFactsOf(id, row);
    const alike = this.#classOf(person, person.lastProofAt);
    // A pass is gone in some hours: what it lets somebody do is not what they can do.
    const everything = keyringOf(row.keyring).filter(({ method }) => method !== 'pass');
    const hasPassword = everything.some(({ method }) => method === 'password');
    const found: AffectedPerson = { id, displayName: row.display_name, lockedOut: [], eased: [] };
    for (const application of this.#applications) {
      const there = idText(application.id);
      // The console is for people with a role.
      if (there === CONSOLE_APPLICATION && person.roles.size === 0) continue;
      // Nobody needs to enrol or to reset something to do their work.
      if (purposeAt(there) !== 'sign-in') continue;
      const keyring = heldAt(everything, there);
      const shared = {
        keyring,
        holds: holdsOf(keyring),
        vouched: Number(application.vouches) === 1 && !hasPassword,
        renews: this.#asking.get(there) ?? true,
      };
      const asked = this.#from.map((place, i): Asking => ({
        ...shared,
        facts: factsAt(person, there, place, this.#at),
        alike: `${alike} ${there} ${i}`,
      }));
      const then = asked.map((one) => this.#after.meets(one));
      const gets = then.some(({ state }) => state === 'let-in');
      if (!gets && asked.some((one) => this.#before.meets(one).state === 'let-in'))
        found.lockedOut.push(application.name);
      if (gets) found.eased.push(...this.#eased(application.name, asked));
      this.inside.note(row, application, then[0]!, keyring);
    }
    found.eased.splice(MOST_EASED);
    return found;
  }

  /** From where they would need less, networks that come to the same together. */
  #eased(application: string, asked: readonly Asking[]): AffectedPerson['eased'] {
    const found = new Map<string, AffectedPerson['eased'][number]>();
    asked.forEach((one, i) => {
      const [before, after] = [this.#before.least(one), this.#after.least(one)];
      if (!needsLess(before, after)) return;
      const eased = { application, networks: [], before: before ? sayLeast(before) : null, after: sayLeast(after!) };
      const key = JSON.stringify(eased);
      const known = found.get(key) ?? eased;
      found.set(key, { ...known, networks: [...known.networks, this.#from[i]!.name] });
    });
    // From wherever they come, it is not said from where.
    return [...found.values()].map((eased) =>
      eased.networks.length === this.#from.length ? { ...eased, networks: [] } : eased,
    );
  }
}

/** Whether somebody is of those that are asked for. */
export const isAffected = (one: AffectedPerson, only?: 'locked-out' | 'eased'): boolean =>
  (only !== 'eased' && one.lockedOut.length > 0) || (only !== 'locked-out' && one.eased.length > 0);

/** A page of everybody who is affected, in the order of their ids. */
export async function pageOfAffected(
  db: Db,
  comparison: Comparison,
  {
    cursor,
    limit,
    only,
  }: {
    readonly cursor?: string | undefined;
    readonly limit: number;
    readonly only?: 'locked-out' | 'eased' | undefined;
  },
): Promise<{ rows: AffectedPerson[]; next: string | null }> {
  const after = decodeCursor(cursor, ['id'])?.[0];
  const rows: AffectedPerson[] = [];
  for await (const one of comparison.people(db, after)) {
    if (!isAffected(one, only)) continue;
    if (rows.length === limit) return { rows, next: encodeCursor([rows[limit - 1]!.id]) };
    rows.push(one);
  }
  return { rows, next: null };
}
