import { FIRST_NAMES, LAST_NAMES, PEOPLE, type GroupName, type Held } from './world.js';

/** One made-up person, before anything is written. */
export interface Resident {
  readonly displayName: string;
  readonly loginName: string;
  /** The short form of the domain: first letter, last name. */
  readonly domainName: string;
  readonly group: GroupName;
  readonly held: Held;
  readonly leaver: boolean;
  /** What stands on the phone that the port gave them; null where they bring their own. */
  readonly serial: string | null;
  /** Which of the three shifts of the tower; 0 elsewhere. */
  readonly shift: number;
}

/** How the port's people are spread over its groups. */
const SHARES: readonly (readonly [group: GroupName, share: number])[] = [
  ['quay-crew', 0.36],
  ['port-offices', 0.22],
  ['contractors', 0.16],
  ['customs-desk', 0.11],
  ['pilots', 0.08],
  ['harbour-control', 0.07],
];

/** Who holds an app, by group; about a third of all. */
const WITH_APP: Readonly<Record<GroupName, number>> = {
  'quay-crew': 0.14,
  'port-offices': 0.52,
  contractors: 0.3,
  'customs-desk': 0.48,
  pilots: 0.42,
  'harbour-control': 0.75,
  emergency: 0,
};

function pick<T>(of: readonly (readonly [T, number])[], chance: number): T {
  let left = chance;
  for (const [value, share] of of) {
    left -= share;
    if (left < 0) return value;
  }
  return of[of.length - 1]![0];
}

/**
 * The people of the port, `count` of them: first those whom the documentation speaks of, then as many as are wanted.
 * The same seed gives the same people, and a larger population begins with the smaller one.
 */
export function* population(count: number, random: () => number): Generator<Resident> {
  let made = 0;
  const names = new Names();
  for (const { name, group, held, leaver } of PEOPLE) {
    if (made++ >= count) return;
    yield {
      displayName: name,
      ...names.of(name),
      group,
      held,
      leaver: leaver ?? false,
      serial: serialOf(group, made),
      shift: made % 3,
    };
  }
  const taken = new Set(PEOPLE.map((one) => one.name));
  const pairs = FIRST_NAMES.length * LAST_NAMES.length;
  for (let i = 0; made < count; i++) {
    // A step that shares no factor with the number of pairs walks through all of them before any comes again.
    const at = (i * 7_919) % pairs;
    const first = FIRST_NAMES[at % FIRST_NAMES.length]!;
    const last = LAST_NAMES[Math.floor(at / FIRST_NAMES.length)]!;
    const round = Math.floor(i / pairs);
    const middle = round === 0 ? '' : ` ${FIRST_NAMES[(round * 31 + at) % FIRST_NAMES.length]![0]!}.`;
    if (round === 0 && taken.has(`${first} ${last}`)) continue;
    const group = pick(SHARES, random());
    const chance = random();
    const held: Held =
      chance < WITH_APP[group]
        ? 'password and app'
        : chance < 0.93
          ? 'password'
          : chance < 0.96
            ? 'app not proven'
            : 'nothing';
    made += 1;
    const displayName = `${first}${middle} ${last}`;
    yield {
      displayName,
      ...names.of(displayName),
      group,
      held,
      leaver: random() < 0.03,
      serial: serialOf(group, made),
      shift: Math.floor(random() * 3),
    };
  }
}

/** The port's own phones are numbered in steps, so that one wrong digit names no other; contractors bring theirs. */
const serialOf = (group: GroupName, nth: number): string | null =>
  group === 'contractors' ? null : `WX-${String(40_000 + nth * 7)}`;

/** Login names, each given once: the second of the same name gets a 2 behind it. */
class Names {
  readonly #given = new Map<string, number>();

  of(displayName: string): Pick<Resident, 'loginName' | 'domainName'> {
    const words = displayName
      .normalize('NFKD')
      .replace(/[^a-zA-Z ]/g, '')
      .toLowerCase()
      .split(' ');
    const [first, last] = [words[0]!, words[words.length - 1]!];
    return { loginName: this.#next(`${first}.${last}`), domainName: this.#next(`wex\\${first[0]!}${last}`) };
  }

  #next(name: string): string {
    const before = this.#given.get(name) ?? 0;
    this.#given.set(name, before + 1);
    return before === 0 ? name : `${name}${before + 1}`;
  }
}

/** Hours of the day at which somebody of a group tends to sign in, in UTC. */
export function hourOf(who: Resident, random: () => number): number {
  const within = (from: number, hours: number) => (from + random() * hours) % 24;
  switch (who.group) {
    case 'harbour-control':
      // Early, late and night shift; most sign in as they take over.
      return within([5.7, 13.7, 21.7][who.shift]!, random() < 0.7 ? 1 : 8);
    case 'pilots':
      return within(0, 24);
    case 'quay-crew':
      return within(5.5, 14);
    case 'contractors':
      return random() < 0.6 ? within(8, 9) : within(19, 3);
    default:
      return random() < 0.75 ? within(7, 3) : within(10, 8);
  }
}

/** How likely somebody signs in on a day. */
export function presence(who: Resident, weekday: number): number {
  const weekend = weekday === 0 || weekday === 6;
  if (who.group === 'harbour-control') return 0.62;
  if (who.group === 'pilots') return 0.55;
  if (who.group === 'quay-crew') return weekend ? 0.25 : 0.6;
  return weekend ? 0.05 : 0.72;
}
