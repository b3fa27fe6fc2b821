import { readFileSync } from 'node:fs';
import { Ajv2020 } from 'ajv/dist/2020.js';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { parse, stringify as written } from 'yaml';
import { ROLES, WEEKDAYS } from '../vocabulary.js';
import {
  checkRulebook,
  compile,
  decide,
  editRulebook,
  explain,
  readRulebook,
  RULEBOOK_SCHEMA,
  WallClock,
  writeRulebook,
  type Facts,
  type Known,
  type Rulebook,
} from './index.js';

const DAY = 86_400_000;
const stringify = (value: unknown) => written(value, { aliasDuplicateObjects: false });
const NAMES = {
  groups: ['quay-crew', 'pilots', 'harbour-control', 'offices'],
  people: ['ines.marlow', 'bram.oster', 'piran.tallack'],
  applications: ['Berth Planner', 'Payroll', 'Vessel Traffic'],
  networks: ['tower', 'offices', 'anywhere'],
  countries: ['GB', 'NO'],
  cities: ['Wexmoor', 'Bergen'],
};
const ZONES = ['Europe/London', 'Pacific/Auckland', 'America/St_Johns', 'UTC'];
const SYSTEMS = ['windows', 'ios', 'linux'];
const START = Date.UTC(2026, 9, 20);
const dateOf = (offset: number) => new Date(START + offset * DAY).toISOString().slice(0, 10);

/** A condition as the text has it: some of these names, or none of them. */
const some = (key: string, names: readonly string[]) =>
  fc.tuple(fc.boolean(), fc.subarray([...names], { minLength: 1 })).map(([not, list]) => ({
    [not ? `not ${key}` : key]: list,
  }));
const optional = <T>(arbitrary: fc.Arbitrary<T>) => fc.option(arbitrary, { nil: {} as T, freq: 3 });
const merged = (...parts: fc.Arbitrary<object>[]) =>
  fc.tuple(...parts.map((part) => optional(part))).map((all) => Object.assign({}, ...all) as object);
const within = (key: string, inner: fc.Arbitrary<object>) =>
  inner.map((value) => (Object.keys(value).length > 0 ? { [key]: value } : {}));

const clockText = fc
  .tuple(fc.integer({ min: 0, max: 23 }), fc.constantFrom('00', '15', '30', '59'))
  .map(([hour, minute]) => `${String(hour).padStart(2, '0')}:${minute}`);
const times = fc.record(
  {
    days: fc.subarray([...WEEKDAYS], { minLength: 1 }),
    between: fc
      .tuple(clockText, clockText)
      .filter(([a, b]) => a !== b)
      .map(([a, b]) => `${a} and ${b}`),
    zone: fc.constantFrom('person', ...ZONES),
  },
  { requiredKeys: [] },
);
const outcome = fc.oneof(
  fc.constantFrom('let in', 'refuse', 'ask for phishing-resistant'),
  fc.constantFrom(
    { 'ask for': ['password + totp', 'webauthn(verified)'] },
    { 'ask whoever has one': ['password + totp'] },
  ),
  fc.constantFrom(1, 2, 3).map((level) => ({ 'ask for level': level })),
);
const plainRule = fc
  .tuple(
    merged(
      within('who', merged(some('groups', NAMES.groups), some('roles', ROLES), some('people', NAMES.people))),
      within('at', some('applications', NAMES.applications)),
      within(
        'from',
        merged(some('networks', NAMES.networks), some('countries', NAMES.countries), some('cities', NAMES.cities)),
      ),
      fc.record({ when: times }),
      fc.record({ 'risk at least': fc.constantFrom(0, 0.3, 0.6, 1) }),
      fc.record({ browser: fc.constantFrom('new', 'remembered') }),
      fc.record({ 'last proof older than': fc.constantFrom('30 minutes', '12 hours', '2 days') }),
      fc.record({
        system: fc
          .tuple(fc.constantFrom('any of', 'none of'), fc.subarray(SYSTEMS, { minLength: 1 }))
          .map(([key, list]) => ({ [key]: list })),
      }),
      fc.record({
        except: fc.array(
          fc
            .tuple(
              fc.constantFrom({ person: 'ines.marlow' }, { group: 'pilots' }),
              fc.integer({ min: -3, max: 12 }),
              fc.option(outcome, { nil: undefined }),
            )
            .map(([who, end, instead]) => ({
              ...who,
              reason: 'leave',
              until: dateOf(end),
              ...(instead === undefined ? {} : { instead }),
            })),
          { minLength: 1, maxLength: 2 },
        ),
      }),
      fc.record({
        state: fc.oneof(
          fc.constantFrom('in force', 'resting'),
          fc.integer({ min: -3, max: 12 }).map((end) => `on trial until ${dateOf(end)}`),
        ),
      }),
    ),
    outcome,
  )
  .map(([conditions, then]) => ({ ...conditions, then }));
