import type { Answer } from '@nimble-latch/api';
import { serveWay } from '@nimble-latch/core/assurance';
import { explain, recallFacts, type Facts } from '@nimble-latch/core/rulebook';
import { foresee, waysFor } from '@nimble-latch/core/signin';
import type { Method, PersonState, Id } from '@nimble-latch/core/vocabulary';
import { select, selectOne } from '../../platform/db/sql.js';
import type { Deps } from '../../platform/deps.js';
import { badField, notFound } from '../../platform/errors.js';
import type { Handler } from '../../platform/http/call.js';
import { idBytes, idText, storedId } from '../../platform/ids.js';
import { currentKeyring, heldAt } from '../keyring/usable.js';
import { locate } from '../networks/table.js';
import { draftRulebook } from '../rulebook/draft.js';
import { factsOf, PERSON_FACTS_OF_P, personFactsOf, requirementOf, type PersonFactsRow } from '../rulebook/facts.js';
import { readVersion, type RunningRulebook } from '../rulebook/running.js';
import { shownOutcome, shownRule, shownWay } from '../rulebook/describe-rulebook.js';
import { FORESEEN_PROMPT_KINDS } from './meets.js';
import { readSignIn } from './store.js';

type Explanation = Answer<'people.explain'>;

interface Question {
  readonly running: RunningRulebook;
  readonly facts: Facts;
  readonly person: { readonly id: Id; readonly displayName: string | null };
  readonly application: { readonly id: Id; readonly name: string | null };
  readonly sourceAddress: string | null;
  /** Not active, so nothing lets them in. */
  readonly deactivated: boolean;
  /** The application vouched for the password. */
  readonly vouched: boolean;
  /** What the method settings kept them from using then; left out: what they do now. */
  readonly barred?: readonly Method[];
}

/** Every rule in its order, what decides, what would serve, and what happens then. */
async function explained(deps: Deps, question: Question): Promise<Explanation> {
  const { running, facts, sourceAddress, deactivated, vouched } = question;
  const [methods, everything, held, networks] = await Promise.all([
    deps.methods.current(),
    currentKeyring(deps, question.person.id),
    select<{ id: Buffer; method: Method; label: string }>(
      deps,
      "SELECT id, method, label FROM authenticators WHERE person_id = :id AND state = 'active'",
      { id: idBytes(question.person.id) },
    ),
    locate(deps, sourceAddress),
  ]);
  const keyring = heldAt(everything, question.application.id);
  const { decision, rules } = explain(running.compiled, facts);
  const now = requirementOf(running, decision, facts, methods);
  const barred = question.barred ?? now.outcome.barred ?? [];
  const { barred: _kept, ...asked } = now.outcome;
  const requirement = { ...now, outcome: { ...asked, barred } };
  const usable = keyring.filter(({ method }) => !barred.includes(method));
  const labels = new Map(held.map((one) => [idText(one.id), one]));
  const named = running.rulebook.rules;
  const foreseen = deactivated
    ? { state: 'refused' as const, asks: [], way: null, reason: 'person-deactivated' as const }
    : foresee(requirement, keyring, FORESEEN_PROMPT_KINDS, vouched, facts.at);
  return {
    person: question.person,
    application: question.application,
    at: new Date(facts.at).toISOString(),
    sourceAddress,
    networks: networks.map((network) => network.name),
    version: running.number,
    rules: rules.map(({ index, standing, conditions, exception }) => {
      // As it is written, with names; the exception is told by its place, since its own copy has ids.
      const rule = named[index]!;
      const bound = running.compiled.rulebook.rules[index]!;
      const left = exception && rule.except[bound.except.indexOf(exception)];
      return {
        rule: shownRule(rule),
        standing,
        conditions: conditions.map((one) => ({ ...one })),
        exception: left ? { name: left.person ?? left.group ?? '', reason: left.reason, until: left.until } : null,
      };
    }),
    decidedBy: decision.rule?.name ?? null,
    trial: decision.trial?.rule.name ?? null,
    outcome: shownOutcome(asked),
    barred: [...barred],
    ways: waysFor(requirement.outcome, keyring, []).map((way) => ({
      ...shownWay(way),
      servedBy:
        serveWay(way, usable)?.map(({ id, method }) => ({
          id: storedId(id),
          method,
          label: labels.get(storedId(id))?.label ?? '',
        })) ?? null,
    })),
    meets: { state: foreseen.state, asks: [...foreseen.asks], way: foreseen.way, reason: foreseen.reason },
  };
}

/** What would be met now, or at another time, from somewhere. */
async function ask(
  deps: Deps,
  running: RunningRulebook,
  personId: Id,
  applicationId: Id,
  circumstances: { sourceAddress: string | null; browser: string | null; risk: number | null; at: number },
  vouched: boolean,
): Promise<Explanation> {
  const [row, application] = await Promise.all([
    selectOne<PersonFactsRow & { display_name: string; state: PersonState }>(
      deps,
      `SELECT p.display_name, p.state, ${PERSON_FACTS_OF_P} FROM persons p WHERE p.id = :id`,
      { id: idBytes(personId) },
    ),
    selectOne<{ name: string }>(deps, 'SELECT name FROM applications WHERE id = :id', { id: idBytes(applicationId) }),
  ]);
  if (!row) throw notFound();
  if (!application) throw badField('query.application', 'not-an-application');
  const facts = await factsOf(deps, running, personFactsOf(personId, row), { applicationId, ...circumstances });
  return await explained(deps, {
    running,
    facts,
    person: { id: personId, displayName: row.display_name },
    application: { id: applicationId, name: application.name },
    sourceAddress: circumstances.sourceAddress,
    deactivated: row.state !== 'active',
    vouched,
  });
}

export const explainPerson: Handler<'people.explain'> = async (deps, { params, query }) => {
  const running = query.draft === 'true' ? await draftRulebook(deps) : await deps.rulebook.current();
  const circumstances = {
    sourceAddress: query.sourceAddress ?? null,
    browser: query.browser ?? null,
    risk: query.risk ?? null,
    at: query.at === undefined ? deps.now().getTime() : Date.parse(query.at),
  };
  return { answer: await ask(deps, running, params.id, query.application, circumstances, false) };
};

export const explainSignIn: Handler<'activity.explain'> = async (deps, { params }) => {
  const stored = await readSignIn(deps, params.id);
  const { personId, applicationId, sourceAddress, browser, risk } = stored;
  // Nobody's sign-in met what everybody unknown meets; there is no keyring to explain it by.
  if (personId === null) throw notFound();
  const { requirement } = stored.signIn;
  const vouched = stored.claims.includes('password-checked');
  const [version, now] = await Promise.all([
    readVersion(deps, requirement.version),
    ask(
      deps,
      await deps.rulebook.current(),
      personId,
      applicationId,
      { sourceAddress, browser, risk, at: deps.now().getTime() },
      vouched,
    ),
  ]);
  const then = await explained(deps, {
    running: version!,
    facts: recallFacts(requirement.facts ?? {}, version!.ruled, personId, applicationId, stored.begunAt.getTime()),
    person: now.person,
    application: now.application,
    sourceAddress,
    deactivated: stored.decoyId !== null,
    vouched,
    barred: requirement.outcome.barred ?? [],
  });
  return { answer: { then, now } };
};
