import type { Usable } from '../assurance/index.js';
import type { Method, OperatorReason, PromptKind, Reason, SignInState } from '../vocabulary.js';
import { firstOf, stepAfter, type Ask, type Proved, type Requirement } from './requirement.js';

/** How long a sign-in may take. */
export const SIGN_IN_LIFE_MS = 5 * 60_000;
/** Wrong proofs before a sign-in ends; the guards of the authenticators go on counting over all sign-ins. */
export const MOST_WRONG_PROOFS = 5;
/** Steps kept in a story; more attempts than this cannot happen in one sign-in's life, turned-away ones apart. */
export const LONGEST_STORY = 40;

export interface ProofDone extends Proved {
  readonly at: string;
  /** Taken on the application's word, under a claim that it was granted. */
  readonly claimed: boolean;
  /** Made some days ago, in a browser that was remembered. */
  readonly remembered?: true;
}

/** One line of the story that operators read. */
export interface StoryStep {
  readonly at: string;
  readonly what: 'begun' | 'asked' | 'chosen' | 'right' | 'counted' | 'renewed' | 'wrong' | 'turned-away' | 'ended';
  readonly prompt?: PromptKind;
  readonly method?: Method;
  readonly authenticator?: string;
  readonly why?: OperatorReason;
  readonly until?: string;
  /** When it was proved, where that was in a sign-in before this one. */
  readonly proved?: string;
}

/** What asks the phones: the request that is out, and the number that is shown beside it; null where none is asked for. */
export interface Waits {
  readonly request: string;
  readonly number: string | null;
  /** Until when, in milliseconds since 1970. */
  readonly until: number;
}

/** One question about one person at one application. */
export interface SignIn {
  readonly state: SignInState;
  /** What is asked while `asking`, otherwise null. Changes with each right proof. */
  readonly asks: Ask | null;
  /** What could be asked instead, if the person chose. */
  readonly others: readonly Ask[];
  readonly requirement: Requirement;
  /** Prompt kinds that the application can show. */
  readonly carries: readonly PromptKind[];
  readonly proofs: readonly ProofDone[];
  /** Made in this browser some days ago, and good for this rule: they count as soon as something is proved anew. */
  readonly kept?: readonly ProofDone[];
  /** A counter that showed a right code so far ahead that the one after it is asked for. */
  readonly far?: {
    readonly authenticator: string;
    readonly counter: number;
    /** Its PIN was right already. */
    readonly pin?: true;
  };
  /** An authenticator whose code was right, and whose PIN is asked for. */
  readonly pin?: { readonly authenticator: string };
  /** While phones are asked. */
  readonly waits?: Waits;
  /** The password that was proved has to be changed before anybody is let in. */
  readonly renew?: true;
  /** What was proved needs a PIN of the person's own before anybody is let in. */
  readonly newPin?: { readonly authenticator: string; readonly method: Method };
  readonly wrong: number;
  /** Why the last proof did not count, or why it ended; null while nothing has gone wrong. */
  readonly reason: Reason | null;
  /** The same for operators. */
  readonly operatorReason: OperatorReason | null;
  /** Let in by days of grace: until when that goes on. Milliseconds since 1970, as below. */
  readonly graceUntil?: number;
  readonly expiresAt: number;
  readonly story: readonly StoryStep[];
}