const plainRulebook = fc
  .record({ rules: fc.array(plainRule, { maxLength: 8 }), otherwise: outcome })
  .map(({ rules, otherwise }) => ({
    form: 1,
    rules: rules.map((rule, i) => ({ rule: `rule ${i}`, ...rule })),
    otherwise,
  }));

const facts: fc.Arbitrary<Facts> = fc.record({
  person: fc.record({
    names: fc.constantFrom(...NAMES.people).map((name) => new Set([name, `id of ${name}`])),
    groups: fc.subarray(NAMES.groups).map((list) => new Set(list)),
    roles: fc.subarray([...ROLES], { maxLength: 1 }).map((list) => new Set(list)),
    zone: fc.constantFrom(...ZONES),
  }),
  application: fc.constantFrom(...NAMES.applications),
  networks: fc.subarray(NAMES.networks).map((list) => new Set(list)),
  countries: fc.subarray(NAMES.countries).map((list) => new Set(list)),
  cities: fc.subarray(NAMES.cities).map((list) => new Set(list)),
  // Over the weekend on which clocks change in Europe.
  at: fc.integer({ min: START, max: START + 10 * DAY }),
  risk: fc.option(fc.constantFrom(0, 0.3, 0.59, 0.6, 1), { nil: undefined }),
  browser: fc.constantFrom('new', 'remembered', undefined),
  system: fc.constantFrom('windows', 'ios', 'linux', undefined),
  lastProofAt: fc.option(fc.integer({ min: START - 3 * DAY, max: START + 10 * DAY }), { nil: undefined }),
});

/** A rule as its text says it. */
interface TypedRule {
  rule: string;
  then: unknown;
  state?: string;
  who?: Record<string, string[]>;
  at?: Record<string, string[]>;
  from?: Record<string, string[]>;
  when?: { days?: string[]; between?: string; zone?: string };
  'risk at least'?: number;
  browser?: string;
  'last proof older than'?: string;
  system?: Record<string, (string | undefined)[]>;
  except?: (Record<string, string> & { instead?: unknown })[];
}
const formats = new Map<string, Intl.DateTimeFormat>();
/** Such as `Mon 09:15`, as the runtime shows it. */
function shownAt(ms: number, zone: string): string {
  const format =
    formats.get(zone) ??
    new Intl.DateTimeFormat('en-GB', {
      timeZone: zone,
      weekday: 'short',
      hour: '2-digit',
      minute: '2-digit',
      hourCycle: 'h23',
    });
  formats.set(zone, format);
  return format.format(ms).replace(/^(\w+).*?(\d\d:\d\d).*$/, '$1 $2');
}

