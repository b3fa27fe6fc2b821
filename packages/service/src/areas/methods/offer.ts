import { LOOK_AHEAD } from '@nimble-latch/core/codes';
import {
  codeRulesFor,
  decidedFor,
  offerOf,
  type CodeRules,
  type MethodParameters,
  type OfferedMethod,
  type PinnedMethod,
  type Offer,
} from '@nimble-latch/core/methods';
import type { Method, Id } from '@nimble-latch/core/vocabulary';
import { selectOne, type Db } from '../../platform/db/sql.js';
import type { Deps } from '../../platform/deps.js';
import { Refusal } from '../../platform/errors.js';
import { idBytes } from '../../platform/ids.js';
import { PERSON_FACTS_OF_P, personFactsOf, type PersonFactsRow } from '../rulebook/facts.js';

/** The groups of a person, as method settings and rules compare them; undefined where there is no such person. */
export async function groupsOf(db: Db, person: Id): Promise<ReadonlySet<string> | undefined> {
  const row = await selectOne<PersonFactsRow>(db, `SELECT ${PERSON_FACTS_OF_P} FROM persons p WHERE p.id = :id`, {
    id: idBytes(person),
  });
  return row && personFactsOf(person, row).groups;
}

/** What a person is offered of a method. */
export async function offeredTo(deps: Deps, db: Db, person: Id, method: Method): Promise<Offer> {
  const { settings } = await deps.methods.current();
  return offerOf(settings, method, (await groupsOf(db, person)) ?? new Set());
}

/** What a person is offered of a method. Throws `method-not-offered`, with the row that says so, where they may not enrol it. */
export async function assertOffered(deps: Deps, db: Db, person: Id, method: Method): Promise<Offer> {
  const offer = await offeredTo(deps, db, person, method);
  if (!offer.enrol)
    throw new Refusal('method-not-offered', {
      method,
      why: offer.why!,
      row: offer.decided === undefined ? 0 : offer.decided.row + 1,
    });
  return offer;
}

/** What the method settings say of somebody's keys. */
export const keyRulesOf = async (deps: Deps, db: Db, person: Id): Promise<MethodParameters> =>
  await parametersOf(deps, db, person, 'webauthn');

/** What the method settings say of a method, for somebody. */
export async function parametersOf(deps: Deps, db: Db, person: Id, method: OfferedMethod): Promise<MethodParameters> {
  const { settings, needsGroups } = await deps.methods.current();
  const groups = needsGroups ? await groupsOf(db, person) : undefined;
  return decidedFor(settings, method, groups ?? new Set())?.cell.parameters ?? {};
}

/** Whether keys of anybody have to verify their holder: asked of everybody as long as nobody has shown who they are. */
export async function anybodysKeysVerify(deps: Deps): Promise<boolean> {
  const { settings } = await deps.methods.current();
  return settings.rows.some(({ cells }) => cells.webauthn?.parameters?.verification === 'required');
}

/** How somebody's codes are checked, outside a sign-in as in one. */
export async function codeRulesOf(
  deps: Deps,
  db: Db,
  person: Id,
  method: PinnedMethod,
): Promise<CodeRules & Required<Pick<CodeRules, 'window' | 'lookAhead'>>> {
  const [{ settings: methods }, { settings }] = await Promise.all([deps.methods.current(), deps.settings.current()]);
  const said = codeRulesFor(methods, (await groupsOf(db, person)) ?? new Set())?.[method];
  return { window: settings.totp.window, lookAhead: LOOK_AHEAD, ...said };
}
