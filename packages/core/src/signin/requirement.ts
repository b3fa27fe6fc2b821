import { assuranceOf, MOST_PROOFS, serveWay, type Usable, type Way, type WayProof } from '../assurance/index.js';
import { specOf, type CodeRules, type PhoneRules, type PinnedMethod } from '../methods/index.js';
import type { Outcome } from '../rulebook/form.js';
import type { Signal } from '../risk/index.js';
import type { RecordedFacts } from '../rulebook/facts.js';
import type { Method, PromptKind } from '../vocabulary.js';

/** What was decided for a sign-in when it began: by which rule of which version, and what it asks. */
export interface Requirement {
  /** The published version of the rulebook. */
  readonly version: number;
  /** The rule's place, from 0, and its name; null for *otherwise*. */
  readonly rule: { readonly index: number; readonly name: string } | null;
  /** The rule on trial that would have decided instead. */
  readonly trial: { readonly index: number; readonly name: string } | null;
  readonly outcome: Asked;
  /** By what it was decided, where rules ask for more than the application. */
  readonly facts?: RecordedFacts;
  /** Days of grace from when somebody was first asked, and the last day for all. */
  readonly grace?: { readonly days: number; readonly lastDay: string };
  /** What was noticed that makes it riskier, where some rule goes by that. */
  readonly signals?: readonly Signal[];
  /** The invitation that was brought; `leant`: one proof is enough because of it, and only what it names may be enrolled. */
  readonly invited?: { readonly id: string; readonly leant: boolean };
  /** It unlocks a screen where the person was let in before, so one proof is enough by this rule. */
  readonly unlock?: true;
  /** How codes are checked, where the method settings say something of it for this person. */
  readonly codes?: Readonly<Partial<Record<PinnedMethod, CodeRules>>>;
  /** How the person's phones are asked, likewise. */
  readonly phones?: PhoneRules;
  /** Days for which the browser may be remembered, if the person wishes. */
  readonly remember?: number;
}

/** What an application wishes to be reached, where the person can. */
export interface AtLeast {
  readonly level: 1 | 2 | 3;
  readonly phishingResistant: boolean;
}

/** What a rule asks, what the application wishes besides, and what the method settings keep the person from using. */
export type Asked = Outcome & { readonly atLeast?: AtLeast; readonly barred?: readonly Method[] };

/** Of a keyring what may be used. What is barred still counts where it was proved, which an application may vouch for. */
const usableOf = ({ barred }: Asked, keyring: readonly Usable[]): readonly Usable[] =>
  barred ? keyring.filter(({ method }) => !barred.includes(method)) : keyring;

/** Something that was proved, as far as ways go by it. */
export interface Proved {
  readonly method: Method;
  /** Undefined for what an application vouches for. */
  readonly id: string | null;
  readonly carrier: string | null;
  readonly can: Usable['can'];
  /** Who proved it in the person's name, by a pass that they hold for them. */
  readonly delegate?: string;
}

/** The prompt that a method is answered by; undefined where none is. */
export const promptFor = (method: Method): PromptKind | undefined => specOf(method).prompt ?? undefined;

/** One thing that a person can be asked next. */
export interface Ask {
  readonly kind: PromptKind;
  /** What can answer it; the first names the choice. */
  readonly methods: readonly Method[];
}

const PASSWORD: Way = [{ method: 'password', qualifiers: [] }];

/** The ways that an outcome leaves to whoever holds this keyring and has proved this, the first one first. */
export function waysFor(outcome: Asked, held: readonly Usable[], made: readonly Proved[]): readonly Way[] {
  // What was proved counts as held, also where only an application vouches for it.
  const usable = usableOf(outcome, held);
  const keyring: readonly Usable[] = [
    ...usable,
    ...made
      .filter((proof) => !usable.some((one) => one.id === proof.id))
      .map((proof) => ({ ...proof, id: proof.id ?? 'vouched', preferred: false })),
  ];
  const ways = waysOf(outcome, keyring);
  return outcome.atLeast ? raised(ways, outcome.atLeast, keyring) : ways;
}