/** The evaluator written the naive way: straight from the plain text, sharing nothing with the one under test. */
function naively(text: string, f: Facts): { winner: string; outcome: unknown; trial: string | undefined } {
  const { rules, otherwise } = parse(text) as { rules: TypedRule[]; otherwise: unknown };
  const any = (list: string[] | undefined, held: ReadonlySet<string>) => (list ?? []).some((name) => held.has(name));
  const allows = (map: Record<string, string[]> | undefined, key: string, held: ReadonlySet<string>) =>
    (!map?.[key] || any(map[key], held)) && !any(map?.[`not ${key}`], held);
  const minutesOf = (written: string) => Number(written.slice(0, 2)) * 60 + Number(written.slice(3));
  const isTime = (when: { days?: string[]; between?: string; zone?: string } | undefined) => {
    if (!when) return true;
    const zone = !when.zone || when.zone === 'person' ? f.person.zone : when.zone;
    const shown = shownAt(f.at, zone);
    const today = WEEKDAYS.indexOf(shown.slice(0, 3).toLowerCase() as (typeof WEEKDAYS)[number]);
    const now = today * 1440 + minutesOf(/\d\d:\d\d/.exec(shown)![0]);
    const [from, to] = when.between ? when.between.split(' and ').map(minutesOf) : [0, 1440];
    const length = to! > from! ? to! - from! : to! - from! + 1440;
    return (when.days ?? WEEKDAYS).some((name) => {
      const begins = WEEKDAYS.indexOf(name as (typeof WEEKDAYS)[number]) * 1440 + from!;
      return [now, now + 7 * 1440].some((moment) => moment >= begins && moment < begins + length);
    });
  };
  const who = (map: Record<string, string[]> | undefined) => {
    const held = { groups: f.person.groups, roles: f.person.roles, people: f.person.names } as Record<
      string,
      ReadonlySet<string>
    >;
    const kinds = Object.keys(held);
    if (kinds.some((kind) => any(map?.[`not ${kind}`], held[kind]!))) return false;
    const named = kinds.filter((kind) => map?.[kind]);
    return named.length === 0 || named.some((kind) => any(map![kind], held[kind]!));
  };
  const units = { minutes: 60_000, hours: 3_600_000, days: DAY } as Record<string, number>;
  let trial: string | undefined;
  for (const rule of rules) {
    const state = String(rule.state ?? 'in force');
    if (state === 'resting') continue;
    const onTrial = state.startsWith('on trial');
    if (onTrial && new Date(f.at).toISOString().slice(0, 10) > state.slice(-10)) continue;
    const [count, unit] = String(rule['last proof older than'] ?? '0 minutes').split(' ');
    const holds =
      who(rule.who) &&
      allows(rule.at, 'applications', new Set([f.application])) &&
      ['networks', 'countries', 'cities'].every((key) => allows(rule.from, key, f[key as 'networks'] as Set<string>)) &&
      isTime(rule.when) &&
      (rule['risk at least'] === undefined || (f.risk ?? -1) >= rule['risk at least']) &&
      (rule.browser === undefined || rule.browser === f.browser) &&
      (rule['last proof older than'] === undefined ||
        f.lastProofAt === undefined ||
        f.at - f.lastProofAt > Number(count) * units[unit!]!) &&
      (!rule.system?.['any of'] || rule.system['any of'].includes(f.system)) &&
      !rule.system?.['none of']?.includes(f.system);
    const left = (rule.except ?? []).find(
      ({ person, group, until }) =>
        new Date(f.at).toISOString().slice(0, 10) <= until! &&
        ((person !== undefined && f.person.names.has(person)) || (group !== undefined && f.person.groups.has(group))),
    );
    if (!holds || (left && left.instead === undefined)) continue;
    if (!onTrial) return { winner: rule.rule, outcome: left?.instead ?? rule.then, trial };
    trial ??= rule.rule;
  }
  return { winner: 'otherwise', outcome: otherwise, trial };
}

const read = (text: string): Rulebook => {
  const { rulebook, problems } = readRulebook(text);
  if (!rulebook) throw new Error(JSON.stringify(problems));
  return rulebook;
};

