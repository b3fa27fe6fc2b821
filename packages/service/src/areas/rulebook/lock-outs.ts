import { LIMITS } from '@nimble-latch/api';
import { type Usable } from '@nimble-latch/core/assurance';
import { requiresPin } from '@nimble-latch/core/methods';
import { decide, type Facts } from '@nimble-latch/core/rulebook';
import { foresee, type Foreseen, type Requirement } from '@nimble-latch/core/signin';
import type { Method, PromptKind, Id } from '@nimble-latch/core/vocabulary';
import { select, selectOne, type Db } from '../../platform/db/sql.js';
import { CONSOLE_APPLICATION, idText } from '../../platform/ids.js';
import { promptKindsOf, type ApplicationRow } from './prompt-kinds.js';
import { purposeAt } from '../methods/purpose-at.js';
import { heldAt, KEYRING_OF_P, keyringOf } from '../keyring/usable.js';
import type { RunningMethods } from '../methods/cache.js';
import { readNetworks } from '../networks/table.js';
import { PERSON_FACTS_OF_P, personFactsOf, requirementOf, type PersonFacts, type PersonFactsRow } from './facts.js';
import type { RunningRulebook } from './running.js';
import type { ShownFinding } from './describe-rulebook.js';

/** What applications over HTTP can show. */
const CARRIES: readonly PromptKind[] = ['password', 'code'];
const PAGE = 500;
const DAY_MS = 86_400_000;

interface PersonRow extends PersonFactsRow {
  id: Buffer;
  display_name: string;
  emergency: number;
  keyring: string | null;
}

/** What decides: the rulebook, and which methods may be used. */
export interface InForce {
  readonly running: RunningRulebook;
  readonly methods: RunningMethods;
}

/** Whom a rulebook would lock out who gets in today, and what else shows only when people are looked at. */
export interface LockOuts {
  readonly people: number;
  readonly named: { id: Id; displayName: string; applications: string[] }[];
  readonly examined: number;
  readonly of: number;
  readonly findings: ShownFinding[];
}

/**
 * What somebody would meet by a rulebook; the same question for many people is answered once, as most hold the same.
 */
class Prospect {
  readonly #rulebook: RunningRulebook;
  readonly #methods: RunningMethods;
  readonly #answers = new Map<string, Foreseen>();

  constructor({ running, methods }: InForce) {
    this.#rulebook = running;
    this.#methods = methods;
  }

