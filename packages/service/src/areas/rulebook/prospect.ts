import type { Usable } from '@nimble-latch/core/assurance';
import { decide, type Facts, type Rulebook } from '@nimble-latch/core/rulebook';
import { foresee, leastFor, type Foreseen, type Least, type Requirement } from '@nimble-latch/core/signin';
import type { PromptKind } from '@nimble-latch/core/vocabulary';
import type { RunningMethods } from '../methods/cache.js';
import { requirementOf } from './facts.js';
import type { RunningRulebook } from './running.js';

/** What applications over HTTP can show. */
const CARRIES: readonly PromptKind[] = ['password', 'code'];
const DAY_MS = 86_400_000;
/** Answers that are kept: as many as there are kinds of people, applications and networks in a large organisation. */
const MOST_KEPT = 50_000;

/** What decides: the rulebook, and which methods may be used. */
export interface InForce {
  readonly running: RunningRulebook;
  readonly methods: RunningMethods;
}

/** Somebody at some place, with what they hold there. */
export interface Asking {
  readonly facts: Facts;
  /** As {@link classOf} has it, with the place: who shares it is asked the same. */
  readonly alike: string;
  readonly keyring: readonly Usable[];
  /** As {@link holdsOf} has it. */
  readonly holds: string;
  /** The application vouches for the password. */
  readonly vouched: boolean;
  /** The place can ask for a PIN of the person's own. */
  readonly renews: boolean;
}

/** What of a keyring ways go by, in one text: most people hold the same. */
export function holdsOf(keyring: readonly Usable[]): string {
  const carriers = [...new Set(keyring.map((one) => one.carrier))];
  return keyring.map((one) => `${one.method}(${one.can.join()})${carriers.indexOf(one.carrier)}`).join();
}

/** Whom rules name themselves, and whether they go by when somebody last proved something. */
function namedBy({ rules }: Rulebook): { readonly people: ReadonlySet<string>; readonly lastProof: boolean } {
  const people = rules.flatMap(({ conditions, except }) => [
    ...(conditions.people?.names ?? []),
    ...except.flatMap(({ person }) => person ?? []),
  ]);
  return {
    people: new Set(people),
    lastProof: rules.some(({ conditions }) => conditions.lastProofOlderThan !== undefined),
  };
}

/**
 * What of a person the rulebooks that are compared can go by, in one text. Whoever shares it is decided alike, so that each kind of
 * person is decided once however many there are.
 */
export function classesFor(
  rulebooks: readonly RunningRulebook[],
): (person: Facts['person'], lastProofAt?: number) => string {
  const named = rulebooks.map(({ compiled }) => namedBy(compiled.rulebook));
  const people = new Set(named.flatMap((one) => [...one.people]));
  const lastProof = named.some((one) => one.lastProof);
  return ({ names, groups, roles, zone }, lastProofAt) =>
    [
      [...groups].sort().join(),
      [...roles].sort().join(),
      zone,
      [...names].filter((name) => people.has(name)).join(),
      lastProof ? (lastProofAt ?? '') : '',
    ].join('|');
}

/** What people would meet by a rulebook; the same question for many people is answered once, as most hold the same. */
export class Prospect {
  readonly #rulebook: RunningRulebook;
  readonly #methods: RunningMethods;
  readonly #requirements = new Map<string, Requirement>();
  /** What of each requirement an answer goes by. */
  readonly #asked = new WeakMap<Requirement, string>();
  readonly #foreseen = new Map<string, Foreseen>();
  readonly #least = new Map<string, Least | undefined>();

  constructor({ running, methods }: InForce) {
    this.#rulebook = running;
    this.#methods = methods;
  }

  #requirement({ facts, alike }: Asking): Requirement {
    let known = this.#requirements.get(alike);
    if (!known) {
      if (this.#requirements.size >= MOST_KEPT) this.#requirements.clear();
      known = requirementOf(this.#rulebook, decide(this.#rulebook.compiled, facts), facts, this.#methods);
      this.#requirements.set(alike, known);
    }
    return known;
  }

  #question(requirement: Requirement, { holds, vouched, renews }: Asking): string {
    let asked = this.#asked.get(requirement);
    if (asked === undefined) {
      // Not the rule alone: an exception of it may say what holds instead.
      const { outcome, grace, remember, codes } = requirement;
      asked = JSON.stringify([outcome, grace, remember, codes?.totp?.pin, codes?.hotp?.pin]);
      this.#asked.set(requirement, asked);
    }
    return `${asked} ${vouched} ${holds} ${renews}`;
  }

  meets(asking: Asking): Foreseen {
    const requirement = this.#requirement(asking);
    const question = this.#question(requirement, asking);
    let answer = this.#foreseen.get(question);
    if (!answer) {
      const { keyring, vouched, renews, facts } = asking;
      const carries = renews ? ([...CARRIES, 'new-pin'] as const) : CARRIES;
      answer = foresee(requirement, keyring, carries, vouched, facts.at, endOfGrace(requirement));
      if (this.#foreseen.size >= MOST_KEPT) this.#foreseen.clear();
      this.#foreseen.set(question, answer);
    }
    return answer;
  }

  /** The least with which they get in; undefined where they do not. */
  least(asking: Asking): Least | undefined {
    const requirement = this.#requirement(asking);
    const question = this.#question(requirement, asking);
    if (this.#least.has(question)) return this.#least.get(question);
    const overGrace = requirement.grace && endOfGrace(requirement)! < asking.facts.at;
    const { grace: _, ...strictly } = requirement;
    const answer = leastFor(overGrace ? strictly : requirement, asking.keyring, asking.vouched);
    if (this.#least.size >= MOST_KEPT) this.#least.clear();
    this.#least.set(question, answer);
    return answer;
  }
}

/** Days of grace count from when each is first asked; here, as long as they may last for anybody. */
const endOfGrace = ({ grace }: Requirement) => grace && Date.parse(`${grace.lastDay}T00:00:00Z`) + DAY_MS;