/** What can happen to a sign-in that is asking. */
export type Event =
  | {
      readonly type: 'right';
      readonly proof: Proved;
      /** What the person holds now. For somebody unknown it is a decoy's that looks like an ordinary person's. */
      readonly keyring: readonly Usable[];
      readonly claimed?: boolean;
      /** It was set by somebody else and has to be changed now. */
      readonly renew?: boolean;
      /** Its PIN was given by somebody else and has to be changed now, or it has none and needs one. */
      readonly newPin?: boolean;
      /** Until when the person gets in without a usable authenticator, in milliseconds since 1970. */
      readonly graceUntil?: number;
    }
  /** What was proved before in this browser's session. Counts at once. */
  | {
      readonly type: 'resumed';
      readonly proofs: readonly ProofDone[];
      readonly keyring: readonly Usable[];
      readonly graceUntil?: number;
    }
  /** The password, or the PIN, that was asked for anew was set. */
  | { readonly type: 'renewed' }
  /** The person wants to be asked for this instead. */
  | { readonly type: 'chosen'; readonly method: Method }
  | {
      readonly type: 'wrong';
      readonly method: Method;
      readonly authenticator: string | null;
      readonly why: OperatorReason;
    }
  /** Phones are asked: what they are asked by, and the number that is shown meanwhile. */
  | ({ readonly type: 'phones-asked' } & Waits)
  /** A phone said no. */
  | { readonly type: 'denied'; readonly authenticator: string; readonly why: 'denied' | 'not-me' }
  /** No phone answered in time: it is asked for something else, as far as there is something else. */
  | { readonly type: 'unanswered' }
  /** A code was right, and stood alone where a PIN belongs before it: it proves nothing without that. */
  | { readonly type: 'pin-wanted'; readonly authenticator: string; readonly method: Method }
  /** A code was right for a counter that is far ahead: it proves nothing yet. */
  | { readonly type: 'far'; readonly authenticator: string; readonly counter: number; readonly pin?: true }
  | {
      readonly type: 'turned-away';
      readonly why: 'throttled' | 'needs-unlock' | 'source-throttled';
      readonly until: number | undefined;
    }
  | { readonly type: 'cancelled' }
  | { readonly type: 'time-passed' };

const instant = (ms: number) => new Date(ms).toISOString();

/** Whether it asks for an approval, or could, and no phone was asked yet. */
export const wantsPhones = ({ state, asks, waits }: Pick<SignIn, 'state' | 'asks' | 'waits'>): boolean =>
  state === 'asking' && asks?.kind === 'wait' && waits === undefined;

/** A new sign-in with its first prompt. A password that the application vouches for is a first event on it. */
export function beginSignIn(
  requirement: Requirement,
  keyring: readonly Usable[],
  promptKinds: readonly PromptKind[],
  nowMs: number,
  kept: readonly ProofDone[] = [],
): SignIn {
  const blank: SignIn = {
    state: 'asking',
    asks: null,
    others: [],
    requirement,
    carries: promptKinds,
    proofs: [],
    ...(kept.length > 0 ? { kept } : {}),
    wrong: 0,
    reason: null,
    operatorReason: null,
    expiresAt: nowMs + SIGN_IN_LIFE_MS,
    story: [{ at: instant(nowMs), what: 'begun' }],
  };
  return next(blank, keyring, undefined, nowMs);
}

/** What an asking sign-in asks, or undefined when it has ended. */
export function promptOf(
  signIn: Pick<SignIn, 'state' | 'asks' | 'others'>,
): (Ask & { others: readonly Ask[] }) | undefined {
  return signIn.state === 'asking' && signIn.asks ? { ...signIn.asks, others: signIn.others } : undefined;
}

/**
 * The next state. Pure: what has to be checked or written was decided by the caller and is told in the event.
 * A sign-in that has ended stays as it is.
 */
