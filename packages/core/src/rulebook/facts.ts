import type { Role, System } from '../vocabulary.js';

/** What is known of one sign-in when it is decided what it meets. */
export interface Facts {
  readonly person: {
    /** Every name by which rules may mean them: their id and login names. */
    readonly names: ReadonlySet<string>;
    /** Names of the groups they are in, themselves or through others. */
    readonly groups: ReadonlySet<string>;
    readonly roles: ReadonlySet<Role>;
    readonly zone: string;
  };
  readonly application: string;
  /** Names of the networks that the address lies in, and where those are. */
  readonly networks: ReadonlySet<string>;
  readonly countries: ReadonlySet<string>;
  readonly cities: ReadonlySet<string>;
  /** Milliseconds since 1970. */
  readonly at: number;
  /** 0 to 1; undefined where nothing was measured, which no condition on it meets. */
  readonly risk: number | undefined;
  /** Undefined where no browser is known, as behind a gateway: neither new nor remembered. */
  readonly browser: 'new' | 'remembered' | undefined;
  readonly system: System | undefined;
  readonly lastProofAt: number | undefined;
}

/** The facts of a decision as they are kept with a sign-in, so that it can be explained later by what was known then. */
export interface RecordedFacts {
  /** Places among the groups that the version names. */
  readonly groups?: readonly number[];
  readonly roles?: readonly Role[];
  readonly zone?: string;
  readonly networks?: readonly string[];
  readonly countries?: readonly string[];
  readonly cities?: readonly string[];
  readonly risk?: number;
  readonly system?: System;
  readonly browser?: 'new' | 'remembered';
  readonly lastProofAt?: number;
}

/** What deciding by a rulebook takes beside the application and the time; whatever no rule asks for need not be read. */
export interface Needs {
  /** Groups, roles, login names, zone or last proof of the person. */
  readonly person: boolean;
  readonly networks: boolean;
  /** What is noticed about a sign-in beside what an application says. */
  readonly risk: boolean;
}

/** The names that a rulebook uses, each once, as they are written in it. */
export interface UsedNames {
  readonly groups: readonly string[];
  readonly people: readonly string[];
  readonly applications: readonly string[];
  readonly networks: readonly string[];
}
