import type { Method, OperatorReason, PromptKind, Reason, SignInState } from '../vocabulary.js';

/** How long a sign-in may take. */
export const SIGN_IN_LIFE_MS = 5 * 60_000;
/** Wrong proofs before a sign-in ends; the guards of the authenticators go on counting over all sign-ins. */
export const MOST_WRONG_PROOFS = 5;
/** Steps kept in a story; more attempts than this cannot happen in one sign-in's life, turned-away ones apart. */
export const LONGEST_STORY = 40;

/**
 * The one fixed rule: the password, then any active factor. `required` refuses who has no factor (they must enrol
 * first); `if-held` asks for it as soon as there is one, which is how the console guards itself from the first day.
 */
export type FactorRule = 'required' | 'if-held';

/** What the person can prove with now. For somebody unknown it is a decoy that looks like an ordinary person's. */
export interface Holding {
  readonly factors: readonly Method[];
}

export interface ProofDone {
  readonly method: Method;
  readonly authenticator: string | null;
  readonly at: string;
  /** Taken on the application's word, under a claim that it was granted. */
  readonly claimed: boolean;
}

/** One line of the story that operators read. */
export interface StoryStep {
  readonly at: string;
  readonly what: 'begun' | 'asked' | 'right' | 'wrong' | 'turned-away' | 'ended';
  readonly prompt?: PromptKind;
  readonly method?: Method;
  readonly authenticator?: string;
  readonly why?: OperatorReason;
  readonly until?: string;
}

/** One question about one person at one application. */
export interface SignIn {
  readonly state: SignInState;
  /** What is asked while `asking`, otherwise null. Changes with each right proof. */
  readonly asks: 'password' | 'factor' | null;
  readonly rule: FactorRule;
  /** Prompt kinds that the application can show. */
  readonly carries: readonly PromptKind[];
  readonly proofs: readonly ProofDone[];
  readonly wrong: number;
  /** Why the last proof did not count, or why it ended; null while nothing has gone wrong. */
  readonly reason: Reason | null;
  /** The same for operators. */
  readonly operatorReason: OperatorReason | null;
  /** Milliseconds since 1970. */
  readonly expiresAt: number;
  readonly story: readonly StoryStep[];
}

/** What can happen to a sign-in that is asking. */
export type Event =
  | {
      readonly type: 'right';
      readonly method: Method;
      readonly authenticator: string | null;
      readonly holding: Holding;
      readonly claimed?: boolean;
    }
  | {
      readonly type: 'wrong';
      readonly method: Method;
      readonly authenticator: string | null;
      readonly why: OperatorReason;
    }
  | {
      readonly type: 'turned-away';
      readonly why: 'throttled' | 'needs-unlock' | 'source-throttled';
      readonly until: number | undefined;
    }
  | { readonly type: 'cancelled' }
  | { readonly type: 'time-passed' };

const instant = (ms: number) => new Date(ms).toISOString();

/** A new sign-in, asking for the password. A password that the application vouches for is a first event on it. */
export function beginSignIn(rule: FactorRule, carries: readonly PromptKind[], nowMs: number): SignIn {
  const blank: SignIn = {
    state: 'asking',
    asks: null,
    rule,
    carries,
    proofs: [],
    wrong: 0,
    reason: null,
    operatorReason: null,
    expiresAt: nowMs + SIGN_IN_LIFE_MS,
    story: [{ at: instant(nowMs), what: 'begun' }],
  };
  return ask(blank, 'password', nowMs);
}

/** The prompt that an asking sign-in shows, or undefined when it has ended. */
export function promptOf(signIn: Pick<SignIn, 'state' | 'asks'>): { kind: PromptKind } | undefined {
  if (signIn.state !== 'asking') return undefined;
  return { kind: signIn.asks === 'password' ? 'password' : 'code' };
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
        story: tell(signIn, {
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
        story: tell(signIn, {
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
    case 'right': {
      const proof: ProofDone = {
        method: event.method,
        authenticator: event.authenticator,
        at: instant(nowMs),
        claimed: event.claimed ?? false,
      };
      const told: SignIn = {
        ...signIn,
        proofs: [...signIn.proofs, proof],
        reason: null,
        operatorReason: null,
        story: tell(signIn, {
          at: instant(nowMs),
          what: 'right',
          method: event.method,
          ...(event.authenticator ? { authenticator: event.authenticator } : {}),
        }),
      };
      if (signIn.asks === 'factor') return end(told, 'let-in', 'proved', 'proved', nowMs);
      if (event.holding.factors.length > 0) return ask(told, 'factor', nowMs);
      return signIn.rule === 'if-held'
        ? end(told, 'let-in', 'proved', 'proved', nowMs)
        : end(told, 'enrol-first', 'no-usable-authenticator', 'no-usable-authenticator', nowMs);
    }
  }
}

function ask(signIn: SignIn, asks: 'password' | 'factor', nowMs: number): SignIn {
  const asking: SignIn = { ...signIn, asks };
  const kind = promptOf(asking)!.kind;
  if (!signIn.carries.includes(kind)) return end(asking, 'refused', 'prompt-not-carried', 'prompt-not-carried', nowMs);
  return { ...asking, story: tell(signIn, { at: instant(nowMs), what: 'asked', prompt: kind }) };
}

function end(
  signIn: SignIn,
  state: SignInState,
  reason: Reason,
  operatorReason: OperatorReason,
  nowMs: number,
): SignIn {
  const story = tell(signIn, { at: instant(nowMs), what: 'ended', why: operatorReason });
  return { ...signIn, state, asks: null, reason, operatorReason, story };
}

function tell(signIn: SignIn, step: StoryStep): readonly StoryStep[] {
  // The end is always told; steps before it are dropped once the story is full.
  if (signIn.story.length >= LONGEST_STORY && step.what !== 'ended') return signIn.story;
  return [...signIn.story, step];
}
