import { barredFor, codeRulesFor, phoneRulesFor } from '@nimble-latch/core/methods';
import { recordFacts, systemOf, type Decision, type Facts } from '@nimble-latch/core/rulebook';
import { guardedOutcome, type Requirement } from '@nimble-latch/core/signin';
import type { Role } from '@nimble-latch/core/vocabulary';
import { locate } from '../networks/table.js';
import type { PlatformDeps } from '../../platform/deps.js';
import type { RunningMethods } from '../methods/cache.js';
import { purposeAt } from '../methods/purpose-at.js';
import type { RunningRulebook } from './running.js';

/**
 * What rules may ask of the person `p` of a query; left out of the query where no rule asks. Ids of groups come as one row of bytes,
 * since somebody may be in hundreds; where no group has parts, none of them is looked at for its wholes.
 */
export const PERSON_FACTS_OF_P = `p.time_zone,
  (SELECT GROUP_CONCAT(m.group_id SEPARATOR '') FROM group_members m WHERE m.person_id = p.id) AS in_groups,
  IF(EXISTS (SELECT 1 FROM group_closure), (SELECT GROUP_CONCAT(DISTINCT c.whole_id SEPARATOR '') FROM group_members m
    JOIN group_closure c ON c.part_id = m.group_id WHERE m.person_id = p.id), NULL) AS in_wholes,
  (SELECT GROUP_CONCAT(r.role) FROM role_grants r WHERE r.person_id = p.id) AS roles,
  (SELECT MAX(a.last_used_at) FROM authenticators a WHERE a.person_id = p.id) AS last_proof_at`;

export interface PersonFactsRow {
  time_zone: string;
  in_groups: Buffer | null;
  in_wholes: Buffer | null;
  roles: string | null;
  last_proof_at: Date | null;
}

export type PersonFacts = Facts['person'] & { readonly lastProofAt: number | undefined };

/** Somebody in no group and without a role: also what a name of nobody is taken for. */
export const NOBODY: PersonFacts = {
  names: new Set(),
  groups: new Set(),
  roles: new Set(),
  zone: 'UTC',
  lastProofAt: undefined,
};

/** Hexadecimal digits of an id. */
const DIGITS = 32;

function addIds(groups: Set<string>, column: Buffer | null): void {
  const digits = column?.toString('hex') ?? '';
  for (let at = 0; at < digits.length; at += DIGITS) groups.add(digits.slice(at, at + DIGITS));
}

const listed = (column: string | null) => (column ?? '').split(',').filter(Boolean);

export function personFactsOf(id: string, row: PersonFactsRow): PersonFacts {
  const groups = new Set<string>();
  addIds(groups, row.in_groups);
  addIds(groups, row.in_wholes);
  return {
    names: new Set([id]),
    groups,
    roles: new Set(listed(row.roles) as Role[]),
    zone: row.time_zone,
    lastProofAt: row.last_proof_at?.getTime(),
  };
}

/** What is known of a sign-in beside its person. */
export interface Circumstances {
  readonly applicationId: string;
  readonly sourceAddress: string | null;
  readonly browser: string | null;
  readonly risk: number | null;
  /** How well this person knows the browser, where they are at a page of ours. */
  readonly known?: Facts['browser'];
  readonly at: number;
}

/** Everything that a rulebook may ask of a sign-in. */
export async function factsOf(
  deps: Pick<PlatformDeps, 'settingsPool'>,
  { needs }: Pick<RunningRulebook, 'needs'>,
  person: PersonFacts,
  { applicationId, sourceAddress, browser, risk, known, at }: Circumstances,
): Promise<Facts> {
  const networks = needs.networks ? await locate(deps, sourceAddress) : [];
  return {
    person,
    application: applicationId,
    networks: new Set(networks.map((network) => network.id)),
    countries: new Set(networks.flatMap((network) => network.country ?? [])),
    cities: new Set(networks.flatMap((network) => network.city ?? [])),
    at,
    risk: risk ?? undefined,
    browser: known,
    system: browser === null ? undefined : systemOf(browser),
    lastProofAt: person.lastProofAt,
  };
}

/**
 * What a decision asks of a sign-in, as it is kept with it. At the places where somebody comes to new authenticators, a rule
 * that does not name them is taken strictly, and without its days of grace.
 */
export function requirementOf(
  { number, needs, ruled }: RunningRulebook,
  { index, rule, outcome, trial }: Decision,
  facts: Facts,
  { settings }: RunningMethods,
): Requirement {
  const purpose = purposeAt(facts.application);
  const barred = barredFor(settings, facts.person.groups, purpose);
  const codes = codeRulesFor(settings, facts.person.groups);
  const phones = phoneRulesFor(settings, facts.person);
  const places = rule?.conditions.applications;
  const named = places !== undefined && !places.not && places.names.includes(facts.application);
  const guarded = purpose !== 'sign-in' && !named;
  const asked = guarded ? guardedOutcome(outcome) : outcome;
  return {
    version: number,
    rule: rule ? { index: index!, name: rule.name } : null,
    trial: trial ? { index: trial.index, name: trial.rule.name } : null,
    outcome: barred.length > 0 ? { ...asked, barred } : asked,
    ...(needs.person ||
    needs.networks ||
    facts.risk !== undefined ||
    facts.system !== undefined ||
    facts.browser !== undefined
      ? { facts: recordFacts(facts, ruled) }
      : {}),
    ...(codes ? { codes } : {}),
    ...(phones ? { phones } : {}),
    ...(rule?.grace && !guarded ? { grace: rule.grace } : {}),
    ...(rule && rule.rememberDays > 0 ? { remember: rule.rememberDays } : {}),
  };
}
