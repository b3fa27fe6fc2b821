import { LIMITS, type Answer } from '@nimble-latch/api';
import { offersReset } from '@nimble-latch/core/methods';
import { decide } from '@nimble-latch/core/rulebook';
import { foresee } from '@nimble-latch/core/signin';
import type { Usable } from '@nimble-latch/core/assurance';
import type { Id, Method, PersonState, PromptKind } from '@nimble-latch/core/vocabulary';
import { select, selectOne, type Db } from '../../platform/db/sql.js';
import type { Deps } from '../../platform/deps.js';
import { notFound } from '../../platform/errors.js';
import type { Handler } from '../../platform/http/call.js';
import { CONSOLE_APPLICATION, idBytes, RESET_APPLICATION, idText } from '../../platform/ids.js';
import { currentKeyring, heldAt } from '../keyring/usable.js';
import { factsOf, PERSON_FACTS_OF_P, personFactsOf, requirementOf, type PersonFactsRow } from '../rulebook/facts.js';

type Row = Answer<'people.meets'>['rows'][number];

/** What applications show where nothing else is known of them. */
export const FORESEEN_PROMPT_KINDS: readonly PromptKind[] = ['password', 'code', 'new-pin'];

interface Place {
  readonly id: Id;
  readonly name: string;
  readonly vouches: boolean;
  readonly decision: ReturnType<typeof decide>;
  readonly foresee: (keyring: readonly Usable[]) => Foretold;
}
type Foretold = ReturnType<typeof foresee> | { state: 'refused'; asks: []; serves: []; reason: 'person-deactivated' };

/** Every application that somebody could sign in to, each with what they would meet there by what keyring, from no known address. */
async function placesFor(deps: Deps, db: Db, personId: Id): Promise<readonly Place[]> {
  const id = idBytes(personId);
  const person = await selectOne<PersonFactsRow & { state: PersonState }>(
    db,
    `SELECT p.state, ${PERSON_FACTS_OF_P} FROM persons p WHERE p.id = :id`,
    { id },
  );
  if (!person) throw notFound();
  const facts = personFactsOf(personId, person);
  const [running, methods, applications] = await Promise.all([
    deps.rulebook.current(),
    deps.methods.current(),
    select<{ id: Buffer; name: string; vouches: number }>(
      db,
      `SELECT a.id, a.name, EXISTS (SELECT 1 FROM connections c WHERE c.application_id = a.id AND FIND_IN_SET('password-checked', REPLACE(c.claims, ' ', ','))) AS vouches
       FROM applications a ORDER BY a.id = :console DESC, a.built_in, a.name`,
      { console: idBytes(CONSOLE_APPLICATION) },
    ),
  ]);
  const at = deps.now().getTime();
  const places: Place[] = [];
  for (const application of applications) {
    const applicationId = idText(application.id);
    // The console is for people with a role.
    if (applicationId === CONSOLE_APPLICATION && facts.roles.size === 0) continue;
    // Nobody resets a password where nothing may be used for it.
    if (applicationId === RESET_APPLICATION && !offersReset(methods.settings)) continue;
    const vouches = Number(application.vouches) === 1;
    const nowhere = { applicationId, sourceAddress: null, browser: null, risk: null, at };
    const known = await factsOf(deps, running, facts, nowhere);
    const decision = decide(running.compiled, known);
    const requirement = requirementOf(running, decision, known, methods);
    places.push({
      id: applicationId,
      name: application.name,
      vouches,
      decision,
      foresee: (keyring) => {
        if (person.state !== 'active') return { state: 'refused', asks: [], serves: [], reason: 'person-deactivated' };
        // Where the application may vouch for the password, somebody without one can still be asked for the rest.
        const claimed = vouches && !keyring.some(({ method }) => method === 'password');
        return foresee(requirement, heldAt(keyring, applicationId), FORESEEN_PROMPT_KINDS, claimed, at);
      },
    });
  }
  return places;
}

/** What a person would meet at each application now, from no known address, if they proved everything right. */
export const meets: Handler<'people.meets'> = async (deps, { params, query }) => {
  const [places, held, everything] = await Promise.all([
    placesFor(deps, deps, params.id),
    select<{ id: Buffer; method: Method; label: string }>(
      deps,
      "SELECT id, method, label FROM authenticators WHERE person_id = :id AND state = 'active' ORDER BY id",
      { id: idBytes(params.id) },
    ),
    currentKeyring(deps, params.id),
  ]);
  const keyring = everything.filter(
    ({ id: one, method }) =>
      one !== query.without && (query.only === undefined || one === query.only || method === 'password'),
  );
  const rows = places.slice(0, LIMITS.pageRowsMost).map(({ id, name, vouches, decision, foresee: foreseeBy }): Row => {
    const foreseen = foreseeBy(keyring);
    return {
      application: { id, name },
      outcome: foreseen.state,
      asks: [...foreseen.asks],
      vouches,
      reason: foreseen.reason,
      rule: decision.rule?.name ?? null,
      serves: held
        .filter(
          ({ id: one, method }) =>
            method !== 'password' && (foreseen.serves as readonly string[]).includes(idText(one)),
        )
        .map((one) => ({ id: idText(one.id), method: one.method, label: one.label })),
    };
  });
  return { answer: { rows } };
};

/**
 * Names of the applications that somebody gets into with what they hold, and would not without one authenticator. A pass is somebody's
 * word for some hours, and keeps no way open.
 */
export async function lostWithout(deps: Deps, db: Db, personId: Id, authenticator: Id): Promise<readonly string[]> {
  const places = await placesFor(deps, db, personId);
  const lasting = (await currentKeyring(db, personId)).filter(({ method }) => method !== 'pass');
  const without = lasting.filter(({ id }) => id !== authenticator);
  return places
    .filter((place) => place.foresee(lasting).state === 'let-in' && place.foresee(without).state !== 'let-in')
    .map(({ name }) => name);
}
