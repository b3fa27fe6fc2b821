import type { Method, MethodPurpose, SelfAction, WhyNotOffered } from '../vocabulary.js';
import {
  OFFERED_METHODS,
  offeredSpec,
  PINNED_METHODS,
  specOf,
  type MethodParameters,
  type PinnedMethod,
} from './kinds/index.js';

export {
  METHOD_SPECS,
  OFFERED_METHODS,
  offeredSpec,
  PINNED_METHODS,
  specOf,
  takesPin,
  type MethodParameters,
  type MethodSpec,
  type OfferedMethod,
  type ParameterSpec,
  type PinnedMethod,
} from './kinds/index.js';

const isOffered = (method: Method): boolean => specOf(method).offered !== null;

/** How the codes of one person are checked, where the method settings say something of it. */
export type CodeRules = Pick<MethodParameters, 'window' | 'lookAhead' | 'pin' | 'leastPin'>;

/** What is said of one method for the people of one row. */
export interface MethodCell {
  /** Whether more of it may be enrolled. */
  readonly enrol: boolean;
  /** What it may be used for; empty for nothing. */
  readonly purposes: readonly MethodPurpose[];
  /** Of a password: kept and checked here, or by applications alone, which say so. */
  readonly checked?: 'here' | 'elsewhere';
  readonly parameters?: MethodParameters;
}

/** A row of the matrix: a group, or everybody, and what is said of methods for them. A method may be left unsaid. */
export interface MethodRow {
  /** Null for everybody; that row is the last. */
  readonly group: string | null;
  readonly cells: Readonly<Partial<Record<Method, MethodCell>>>;
}

export interface MethodSettings {
  readonly rows: readonly MethodRow[];
}

/** As delivered: what there is, for everybody. */
export const FIRST_METHODS: MethodSettings = {
  rows: [
    {
      group: null,
      cells: Object.fromEntries(
        OFFERED_METHODS.filter((method) => offeredSpec(method).delivered).map((method): [Method, MethodCell] => {
          const { firstPurposes, checkedElsewhere } = offeredSpec(method);
          return [
            method,
            { enrol: true, purposes: firstPurposes, ...(checkedElsewhere ? { checked: 'here' as const } : {}) },
          ];
        }),
      ),
    },
  ],
};

/** A cell, with the row that it stands in. */
export interface Decided {
  readonly cell: MethodCell;
  /** Its place, from 0. */
  readonly row: number;
  readonly group: string | null;
}

/**
 * The one rule by which several rows come together for somebody: from the top, the first row that they are in and that says
 * something of the method decides, and it decides all of it. Undefined where no row says anything: then it is not offered.
 */
export function decidedFor({ rows }: MethodSettings, method: Method, groups: ReadonlySet<string>): Decided | undefined {
  for (const [row, { group, cells }] of rows.entries()) {
    const cell = cells[method];
    if (cell && (group === null || groups.has(group))) return { cell, row, group };
  }
  return undefined;
}

const CODE_RULES = ['window', 'lookAhead', 'pin', 'leastPin'] as const satisfies (keyof CodeRules)[];

/** What is said of checking a person's codes, by method; undefined where nothing is. */
export function codeRulesFor(
  settings: MethodSettings,
  groups: ReadonlySet<string>,
): Readonly<Partial<Record<PinnedMethod, CodeRules>>> | undefined {
  const said = PINNED_METHODS.flatMap((method) => {
    const parameters = decidedFor(settings, method, groups)?.cell.parameters;
    const rules = CODE_RULES.flatMap((rule) => (parameters?.[rule] === undefined ? [] : [[rule, parameters[rule]]]));
    return rules.length > 0 ? [[method, Object.fromEntries(rules) as CodeRules] as const] : [];
  });
  return said.length > 0 ? Object.fromEntries(said) : undefined;
}

/** How somebody's phones are asked, where the method settings say something of it. */
export interface PhoneRules {
  /** A tap is enough once something else was proved; nothing is compared. */
  readonly plain?: true;
  readonly lifeSeconds?: number;
}

/**
 * What is said of asking somebody's phones; undefined where nothing is. Whoever administers compares the number whatever is said:
 * an approval that became a reflex would open more than their own things.
 */