export function advance(signIn: SignIn, event: Event, nowMs: number): SignIn {
  if (signIn.state !== 'asking') return signIn;
  if (nowMs >= signIn.expiresAt) return end(signIn, 'expired', 'expired', 'expired', nowMs);
  switch (event.type) {
    case 'time-passed':
      return signIn;
    case 'cancelled':
      return end(signIn, 'refused', 'cancelled', 'cancelled', nowMs);
    case 'turned-away':
      return {
        ...signIn,
        reason: 'throttled',
        operatorReason: event.why,
        story: storyWith(signIn, {
          at: instant(nowMs),
          what: 'turned-away',
          why: event.why,
          ...(event.until === undefined ? {} : { until: instant(event.until) }),
        }),
      };
    case 'wrong': {
      const told: SignIn = {
        ...signIn,
        wrong: signIn.wrong + 1,
        reason: 'wrong-proof',
        operatorReason: event.why,
        story: storyWith(signIn, {
          at: instant(nowMs),
          what: 'wrong',
          method: event.method,
          why: event.why,
          ...(event.authenticator ? { authenticator: event.authenticator } : {}),
        }),
      };
      // The operator keeps the last cause: "too many attempts" alone would not say at what.
      return told.wrong >= MOST_WRONG_PROOFS ? end(told, 'refused', 'too-many-attempts', event.why, nowMs) : told;
    }
    case 'phones-asked': {
      const { request, number, until } = event;
      return { ...signIn, waits: { request, number, until } };
    }
    case 'denied': {
      const { authenticator, why } = event;
      const step = { at: instant(nowMs), what: 'wrong', method: 'push', why, authenticator } as const;
      return end({ ...signIn, story: storyWith(signIn, step) }, 'refused', 'denied', why, nowMs);
    }
    case 'unanswered': {
      const { waits: _waits, ...rest } = signIn;
      const step = { at: instant(nowMs), what: 'wrong', method: 'push', why: 'not-answered' } as const;
      const told: SignIn = {
        ...rest,
        // Asked for once in a sign-in: somebody who begins them over and over is not to wear out whoever has the phone.
        carries: signIn.carries.filter((kind) => kind !== 'wait'),
        reason: 'not-answered',
        operatorReason: 'not-answered',
        story: storyWith(signIn, step),
      };
      const left = [...(signIn.asks ? [signIn.asks] : []), ...signIn.others].filter(({ kind }) => kind !== 'wait');
      const [asks, ...others] = left;
      return asks ? { ...told, asks, others } : end(told, 'refused', 'not-answered', 'not-answered', nowMs);
    }
    case 'far': {
      const { authenticator, counter, pin } = event;
      const asks: Ask = { kind: 'next-code', methods: ['hotp'] };
      const step = { at: instant(nowMs), what: 'asked', prompt: asks.kind, why: 'counter-far', authenticator } as const;
      return {
        ...signIn,
        asks,
        far: { authenticator, counter, ...(pin ? { pin } : {}) },
        reason: null,
        operatorReason: 'counter-far',
        story: storyWith(signIn, step),
      };
    }
    case 'pin-wanted': {
      const { authenticator, method } = event;
      const asks: Ask = { kind: 'text', methods: [method] };
      const step = { at: instant(nowMs), what: 'asked', prompt: asks.kind, why: 'pin-wanted', authenticator } as const;
      const { far: _far, ...rest } = signIn;
      return {
        ...rest,
        asks,
        others: [],
        pin: { authenticator },
        reason: null,
        operatorReason: 'pin-wanted',
        story: storyWith(signIn, step),
      };
    }
    case 'right': {
      const { method, id, carrier, can, delegate } = event.proof;
      const proof: ProofDone = {
        method,
        id,
        carrier,
        can,
        at: instant(nowMs),
        claimed: event.claimed ?? false,
        ...(delegate === undefined ? {} : { delegate }),
      };
      const told: SignIn = {
        ...signIn,
        proofs: [...signIn.proofs, proof],
        ...(event.renew ? { renew: true as const } : {}),
        ...(event.newPin && id ? { newPin: { authenticator: id, method } } : {}),
        reason: null,
        operatorReason: null,
        story: storyWith(signIn, { at: instant(nowMs), what: 'right', method, ...(id ? { authenticator: id } : {}) }),
      };
      const { kept = [], far: _far, pin: _pin, waits: _waits, ...rest } = told;
      return next(counting(rest, remembered(kept), event.keyring, nowMs), event.keyring, event.graceUntil, nowMs);
    }
    case 'renewed': {
      const { asks } = signIn;
      if (asks?.kind !== 'new-password' && asks?.kind !== 'new-pin') return signIn;
      const { renew, newPin, ...rest } = signIn;
      const left = asks.kind === 'new-pin' ? { ...(renew ? { renew } : {}) } : { ...(newPin ? { newPin } : {}) };
      const step: StoryStep = { at: instant(nowMs), what: 'renewed', prompt: asks.kind, method: asks.methods[0]! };
      return letIn({ ...rest, ...left, story: storyWith(rest, step) }, signIn.graceUntil, nowMs);
    }
    case 'resumed': {
      const { kept = [], ...rest } = signIn;
      const resumed = counting(rest, event.proofs, event.keyring, nowMs);
      if (resumed.proofs.length === signIn.proofs.length) return signIn;
      return next(counting(resumed, remembered(kept), event.keyring, nowMs), event.keyring, event.graceUntil, nowMs);
    }
    case 'chosen': {
      const all = [...(signIn.asks ? [signIn.asks] : []), ...signIn.others];
      const chosen = all.find((ask) => ask.methods.includes(event.method));
      if (!chosen || chosen === signIn.asks) return signIn;
      const story = storyWith(signIn, { at: instant(nowMs), what: 'chosen', prompt: chosen.kind });
      return { ...signIn, asks: chosen, others: all.filter((ask) => ask !== chosen), story };
    }
  }
}

