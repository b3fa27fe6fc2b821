import { FIRST_ENROLMENTS } from '../../vocabulary.js';
import type {
  CarrierKind,
  Coverage,
  Method,
  MethodPurpose,
  PromptKind,
  Qualifier,
  SelfAction,
} from '../../vocabulary.js';

/**
 * What there is to know of a method. Each is described once, in a file of its own beside this one; whatever lists methods, asks what
 * one of them proves, or reads what is said of one in the method settings, reads these. A member that is left out does not compile.
 *
 * The sections in brackets are those of NIST SP 800-63B-4.
 */
export interface MethodSpec {
  readonly method: Method;
  /** Why it counts as it does, by the standard. */
  readonly reason: string;
  /** The prompt that it is answered by; null where nothing can be typed or tapped into a prompt. */
  readonly prompt: PromptKind | null;
  /** It is a code that nobody has to send first: one prompt serves all of those. */
  readonly unsent: boolean;
  /** What can be asked of it beside. */
  readonly qualifiers: readonly Qualifier[];
  /**
   * What a proof of it shows where a way asks for these qualifiers. One that it does not ask for does not count, since without it
   * the weakest authenticator of the method serves.
   */
  readonly shows: (qualifiers: readonly Qualifier[]) => Shows;
  /** Authentication method references of a proof by an authenticator that can this, RFC 8176 §2. */
  readonly amr: (can: readonly Qualifier[]) => readonly string[];
  /** How well somebody is covered who holds nothing else. */
  readonly coverage: Exclude<Coverage, 'nothing'>;
  /** Meant for the day that the others are gone, and named as such. */
  readonly lastResort: boolean;
  /** What is said of it in the method settings, and how it is enrolled; null where this release can do neither. */
  readonly offered: Offered | null;
}

/** What one proof shows. */
export interface Shows {
  /** Something known, or a trait. */
  readonly knows: boolean;
  readonly has: boolean;
  /** The key cannot leave its hardware, as level 3 asks [2.3]. */
  readonly bound: boolean;
  /** The answer is bound to where it is used [3.2.5]. */
  readonly phishingResistant: boolean;
  /** May be used only where its risks are accepted and another way is offered [3.2.9]. */
  readonly restricted: boolean;
}

export const SHOWS_NOTHING: Shows = {
  knows: false,
  has: false,
  bound: false,
  phishingResistant: false,
  restricted: false,
};
/** Something held, and no more. */
export const SHOWS_HELD: Shows = { ...SHOWS_NOTHING, has: true };

/** A method that can be enrolled and checked here. */
export interface Offered {
  /** What may be said of it beside what is said of every method. */
  readonly parameters: Readonly<Record<string, ParameterSpec>>;
  /** What it may be used for as delivered. */
  readonly firstPurposes: readonly MethodPurpose[];
  /** Whether the method settings as delivered offer it; otherwise somebody has to say so first. */
  readonly delivered: boolean;
  /** What it can never be used for, whatever is said. */
  readonly neverFor: readonly MethodPurpose[];
  /** It may be kept and checked by applications alone, which say so. */
  readonly checkedElsewhere: boolean;
  /** A PIN can be asked for before its codes. */
  readonly takesPin: boolean;
  /** People set it up by themselves where they may. */
  readonly bySelf: boolean;
  /** It is made of a token of the stock, and comes with that. */
  readonly fromStock: boolean;
  /** What carries a new one unless somebody says otherwise; null where it is on nothing. */
  readonly carrier: CarrierKind | null;
  /**
   * What everybody seems to hold of it before they have proved anything, whether they do or not. `hidden`: whoever holds it is asked as
   * if they held what seems; null: it shows as it is, since it must be asked for.
   */
  readonly decoy: { readonly can: readonly Qualifier[] } | 'hidden' | null;
}

/** What a parameter may be, as the contract, the client and the console read it. */
export type ParameterSpec = (
  | { readonly kind: 'whole'; readonly least: number; readonly most: number }
  | { readonly kind: 'one of'; readonly of: readonly (string | number)[] }
  | { readonly kind: 'some of'; readonly of: readonly string[] }
  | { readonly kind: 'models' }
) & { readonly says?: string };

/** A model of keys, as the settings name it. */
export interface ModelParameter {
  /** As UUID, in lower case. */
  readonly aaguid: string;
  readonly name?: string | undefined;
}

/** The value of a parameter. */
export type ParameterValue<P extends ParameterSpec> = P extends { readonly kind: 'whole' }
  ? number
  : P extends { readonly kind: 'one of'; readonly of: readonly (infer V)[] }
    ? V
    : P extends { readonly kind: 'some of'; readonly of: readonly (infer V)[] }
      ? readonly V[]
      : readonly ModelParameter[];

/** The parameters of an offered method; each may be left unsaid. */
export type ParametersOf<S> = S extends { readonly offered: { readonly parameters: infer P } }
  ? { readonly [Name in keyof P]?: P[Name] extends ParameterSpec ? ParameterValue<P[Name]> : never }
  : never;

/** Describes a method, keeping its words as they are. */
export const methodSpec = <const S extends MethodSpec>(spec: S): S => spec;

/** The same of all codes that are checked here: the PIN before them. */
export const PIN_PARAMETERS = {
  pin: {
    kind: 'one of',
    of: ['required'],
    says: 'A PIN before each code; whoever has none sets one when they next sign in',
  },
  leastPin: { kind: 'whole', least: 4, most: 12, says: 'Digits of a new PIN at least; 4 unless said' },
} as const satisfies Readonly<Record<string, ParameterSpec>>;

/** The same of everything that people enrol by themselves. */
export const FIRST_PARAMETERS = {
  first: {
    kind: 'one of',
    of: FIRST_ENROLMENTS,
    says: 'Of whoever has nothing yet: only in person at a desk; or by invitations that a second administrator agreed to',
  },
} as const satisfies Readonly<Record<string, ParameterSpec>>;

/** The same of everything that people look after by themselves: what they may not, whether it is for a custodian or for nobody. */
export const selfParameters = <const Actions extends readonly SelfAction[]>(actions: Actions) =>
  ({
    notBySelf: {
      kind: 'some of',
      of: actions,
      says: 'What people may not do with theirs by themselves; all else they may. A loss they may always report',
    },
  }) as const;