function waysOf(outcome: Outcome, keyring: readonly Usable[]): readonly Way[] {
  switch (outcome.kind) {
    case 'ways':
      return outcome.ways;
    case 'whoever-has-one':
      return outcome.ways.some((way) => serveWay(way, keyring)) ? outcome.ways : [PASSWORD];
    case 'level':
      return waysHeld(keyring, (way) => assuranceOf(way).level >= outcome.level);
    case 'phishing-resistant':
      return waysHeld(keyring, (way) => assuranceOf(way).phishingResistant);
    case 'let-in':
      // Whoever types a name has shown nothing: to be let in is to be asked for one proof and no more.
      return waysHeld(keyring, (way) => way.length === 1);
    case 'refuse':
      return [];
  }
}

/**
 * An outcome with the first of an application's wishes that the keyring can reach. Where it can reach none, it stays as the
 * rule has it: they are wishes (OpenID Connect Core §5.5.1.1), and the application is told what was reached.
 */
export function wishing(outcome: Asked, wishes: readonly AtLeast[], keyring: readonly Usable[]): Asked {
  const usable = usableOf(outcome, keyring);
  const ways = waysOf(outcome, usable);
  const atLeast = wishes.find((wish) => reaching(ways, wish, usable).length > 0);
  return atLeast ? { ...outcome, atLeast } : outcome;
}

const raised = (ways: readonly Way[], wish: AtLeast, keyring: readonly Usable[]): readonly Way[] => {
  const those = reaching(ways, wish, keyring);
  return those.length > 0 ? those : ways;
};

/** Those of the ways that reach a wish, and the others with one proof more that does; as far as the keyring serves them. */
function reaching(ways: readonly Way[], { level, phishingResistant }: AtLeast, keyring: readonly Usable[]) {
  const enough = (way: Way) => {
    const reached = assuranceOf(way);
    return reached.level >= level && (reached.phishingResistant || !phishingResistant);
  };
  const more = keyring.map(({ method, can }): WayProof => ({ method, qualifiers: can }));
  const longer = (way: Way) => (way.length < MOST_PROOFS ? more.map((proof): Way => [...way, proof]) : []);
  return ways
    .flatMap((way) => (enough(way) ? [way] : longer(way).filter(enough)))
    .filter((way) => serveWay(way, keyring));
}

/** Every way of the password and one more, or of one proof, that a keyring could serve and that is enough. */
function waysHeld(keyring: readonly Usable[], enough: (way: Way) => boolean): readonly Way[] {
  const proofs = new Map<string, WayProof>();
  for (const { method, can } of keyring) proofs.set(`${method} ${can.join()}`, { method, qualifiers: can });
  const held = [...proofs.values()].sort((a, b) => Number(b.method === 'password') - Number(a.method === 'password'));
  const singles = held.map((proof): Way => [proof]);
  const pairs = held.flatMap((proof): Way[] => (proof.method === 'password' ? [] : [[...PASSWORD, proof]]));
  // The password first: it is what most have, and a key can be chosen instead.
  return [...pairs, ...singles].filter(enough);
}

/**
 * The proofs of a way that are still to be made. Each proof made counts for one of the way at most, and of two things held
 * on one carrier only one counts.
 */
export function missingOf(way: Way, made: readonly Proved[]): Way {
  let least: readonly WayProof[] = way;
  const from = (at: number, left: readonly WayProof[], taken: readonly Proved[]): void => {
    if (at === way.length) {
      if (left.length < least.length) least = left;
      return;
    }
    const slot = way[at]!;
    for (const one of made) {
      const clashes = taken.some((other) => other === one || (one.carrier !== null && other.carrier === one.carrier));
      if (clashes || one.method !== slot.method || !slot.qualifiers.every((wanted) => one.can.includes(wanted)))
        continue;
      from(at + 1, left, [...taken, one]);
    }
    from(at + 1, [...left, slot], taken);
  };
  from(0, [], []);
  return least;
}

