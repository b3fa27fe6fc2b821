import { LIMITS, type Answer } from '@nimble-latch/api';
import { offersReset } from '@nimble-latch/core/methods';
import { decide } from '@nimble-latch/core/rulebook';
import { foresee } from '@nimble-latch/core/signin';
import type { Method, PersonState, PromptKind } from '@nimble-latch/core/vocabulary';
import { select, selectOne } from '../../platform/db/sql.js';
import { notFound } from '../../platform/errors.js';
import type { Handler } from '../../platform/http/call.js';
import { CONSOLE_APPLICATION, idBytes, RESET_APPLICATION, idText } from '../../platform/ids.js';
import { currentKeyring, heldAt } from '../keyring/usable.js';
import { factsOf, PERSON_FACTS_OF_P, personFactsOf, requirementOf, type PersonFactsRow } from '../rulebook/facts.js';

type Row = Answer<'people.meets'>['rows'][number];

/** What applications show where nothing else is known of them. */
export const FORESEEN_PROMPT_KINDS: readonly PromptKind[] = ['password', 'code', 'new-pin'];

/** What a person would meet at each application now, from no known address, if they proved everything right. */
export const meets: Handler<'people.meets'> = async (deps, { params, query }) => {
  const id = idBytes(params.id);
  const person = await selectOne<PersonFactsRow & { state: PersonState }>(
    deps,
    `SELECT p.state, ${PERSON_FACTS_OF_P} FROM persons p WHERE p.id = :id`,
    { id },
  );
  if (!person) throw notFound();
  const facts = personFactsOf(params.id, person);
  const [running, methods, applications, held, everything] = await Promise.all([
    deps.rulebook.current(),
    deps.methods.current(),
    select<{ id: Buffer; name: string; vouches: number }>(
      deps,
      `SELECT a.id, a.name, EXISTS (SELECT 1 FROM connections c WHERE c.application_id = a.id AND FIND_IN_SET('password-checked', REPLACE(c.claims, ' ', ','))) AS vouches
       FROM applications a ORDER BY a.id = :console DESC, a.built_in, a.name LIMIT ${LIMITS.pageRowsMost}`,
      { console: idBytes(CONSOLE_APPLICATION) },
    ),
    select<{ id: Buffer; method: Method; label: string }>(
      deps,
      "SELECT id, method, label FROM authenticators WHERE person_id = :id AND state = 'active' ORDER BY id",
      { id },
    ),
    currentKeyring(deps, params.id),
  ]);
  const keyring = everything.filter(
    ({ id: one, method }) =>
      one !== query.without && (query.only === undefined || one === query.only || method === 'password'),
  );
  const hasPassword = keyring.some(({ method }) => method === 'password');
  const at = deps.now().getTime();
  const rows: Row[] = [];
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
    // Where the application may vouch for the password, somebody without one can still be asked for the rest.
    const foreseen =
      person.state === 'active'
        ? foresee(
            requirementOf(running, decision, known, methods),
            heldAt(keyring, applicationId),
            FORESEEN_PROMPT_KINDS,
            vouches && !hasPassword,
            at,
          )
        : { state: 'refused' as const, asks: [], serves: [], reason: 'person-deactivated' as const };
    rows.push({
      application: { id: applicationId, name: application.name },
      outcome: foreseen.state,
      asks: [...foreseen.asks],
      vouches,
      reason: foreseen.reason,
      rule: decision.rule?.name ?? null,
      serves: held
        .filter(({ id: one, method }) => method !== 'password' && foreseen.serves.includes(idText(one)))
        .map((one) => ({ id: idText(one.id), method: one.method, label: one.label })),
    });
  }
  return { answer: { rows } };
};