describe('a rulebook', () => {
  it('decides as an evaluator written the naive way, and its explanation names the same winner', () => {
    fc.assert(
      fc.property(plainRulebook, fc.array(facts, { minLength: 5, maxLength: 5 }), (plain, cases) => {
        const text = stringify(plain);
        const compiled = compile(read(text));
        for (const one of cases) {
          const decision = decide(compiled, one);
          const expected = naively(text, one);
          expect(decision.rule?.name ?? 'otherwise').toBe(expected.winner);
          expect(decision.trial?.rule.name).toBe(expected.trial);
          expect(decision.outcome).toEqual(
            read(stringify({ form: 1, rules: [], otherwise: expected.outcome })).otherwise,
          );
          const told = explain(compiled, one);
          expect(told.decision).toEqual(decision);
          expect(told.rules.flatMap(({ rule, standing }) => (standing.startsWith('decides') ? rule.name : []))).toEqual(
            decision.rule ? [decision.rule.name] : [],
          );
          // Whoever reads why a rule did not apply finds a condition that does not hold.
          for (const story of told.rules)
            if (story.standing === 'does-not-apply') expect(story.conditions.some(({ holds }) => !holds)).toBe(true);
        }
      }),
      { numRuns: 200 },
    );
  }, 60_000);

  it('is the same after being written and read again', () => {
    fc.assert(
      fc.property(plainRulebook, (plain) => {
        const rulebook = read(stringify(plain));
        expect(read(writeRulebook(rulebook))).toEqual(rulebook);
      }),
    );
  }, 60_000);

  it('fits its JSON Schema, which refuses what is no rulebook by its shape, and is published as it is', () => {
    const fits = new Ajv2020({ strict: false }).compile(RULEBOOK_SCHEMA);
    fc.assert(
      fc.property(plainRulebook, (plain) => {
        expect(fits(plain) || fits.errors).toBe(true);
        expect(fits(parse(writeRulebook(read(stringify(plain))))) || fits.errors).toBe(true);
      }),
    );
    const good = { form: 1, rules: [{ rule: 'A', then: 'let in' }], otherwise: 'refuse' };
    expect(fits(good)).toBe(true);
    for (const wrong of [
      { ...good, form: 2 },
      { ...good, otherwise: 'ask nicely' },
      { ...good, rules: [{ rule: 'A' }] },
      { ...good, rules: [{ rule: 'A', then: 'let in', thn: 'refuse' }] },
      { ...good, rules: [{ rule: 'A', then: { 'ask for': ['password + tptp'] } }] },
      { ...good, rules: [{ rule: 'A', then: { 'ask for': [] } }] },
      { ...good, rules: [{ rule: 'A', then: 'let in', who: { groups: ['a'], 'not groups': ['b'] } }] },
      { ...good, rules: [{ rule: 'A', then: 'let in', except: [{ reason: 'x', until: '2027-01-01' }] }] },
    ])
      expect(fits(wrong), JSON.stringify(wrong)).toBe(false);
    const published = JSON.parse(
      readFileSync(new URL('../../../../docs/rulebook.schema.json', import.meta.url), 'utf8'),
    ) as unknown;
    expect(published).toEqual(JSON.parse(JSON.stringify(RULEBOOK_SCHEMA)));
  }, 60_000);

  it('keeps comments, order and spelling of everything that an edit does not touch', () => {
    const text = `# The port's rules. Ask Ines before changing them.
form: 1
rules:
  # The tower works round the clock.
  - rule: Tower
    who: { groups: [harbour-control] } # three shifts
    from: { networks: [tower] }
    then: let in
  # Everybody else
  - rule: Staff
    then:
      ask for: [password + totp, "webauthn(verified)"]   # recommended first
    once a session: true
otherwise: refuse # always
`;
    const [tower, staff] = read(text).rules;
    const moved = editRulebook(text, { kind: 'move', at: 1, to: 0 });
    expect(read(moved).rules.map((rule) => rule.name)).toEqual(['Staff', 'Tower']);
    expect(moved.indexOf('# Everybody else')).toBeLessThan(moved.indexOf('rule: Staff'));
    expect(moved.indexOf('# The tower works')).toBeGreaterThan(moved.indexOf('rule: Staff'));
    expect(moved.indexOf('# The tower works')).toBeLessThan(moved.indexOf('rule: Tower'));
    const put = editRulebook(text, {
      kind: 'put',
      at: 0,
      rule: { ...tower!, rememberDays: 7, conditions: { ...tower!.conditions, riskAtLeast: 0.5 } },
    });
    expect(read(put).rules[0]).toMatchObject({ rememberDays: 7, conditions: { riskAtLeast: 0.5 } });
    for (const comment of [
      "# The port's rules.",
      '# three shifts',
      '# recommended first',
      '# always',
      '# The tower works',
      '# Everybody else',
    ])
      expect(put).toContain(comment);
    expect(put).toMatch(/risk at least: 0\.5\n {4}then: let in\n {4}remember browser: 7 days/);
    const inserted = editRulebook(text, { kind: 'insert', at: 1, rule: { ...staff!, name: 'Between' } });
    expect(read(inserted).rules.map((rule) => rule.name)).toEqual(['Tower', 'Between', 'Staff']);
    expect(read(editRulebook(text, { kind: 'remove', at: 0 })).rules).toEqual([staff]);
    const other = editRulebook(text, { kind: 'otherwise', outcome: { kind: 'level', level: 2 } });
    expect(read(other).otherwise).toEqual({ kind: 'level', level: 2 });
    expect(() => editRulebook(text, { kind: 'remove', at: 2 })).toThrow(RangeError);
  });

  it('takes any sequence of edits and stays a rulebook with those rules', () => {
    fc.assert(
      fc.property(
        plainRulebook,
        plainRulebook,
        fc.array(fc.tuple(fc.nat(9), fc.nat(9)), { maxLength: 6 }),
        (plain, others, steps) => {
          let text = stringify(plain);
          const rules = [...read(text).rules];
          const spare = read(stringify(others)).rules.map((rule) => ({ ...rule, name: `other ${rule.name}` }));
          steps.forEach(([a, b], i) => {
            const at = rules.length > 0 ? a % rules.length : 0;
            const rule = spare[i % Math.max(1, spare.length)];
            if (b % 3 === 0 && rule && !rules.some((one) => one.name === rule.name)) {
              text = editRulebook(text, { kind: 'insert', at, rule });
              rules.splice(at, 0, rule);
            } else if (rules.length > 0 && b % 3 === 1) {
              text = editRulebook(text, { kind: 'move', at, to: b % rules.length });
              rules.splice(b % rules.length, 0, ...rules.splice(at, 1));
            } else if (rules.length > 0 && rule) {
              const put = { ...rule, name: rules[at]!.name };
              text = editRulebook(text, { kind: 'put', at, rule: put });
              rules[at] = put;
            }
            expect(read(text).rules).toEqual(rules);
          });
        },
      ),
      { numRuns: 60 },
    );
  }, 60_000);
});