/** What is left of a keyring once some of it was proved: neither the same again nor anything on the same carrier. */
export function leftOf(keyring: readonly Usable[], made: readonly Proved[]): readonly Usable[] {
  return keyring.filter((one) =>
    made.every((proof) => proof.id !== one.id && (one.carrier === null || proof.carrier !== one.carrier)),
  );
}

export interface Step {
  /** Some way is complete. */
  readonly done: boolean;
  /** What can be asked next, what is preferred first. */
  readonly asks: readonly Ask[];
  /** The keyring would serve a way, but the application cannot show its next prompt. */
  readonly notCarried: boolean;
}

/** What comes after the proofs that were made. */
export function stepAfter(
  outcome: Asked,
  made: readonly Proved[],
  keyring: readonly Usable[],
  promptKinds: readonly PromptKind[],
): Step {
  const missing = waysFor(outcome, keyring, made).map((way) => missingOf(way, made));
  if (missing.some((way) => way.length === 0)) return { done: true, asks: [], notCarried: false };
  const left = leftOf(usableOf(outcome, keyring), made);
  const served = missing.flatMap((way) => {
    const by = serveWay(way, left);
    return by ? [{ method: way[0]!.method, preferred: by[0]!.preferred }] : [];
  });
  const shown = served.filter(({ method }) => isShown(method, promptKinds));
  const order = [...shown.filter((one) => one.preferred), ...shown.filter((one) => !one.preferred)];
  return { done: false, asks: together(order.map(({ method }) => method)), notCarried: served.length > shown.length };
}

/** What to ask somebody first whose keyring serves nothing: as of everybody else, so that nothing is told by it. */
export function firstOf(outcome: Asked, promptKinds: readonly PromptKind[]): Ask | undefined {
  const ways = 'ways' in outcome ? outcome.ways : [];
  const first = ways.length === 0 || ways.some((way) => way.some(({ method }) => method === 'password'));
  const methods: Method[] = [...(first ? (['password'] as const) : []), ...ways.map((way) => way[0]!.method), 'totp'];
  const shown = methods.filter((method) => isShown(method, promptKinds) && !outcome.barred?.includes(method));
  return together(shown)[0];
}

const isShown = (method: Method, promptKinds: readonly PromptKind[]): boolean => {
  const kind = promptFor(method);
  return kind !== undefined && promptKinds.includes(kind);
};

/** Methods as prompts, those together that one prompt serves. */
function together(methods: readonly Method[]): Ask[] {
  const asks: { kind: PromptKind; methods: Method[] }[] = [];
  for (const method of new Set(methods)) {
    const same = specOf(method).unsent ? asks.find((ask) => specOf(ask.methods[0]!).unsent) : undefined;
    if (same) same.methods.push(method);
    else asks.push({ kind: promptFor(method)!, methods: [method] });
  }
  return asks;
}

/**
 * Whether what somebody holds beside what they prove with decides what is enough for them: a rule that asks whoever has one, or a wish that
 * is followed as far as their keyring reaches. Otherwise what completes a way does so whatever else they hold.
 */
export const dependsOnKeyring = ({ kind, atLeast }: Asked): boolean =>
  kind === 'whoever-has-one' || atLeast !== undefined;

/** Whether an authenticator can answer what is asked: it fills a place of a way that is still open. */
export function canAnswer(outcome: Asked, made: readonly Proved[], one: Usable, keyring: readonly Usable[]): boolean {
  if (leftOf(usableOf(outcome, [one]), made).length === 0) return false;
  const ways = waysFor(outcome, keyring, made);
  if (ways.length === 0) return true;
  return ways.some((way) =>
    missingOf(way, made).some(
      ({ method, qualifiers }) => method === one.method && qualifiers.every((wanted) => one.can.includes(wanted)),
    ),
  );
}
