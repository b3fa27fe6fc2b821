/**
 * The benchmark of decisions: a rulebook of 200 rules, people in 100 groups each, one core. Beside it the bare limit of
 * the same walk: as many look-ups in sets as the rules make, with nothing around them.
 */
import { cpus } from 'node:os';
import { compile, decide, explain, readRulebook } from '@nimble-latch/core/rulebook';

const RULES = 200;
const GROUPS = 100;
const SECONDS = Number(process.env.NLATCH_BENCH_SECONDS ?? 3);
const GOAL = 200_000;

/** Rules of every kind, most about people who are somewhere else: most of a rulebook is passed over. */
function rulebook(last) {
  const rules = Array.from({ length: RULES - 1 }, (_, i) => {
    const kinds = [
      `    who: { groups: [other-${i}, other-${i + 1}] }`,
      `    who: { groups: [other-${i}] }\n    from: { not networks: [tower] }`,
      `    at: { applications: [Payroll ${i}] }`,
      `    who: { not groups: [group-${i % GROUPS}] }\n    risk at least: 0.6`,
      `    when: { days: [sat, sun], between: "22:00 and 06:00" }\n    who: { groups: [group-${i % GROUPS}] }`,
      `    who: { groups: [other-${i}] }\n    except: [{ person: p${i}, reason: leave, until: 2099-01-01 }]`,
    ];
    return `  - rule: rule ${i}\n${kinds[i % kinds.length]}\n    then: { ask for: [password + totp, webauthn(verified)] }`;
  });
  return `form: 1\nrules:\n${rules.join('\n')}\n  - rule: last\n    who: { groups: [${last}] }\n    then: let in\notherwise: refuse\n`;
}

/** One text for each group, shared by all who are in it, as a service keeps its groups. */
const groupNames = Array.from({ length: GROUPS + 20 }, (_, g) => `group-${g}`);
const people = Array.from({ length: 500 }, (_, p) => ({
  names: new Set([`p${p}`, `p${p}@wexmoor.example`]),
  groups: new Set(Array.from({ length: GROUPS }, (_, g) => groupNames[(g + p) % groupNames.length])),
  roles: new Set(),
  zone: ['Europe/London', 'Europe/Oslo', 'America/Halifax'][p % 3],
}));
/** A Wednesday at noon, and a moment later for each sign-in. */
const START = Date.UTC(2026, 10, 25, 12);
const factsOf = (i) => ({
  person: people[i % people.length],
  application: 'Berth Planner',
  networks: new Set(['tower']),
  countries: new Set(['GB']),
  cities: new Set(['Wexmoor']),
  at: START + (i % 600) * 1_000,
  risk: 0.2,
  browser: 'new',
  system: 'windows',
  lastProofAt: undefined,
});
const cases = Array.from({ length: 5_000 }, (_, i) => factsOf(i));

/** Calls a second, best of three: what the machine can do when nothing else wants it. */
function rate(call) {
  let best = 0;
  for (let run = 0; run < 3; run++) {
    const end = performance.now() + (SECONDS * 1000) / 3;
    const begun = performance.now();
    let calls = 0;
    while (performance.now() < end) for (let i = 0; i < 200; i++) call(cases[calls++ % cases.length]);
    best = Math.max(best, calls / ((performance.now() - begun) / 1000));
  }
  return best;
}

const read = readRulebook(rulebook('group-3'));
const compiled = compile(read.rulebook);
let sum = 0;
// As a sign-in meets it: a person just read, nothing of them remembered.
const decisions = rate((facts) => (sum += decide(compiled, facts).index ?? 0));
const [one] = people;
const again = rate((facts) => {
  facts.person = one;
  sum += decide(compiled, facts).index ?? 0;
});
const names = Array.from({ length: RULES }, (_, i) => `other-${i}`);
const bare = rate(({ person }) => {
  for (const name of names) if (person.groups.has(name)) sum += 1;
});
const explained = rate((facts) => (sum += explain(compiled, facts).rules.length));
const text = rulebook('group-3');
const begun = performance.now();
for (let i = 0; i < 20; i++) readRulebook(text);
const reading = (performance.now() - begun) / 20;

process.stdout.write(
  [
    `Machine: ${cpus()[0].model}, Node ${process.version}; ${RULES} rules, ${GROUPS} groups a person, one core`,
    `decisions   ${Math.round(decisions)} a second, each for a person just read   goal: at least ${GOAL}   ${decisions >= GOAL ? 'met' : 'NOT met'}`,
    `again       ${Math.round(again)} a second, for one person at one application after the other, as a rehearsal does`,
    `bare        ${Math.round(bare)} a second: ${RULES} look-ups in a set of ${GROUPS}; ratio ${(decisions / bare).toFixed(2)}`,
    `explained   ${Math.round(explained)} a second, every rule with each of its conditions`,
    `read        ${reading.toFixed(1)} ms for the text of it (${sum > 0 ? 'checked' : ''})`,
    '',
  ].join('\n'),
);