export function phoneRulesFor(
  settings: MethodSettings,
  { groups, roles }: { readonly groups: ReadonlySet<string>; readonly roles: ReadonlySet<unknown> },
): PhoneRules | undefined {
  const { number, life } = decidedFor(settings, 'push', groups)?.cell.parameters ?? {};
  const plain = number === 'not-typed' && roles.size === 0;
  if (!plain && life === undefined) return undefined;
  return { ...(plain ? { plain } : {}), ...(life === undefined ? {} : { lifeSeconds: life }) };
}

/** Whether who administers can make a difference. */
export const asksForRoles = ({ rows }: MethodSettings): boolean =>
  rows.some(({ cells }) => cells.push?.parameters?.number !== undefined);

/** Whether anybody's phone could be asked to approve. */
export const asksPhones = ({ rows }: MethodSettings): boolean => rows.some(({ cells }) => cells.push !== undefined);

/** Whether anybody could be asked for a PIN before their codes. */
export const requiresPin = ({ rows }: MethodSettings): boolean =>
  rows.some(({ cells }) => PINNED_METHODS.some((method) => cells[method]?.parameters?.pin === 'required'));

/** Whether who is in which group can make a difference. */
export const asksForGroups = ({ rows }: MethodSettings): boolean => rows.some(({ group }) => group !== null);

/**
 * Methods that somebody may not use for a purpose: none of what they hold of these counts. A password that is checked elsewhere
 * is one of them here, and still counts where an application vouches for it.
 */
export function barredFor(
  settings: MethodSettings,
  groups: ReadonlySet<string>,
  purpose: MethodPurpose = 'sign-in',
): readonly Method[] {
  return OFFERED_METHODS.filter((method) => {
    const cell = decidedFor(settings, method, groups)?.cell;
    return (
      !cell?.purposes.includes(purpose) ||
      cell.checked === 'elsewhere' ||
      offeredSpec(method).neverFor.includes(purpose)
    );
  });
}

/** Whether anybody could reset a password by something else that they hold. */
export const offersReset = ({ rows }: MethodSettings): boolean =>
  rows.some(({ cells }) =>
    OFFERED_METHODS.some(
      (method) => !offeredSpec(method).neverFor.includes('reset') && cells[method]?.purposes.includes('reset'),
    ),
  );

/** Methods that somebody may enrol, whoever it is. */
export const enrollable = ({ rows }: MethodSettings): readonly Method[] =>
  OFFERED_METHODS.filter((method) => rows.some(({ cells }) => cells[method]?.enrol));

/** Whether somebody may enrol a method, what it may be used for, and which row says so. */
export interface Offer {
  readonly method: Method;
  readonly enrol: boolean;
  readonly purposes: readonly MethodPurpose[];
  /** Null where it may be enrolled. */
  readonly why: WhyNotOffered | null;
  readonly decided: Decided | undefined;
}

export function offerOf(settings: MethodSettings, method: Method, groups: ReadonlySet<string>): Offer {
  const decided = isOffered(method) ? decidedFor(settings, method, groups) : undefined;
  const elsewhere = decided?.cell.checked === 'elsewhere';
  const enrol = decided !== undefined && decided.cell.enrol && !elsewhere;
  return {
    method,
    enrol,
    purposes: decided?.cell.purposes ?? [],
    why: enrol ? null : whyNot(method, decided, elsewhere),
    decided,
  };
}

/** What people can do with an authenticator of a method, whoever lets them: codes are set right, keys and sheets are not. */
const CAN: Readonly<Partial<Record<Method, readonly SelfAction[]>>> = Object.fromEntries(
  OFFERED_METHODS.flatMap((method) => {
    const parameter = offeredSpec(method).parameters['notBySelf'];
    return parameter?.kind === 'some of' ? [[method, parameter.of as readonly SelfAction[]]] : [];
  }),
);

/** What somebody may do by themselves with what they hold of a method, as the row that decides says. */
export function selfActionsFor(
  settings: MethodSettings,
  method: Method,
  groups: ReadonlySet<string>,
): readonly SelfAction[] {
  const decided = decidedFor(settings, method, groups);
  const not: readonly SelfAction[] = decided?.cell.parameters?.notBySelf ?? [];
  return (CAN[method] ?? []).filter((action) => !not.includes(action));
}

function whyNot(method: Method, decided: Decided | undefined, elsewhere: boolean): WhyNotOffered {
  if (!isOffered(method)) return 'not-built';
  if (!decided) return 'nothing-said';
  return elsewhere ? 'checked-elsewhere' : 'not-enrolled-any-more';
}
