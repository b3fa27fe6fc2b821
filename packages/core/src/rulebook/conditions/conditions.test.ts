import { describe, expect, it } from 'vitest';
import { RULE_CONDITIONS, type RuleCondition } from '../../vocabulary.js';
import { WallClock } from '../clock.js';
import type { Facts } from '../facts.js';
import type { Conditions } from '../form.js';
import { recallFacts, recordFacts } from '../recorded.js';
import { readRulebook, RULE_KEYS } from '../text.js';
import { writeRulebook } from '../write.js';
import { CONDITION_KEYS, CONDITIONS, CONDITIONS_BY_COST } from './index.js';

const NOON = Date.UTC(2026, 10, 25, 12);
const FACTS: Facts = {
  person: { names: new Set(['ines']), groups: new Set(['pilots']), roles: new Set(['auditor']), zone: 'Asia/Tokyo' },
  application: 'payroll',
  networks: new Set(['tower']),
  countries: new Set(['GB']),
  cities: new Set(['Wexmoor']),
  at: NOON,
  risk: 0.6,
  browser: 'new',
  system: 'ios',
  lastProofAt: NOON - 3_600_000,
};
const some = <T extends string>(...names: T[]) => ({ not: false, names });
const none = <T extends string>(...names: T[]) => ({ not: true, names });

/** Of each condition: one that the sign-in above meets, one that it does not, and one that the first subsumes. */
const SAID: Readonly<Record<RuleCondition, readonly [met: Conditions, missed: Conditions, narrower: Conditions]>> = {
  who: [{ groups: some('pilots', 'crew') }, { people: none('ines') }, { groups: some('pilots') }],
  applications: [{ applications: none('berths') }, { applications: some('berths') }, { applications: some('payroll') }],
  networks: [{ networks: some('tower', 'quay') }, { networks: none('tower') }, { networks: some('tower') }],
  countries: [{ countries: some('GB', 'IE') }, { countries: none('GB') }, { countries: some('GB') }],
  cities: [{ cities: none('Porth') }, { cities: some('Porth') }, { cities: none('Porth', 'Quay End') }],
  times: [
    { times: { days: ['wed'], from: 20 * 60, to: 22 * 60, zone: 'person' } },
    { times: { days: ['wed'], from: 20 * 60, to: 22 * 60, zone: 'UTC' } },
    { times: { days: ['wed'], from: 20 * 60, to: 22 * 60, zone: 'person' } },
  ],
  risk: [{ riskAtLeast: 0.6 }, { riskAtLeast: 0.7 }, { riskAtLeast: 0.9 }],
  browser: [{ browser: 'new' }, { browser: 'remembered' }, { browser: 'new' }],
  'last-proof': [{ lastProofOlderThan: 30 }, { lastProofOlderThan: 60 }, { lastProofOlderThan: 90 }],
  systems: [{ systems: none('windows') }, { systems: some('windows') }, { systems: some('ios') }],
};

describe.each(RULE_CONDITIONS)('the condition %s', (kind) => {
  const spec = CONDITIONS.find((one) => one.kind === kind)!;
  const [met, missed, narrower] = SAID[kind];
  const holds = (conditions: Conditions, facts = FACTS) => spec.test(conditions, new WallClock())?.(facts);

  it('is met, is missed, and is not asked where a rule says nothing of it', () => {
    expect([holds(met), holds(missed), holds({})]).toEqual([true, false, undefined]);
  });

  it('goes later by what is kept of the facts', () => {
    const kept = JSON.parse(JSON.stringify(recordFacts(FACTS, ['crew', 'pilots']))) as ReturnType<typeof recordFacts>;
    const recalled = recallFacts(kept, ['crew', 'pilots'], 'ines', 'payroll', NOON);
    expect([holds(met, recalled), holds(missed, recalled)]).toEqual([true, false]);
    // What it goes by is its own to keep.
    if (kind !== 'applications') expect(Object.keys(spec.record(FACTS, ['crew', 'pilots'])).length).toBeGreaterThan(0);
  });

  it('subsumes what is narrower, anything where it is not asked, and nothing wider', () => {
    const subsumes = (earlier: Conditions, later: Conditions) => spec.subsumes(spec.scope(earlier), spec.scope(later));
    expect(subsumes(met, met)).toBe(true);
    expect(subsumes(met, narrower)).toBe(true);
    expect(subsumes({}, met)).toBe(true);
    expect(subsumes(met, {})).toBe(false);
    expect(subsumes(met, missed)).toBe(missed.riskAtLeast !== undefined || missed.lastProofOlderThan !== undefined);
    // A rule that it covers is found by what it names itself.
    const handles = spec.handles(met);
    if (handles.length > 0) for (const handle of spec.handles(narrower)) expect(handles).toContain(handle);
  });

  it('stands in a rule’s text as it is read', () => {
    for (const conditions of [met, missed, narrower]) {
      const rule = {
        name: 'one',
        state: { kind: 'in-force' },
        conditions,
        except: [],
        then: { kind: 'refuse' },
      } as const;
      const rules = [{ ...rule, rememberDays: 0, oncePerSession: false }];
      const text = writeRulebook({ rules, otherwise: { kind: 'refuse' } });
      expect(text).toContain(`${spec.text.key}:`);
      expect(readRulebook(text).rulebook!.rules[0]!.conditions).toEqual(conditions);
    }
  });
});

it('every condition has its place in the text and in the order of deciding, once', () => {
  expect(CONDITIONS.map(({ kind }) => kind)).toEqual(RULE_CONDITIONS);
  expect(CONDITIONS_BY_COST.map(({ kind }) => kind).sort()).toEqual([...RULE_CONDITIONS].sort());
  expect(new Set(RULE_KEYS).size).toBe(RULE_KEYS.length);
  for (const key of CONDITION_KEYS) expect(RULE_KEYS).toContain(key);
});