  /** @param renews whether the place can ask for a PIN of the person's own */
  meets(facts: Facts, keyring: readonly Usable[], vouched: boolean, renews: boolean): Foreseen {
    const requirement = requirementOf(this.#rulebook, decide(this.#rulebook.compiled, facts), facts, this.#methods);
    const carriers = [...new Set(keyring.map((one) => one.carrier))];
    const holds = keyring.map((one) => `${one.method}(${one.can.join()})${carriers.indexOf(one.carrier)}`).join();
    const barred = requirement.outcome.barred?.join() ?? '';
    const pins = `${requirement.codes?.totp?.pin} ${requirement.codes?.hotp?.pin} ${renews}`;
    const question = `${requirement.rule?.index ?? -1} ${vouched} ${holds} ${barred} ${pins}`;
    let answer = this.#answers.get(question);
    if (!answer) {
      answer = foresee(
        requirement,
        keyring,
        renews ? [...CARRIES, 'new-pin'] : CARRIES,
        vouched,
        facts.at,
        endOfGrace(requirement),
      );
      this.#answers.set(question, answer);
    }
    return answer;
  }
}

/** Days of grace count from when each is first asked; here, as long as they may last for anybody. */
const endOfGrace = ({ grace }: Requirement) => grace && Date.parse(`${grace.lastDay}T00:00:00Z`) + DAY_MS;

/** Where a sign-in could come from, as far as either rulebook tells places apart: from nowhere known, and each network. */
async function places(db: Db, rulebooks: readonly RunningRulebook[]) {
  const nowhere = { networks: new Set<string>(), countries: new Set<string>(), cities: new Set<string>() };
  if (!rulebooks.some(({ needs }) => needs.networks)) return [nowhere];
  const networks = await readNetworks(db);
  return [
    nowhere,
    ...networks.map(({ id, country, city }) => ({
      networks: new Set([id]),
      countries: new Set(country ? [country] : []),
      cities: new Set(city ? [city] : []),
    })),
  ];
}

/**
 * Looks at every active person at every application: who could get in by what is in force, from anywhere, and could not
 * by the draft? Up to a bound, so that the answer comes within seconds; how many were looked at is told.
 *
 * @param publisher who would publish
 */
export async function lockOutsOf(
  db: Db,
  running: InForce,
  draft: InForce,
  publisher: string,
  now: Date,
): Promise<LockOuts> {
  const [applications, from, count] = await Promise.all([
    select<ApplicationRow & { vouches: number }>(
      db,
      `SELECT a.id, a.name, a.built_in, (SELECT GROUP_CONCAT(DISTINCT c.kind) FROM connections c WHERE c.application_id = a.id) AS kinds, EXISTS (SELECT 1 FROM connections c WHERE c.application_id = a.id AND FIND_IN_SET('password-checked', REPLACE(c.claims, ' ', ','))) AS vouches
       FROM applications a ORDER BY a.name`,
    ),
    places(db, [running.running, draft.running]),
    selectOne<{ n: number }>(db, "SELECT COUNT(*) AS n FROM persons WHERE state = 'active'"),
  ]);
  const [before, after] = [new Prospect(running), new Prospect(draft)];
  // Where nobody has signed in yet, nobody knows what is shown there, and nobody can be locked out of it. Looked up only where
  // a PIN could be asked for at all.
  const pins = [running, draft].some(({ methods }) => requiresPin(methods.settings));
  const asking = new Map<string, boolean>();
  if (pins)
    for (const one of applications) asking.set(idText(one.id), (await promptKindsOf(db, one))?.has('new-pin') ?? true);
  const at = now.getTime();
  const inside = new InsideView();
  let people = 0;
  let examined = 0;
  const named: LockOuts['named'] = [];
  for (let last = Buffer.alloc(16); examined < LIMITS.peopleReviewed;) {
    const rows = await select<PersonRow>(
      db,
      `SELECT p.id, p.display_name, p.emergency, ${PERSON_FACTS_OF_P}, ${KEYRING_OF_P} AS keyring
       FROM persons p WHERE p.id > :last AND p.state = 'active' ORDER BY p.id LIMIT ${PAGE}`,
      { last },
    );
    for (const row of rows) {
      const person = personFactsOf(idText(row.id), row);
      // A pass is gone in some hours: what it lets somebody do is not what they can do.
      const everything = keyringOf(row.keyring).filter(({ method }) => method !== 'pass');
      const hasPassword = everything.some(({ method }) => method === 'password');
      const lost: string[] = [];
      for (const application of applications) {
        const id = idText(application.id);
        // The console is for people with a role.
        if (id === CONSOLE_APPLICATION && person.roles.size === 0) continue;
        // Nobody needs to enrol or to reset something to do their work.
        if (purposeAt(id) !== 'sign-in') continue;
        const keyring = heldAt(everything, id);
        const renews = asking.get(id) ?? true;
        const vouched = Number(application.vouches) === 1 && !hasPassword;
        const then = from.map((place) => after.meets(factsAt(person, id, place, at), keyring, vouched, renews));
        const gets = then.some(({ state }) => state === 'let-in');
        const got =
          gets ||
          from.some(
            (place) => before.meets(factsAt(person, id, place, at), keyring, vouched, renews).state === 'let-in',
          );
        if (got && !gets) lost.push(application.name);
        inside.note(row, application, then[0]!, keyring);
      }
      if (lost.length === 0) continue;
      people += 1;
      const one = { id: idText(row.id), displayName: row.display_name, applications: lost };
      // Whoever publishes is named first: they would be the last to notice.
      if (one.id === publisher) named.unshift(one);
      else if (named.length < LIMITS.peopleNamed) named.push(one);
    }
    examined += rows.length;
    if (rows.length < PAGE) break;
    last = rows[rows.length - 1]!.id as Buffer<ArrayBuffer>;
  }
  const own = named[0]?.id === publisher ? named[0] : undefined;
  return {
    people,
    named: named.slice(0, LIMITS.peopleNamed),
    examined,
    of: Number(count?.n ?? 0),
    findings: [
      ...(own
        ? [{ what: 'publisher-locked-out' as const, rule: null, facts: { application: own.applications.join(', ') } }]
        : []),
      ...inside.findings(),
    ],
  };
}

function factsAt(
  person: PersonFacts,
  application: string,
  place: Pick<Facts, 'networks' | 'countries' | 'cities'>,
  at: number,
): Facts {
  const { lastProofAt } = person;
  return { person, application, ...place, at, risk: undefined, browser: undefined, system: undefined, lastProofAt };
}

/** What administrators and emergency accounts meet at the console. */
class InsideView {
  #application = '';
  #emergency = 0;
  #spared = 0;
  readonly #methods = new Map<string, number>();
  #administrators = 0;

  note(
    row: PersonRow,
    application: { readonly id: Buffer; readonly name: string },
    { state, asks, serves }: Foreseen,
    keyring: readonly Usable[],
  ): void {
    if (idText(application.id) !== CONSOLE_APPLICATION) return;
    this.#application = application.name;
    if (row.emergency === 1) {
      this.#emergency += 1;
      if (state === 'let-in' && asks.length <= 1) this.#spared += 1;
      return;
    }
    if (state !== 'let-in') return;
    this.#administrators += 1;
    const methods = new Set<Method>(
      serves
        .flatMap((id) => keyring.find((one) => one.id === id)?.method ?? [])
        .filter((method) => method !== 'password'),
    );
    for (const method of methods) this.#methods.set(method, (this.#methods.get(method) ?? 0) + 1);
  }

  findings(): ShownFinding[] {
    const facts = { application: this.#application };
    const only = [...this.#methods].find(([, people]) => people === this.#administrators);
    return [
      ...(this.#emergency > 0 && this.#spared === 0 ? [{ what: 'emergency-asked' as const, rule: null, facts }] : []),
      ...(only && this.#methods.size === 1 && this.#administrators > 1
        ? [{ what: 'one-method-only' as const, rule: null, facts: { ...facts, method: only[0] } }]
        : []),
    ];
  }
}