const remembered = (kept: readonly ProofDone[]) => kept.map((proof): ProofDone => ({ ...proof, remembered: true }));

/** Takes what was proved before, as far as the person still holds it and it was not proved anew. */
function counting(signIn: SignIn, earlier: readonly ProofDone[], keyring: readonly Usable[], nowMs: number): SignIn {
  let counted = signIn;
  for (const proof of earlier) {
    const held = keyring.some(({ id }) => id === proof.id);
    if (!held || counted.proofs.some(({ id }) => id === proof.id)) continue;
    const { method, id, at } = proof;
    const step: StoryStep = { at: instant(nowMs), what: 'counted', method, authenticator: id!, proved: at };
    counted = { ...counted, proofs: [...counted.proofs, proof], story: storyWith(counted, step) };
  }
  return counted;
}

/** After what was proved so far: the end, or the next prompt. */
function next(signIn: SignIn, keyring: readonly Usable[], graceUntil: number | undefined, nowMs: number): SignIn {
  const { outcome } = signIn.requirement;
  const begun = signIn.proofs.length > 0;
  // Nobody learns that a rule refuses them, or that they hold too little, before they have proved anything.
  if (begun && outcome.kind === 'refuse') return end(signIn, 'refused', 'refused-by-rule', 'refused-by-rule', nowMs);
  const step = stepAfter(outcome, signIn.proofs, keyring, signIn.carries);
  if (step.done) return letIn(signIn, undefined, nowMs);
  const asks = step.asks[0] ?? (begun || step.notCarried ? undefined : firstOf(outcome, signIn.carries));
  if (asks) {
    const story = storyWith(signIn, { at: instant(nowMs), what: 'asked', prompt: asks.kind });
    return { ...signIn, asks, others: step.asks.slice(1), story };
  }
  if (!begun || step.notCarried) return end(signIn, 'refused', 'prompt-not-carried', 'prompt-not-carried', nowMs);
  if (graceUntil !== undefined && nowMs < graceUntil) return letIn(signIn, graceUntil, nowMs);
  // Applications learn that nothing serves; operators, whether there is anything at all.
  const others = keyring.some(({ method, id }) => method !== 'password' && signIn.proofs.every((one) => one.id !== id));
  const why = others ? 'none-that-fits' : 'no-usable-authenticator';
  return end(signIn, 'enrol-first', 'no-usable-authenticator', why, nowMs);
}

/** Everything is proved that is asked, or forgiven for days of grace; only a password or a PIN that has to be changed stands before it. */
function letIn(signIn: SignIn, graceUntil: number | undefined, nowMs: number): SignIn {
  const grace = graceUntil === undefined ? {} : { graceUntil };
  if (!signIn.renew && !signIn.newPin) {
    const why = graceUntil === undefined ? 'proved' : 'grace';
    return { ...end(signIn, 'let-in', why, why, nowMs), ...grace };
  }
  const asks: Ask = signIn.renew
    ? { kind: 'new-password', methods: ['password'] }
    : { kind: 'new-pin', methods: [signIn.newPin!.method] };
  if (!signIn.carries.includes(asks.kind)) {
    const why = signIn.renew ? 'password-must-change' : 'pin-must-change';
    return end(signIn, 'refused', why, why, nowMs);
  }
  const story = storyWith(signIn, { at: instant(nowMs), what: 'asked', prompt: asks.kind });
  return { ...signIn, ...grace, asks, others: [], story };
}

function end(
  signIn: SignIn,
  state: SignInState,
  reason: Reason,
  operatorReason: OperatorReason,
  nowMs: number,
): SignIn {
  const story = storyWith(signIn, { at: instant(nowMs), what: 'ended', why: operatorReason });
  return { ...signIn, state, asks: null, others: [], reason, operatorReason, story };
}

function storyWith(signIn: SignIn, step: StoryStep): readonly StoryStep[] {
  // The end is always told; steps before it are dropped once the story is full.
  if (signIn.story.length >= LONGEST_STORY && step.what !== 'ended') return signIn.story;
  return [...signIn.story, step];
}
