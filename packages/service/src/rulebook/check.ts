import type { Answer } from '@nimble-latch/api';
import { assuranceOf, writeWay, type Way } from '@nimble-latch/core/assurance';
import {
  checkRulebook,
  readRulebook,
  type Finding,
  type Known,
  type Outcome,
  type Rule,
  type Rulebook,
} from '@nimble-latch/core/rulebook';
import { select, type Db } from '../db/sql.js';
import type { AreaHandlers, Handler } from '../http/call.js';
import { readNetworks } from '../networks/table.js';

type Checked = Answer<'rulebook.check'>;
type ShownOutcome = NonNullable<Checked['rulebook']>['otherwise'];

const shownWay = (way: Way) => ({ way: writeWay(way), ...assuranceOf(way) });
const shownOutcome = (outcome: Outcome): ShownOutcome =>
  'ways' in outcome ? { kind: outcome.kind, ways: outcome.ways.map(shownWay) } : outcome;
const shownRule = (rule: Rule): NonNullable<Checked['rulebook']>['rules'][number] =>
  ({ ...rule, then: shownOutcome(rule.then) }) as NonNullable<Checked['rulebook']>['rules'][number];

/** The names that a rulebook uses and that are there, in its own spelling; the database compares without regard to case. */
async function knownNames(db: Db, { rules }: Rulebook): Promise<Known> {
  const used = (of: (rule: Rule) => readonly (string | undefined)[]) => [
    ...new Set(rules.flatMap((rule) => of(rule).filter((name) => name !== undefined))),
  ];
  const groups = used(({ conditions, except }) => [
    ...(conditions.groups?.names ?? []),
    ...except.map((one) => one.group),
  ]);
  const people = used(({ conditions, except }) => [
    ...(conditions.people?.names ?? []),
    ...except.map((one) => one.person),
  ]);
  const applications = used(({ conditions }) => conditions.applications?.names ?? []);
  const there = async <Row extends { name: string }>(sql: string, names: readonly string[]) => {
    const rows = names.length === 0 ? [] : await select<Row>(db, sql, { names });
    const byName = new Map(rows.map((row) => [row.name.toLowerCase(), row]));
    return names.flatMap((name) => {
      const row = byName.get(name.toLowerCase());
      return row ? [{ name, row }] : [];
    });
  };
  const [foundGroups, foundPeople, foundApplications, networks] = await Promise.all([
    there<{ name: string; people: number }>(
      `SELECT g.name, EXISTS (SELECT 1 FROM group_members m WHERE m.group_id = g.id OR m.group_id IN
         (SELECT part_id FROM group_closure c WHERE c.whole_id = g.id)) AS people FROM person_groups g WHERE g.name IN (:names)`,
      groups,
    ),
    there<{ name: string }>('SELECT value AS name FROM login_names WHERE value IN (:names)', people),
    there<{ name: string }>('SELECT name FROM applications WHERE name IN (:names)', applications),
    readNetworks(db),
  ]);
  return {
    groups: new Map(foundGroups.map(({ name, row }) => [name, Number(row.people)])),
    people: new Set(foundPeople.map(({ name }) => name)),
    applications: new Set(foundApplications.map(({ name }) => name)),
    networks: new Set(networks.map((network) => network.name)),
    countries: new Set(networks.flatMap((network) => network.country ?? [])),
    cities: new Set(networks.flatMap((network) => network.city ?? [])),
  };
}

/** A finding with the names and days that its sentence tells. */
function shownFinding({ rules }: Rulebook, finding: Finding): Checked['findings'][number] {
  const rule = rules[finding.rule]!;
  const told = (facts: Record<string, string>) => ({ what: finding.what, rule: rule.name, facts });
  switch (finding.what) {
    case 'never-reached':
      return told({ because: rules[finding.because]!.name });
    case 'exception-ended': {
      const { person, group, until } = rule.except[finding.exception]!;
      return told({ name: person ?? group ?? '', until });
    }
    case 'trial-over':
      return told({ until: rule.state.kind === 'on-trial' ? rule.state.until : '' });
    case 'grace-over':
      return told({ until: rule.grace?.lastDay ?? '' });
    case 'name-unknown':
      return { ...told({ name: finding.name }), kind: finding.kind };
    case 'group-empty':
      return told({ name: finding.name });
  }
}

const checkText: Handler<'rulebook.check'> = async (deps, { body }) => {
  const { rulebook, problems } = readRulebook(body.text);
  if (!rulebook) return { answer: { problems: [...problems], rulebook: null, findings: [] } };
  const known = await knownNames(deps, rulebook);
  return {
    answer: {
      problems: [],
      rulebook: { rules: rulebook.rules.map(shownRule), otherwise: shownOutcome(rulebook.otherwise) },
      findings: checkRulebook(rulebook, known, deps.now().getTime()).map((finding) => shownFinding(rulebook, finding)),
    },
  };
};

export const rulebookHandlers: AreaHandlers<'rulebook.check'> = { 'rulebook.check': checkText };