describe('what a rulebook probably did not mean', () => {
  const known: Known = {
    groups: new Map([
      ['quay-crew', 12],
      ['pilots', 0],
    ]),
    people: new Set(['ines.marlow']),
    applications: new Set(['Payroll']),
    networks: new Set(),
    countries: new Set(),
    cities: new Set(),
    ownPlaces: new Set(),
  };
  const check = (rules: string) =>
    checkRulebook(read(`form: 1\nrules:\n${rules}\notherwise: refuse\n`), known, Date.UTC(2026, 10, 23));

  it('is found: names of nothing, empty groups, what is over', () => {
    expect(
      check(`  - rule: A
    who: { groups: [quay-crew, pilots, nobody] }
    at: { not applications: [Paywall] }
    except:
      - { person: ines.marlow, reason: abroad, until: 2026-11-22 }
      - { person: ghost, reason: none, until: 2026-11-23 }
    grace: { days: 14, last day: 2026-01-31 }
    then: let in
  - rule: B
    state: on trial until 2026-11-22
    then: refuse`).map((finding) => finding.what),
    ).toEqual([
      'grace-over',
      'exception-ended',
      'name-unknown',
      'name-unknown',
      'name-unknown',
      'group-empty',
      'trial-over',
    ]);
  });

  it('is never reached only if no sign-in whatever reaches it', () => {
    expect(
      check('  - { rule: All, then: let in }\n  - { rule: Some, at: { applications: [Payroll] }, then: refuse }'),
    ).toEqual([{ what: 'never-reached', rule: 1, because: 0 }]);
    // A rule behind one that says a part of the same, somewhere in a rulebook.
    const hiding = fc
      .tuple(plainRulebook, plainRule, fc.infiniteStream(fc.boolean()), fc.nat(7))
      .map(([plain, later, keep, at]) => {
        const bare = Object.entries(later).filter(([key]) => !['state', 'except', 'then'].includes(key));
        const earlier = Object.fromEntries(bare.filter(() => keep.next().value));
        const rules = [...plain.rules];
        rules.splice(at, 0, { rule: 'earlier', then: 'refuse', ...earlier } as never);
        return { ...plain, rules: [...rules, { rule: 'later', ...later }] };
      });
    const told = { hidden: 0 };
    fc.assert(
      fc.property(hiding, fc.array(facts, { minLength: 20, maxLength: 20 }), (plain, cases) => {
        const rulebook = read(stringify(plain));
        const compiled = compile(rulebook);
        const last = rulebook.rules.length - 1;
        const found = checkRulebook(rulebook, known, START).filter((finding) => finding.what === 'never-reached');
        if (rulebook.rules[last]!.state.kind !== 'resting')
          expect(found.map((finding) => finding.rule)).toContain(last);
        for (const finding of found) {
          told.hidden += 1;
          for (const one of cases) expect(decide(compiled, one).index).not.toBe(finding.rule);
        }
      }),
    );
    expect(told.hidden).toBeGreaterThan(20);
  }, 60_000);
});

describe('clocks on the wall', () => {
  it('show what the runtime shows in any zone at any moment, over every change of the clocks', () => {
    const clock = new WallClock();
    const zones = [...ZONES, 'Asia/Kathmandu', 'Australia/Lord_Howe', 'America/New_York', 'Africa/Casablanca'];
    fc.assert(
      fc.property(fc.constantFrom(...zones), fc.integer({ min: 0, max: Date.UTC(2040, 0) }), (zone, at) => {
        const { day, minute } = clock.at(at, zone);
        const hours = `${String(Math.floor(minute / 60)).padStart(2, '0')}:${String(minute % 60).padStart(2, '0')}`;
        expect(`${WEEKDAYS[day]} ${hours}`).toBe(shownAt(at, zone).toLowerCase());
      }),
      { numRuns: 2_000 },
    );
  });
});
