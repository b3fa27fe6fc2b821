import { assuranceOf, serveWay, writeWay, type Usable, type Way } from '../assurance/index.js';
import { waysFor, type Proved, type Requirement } from './requirement.js';

/** The least with which somebody gets in: whoever has as much of theirs gets in as them. */
export interface Least {
  readonly way: Way;
  /** Assurance level; 0 where nothing of the way counts as a factor. */
  readonly level: number;
  readonly phishingResistant: boolean;
  /** Only in days of grace, or in a browser that is remembered for so many days. */
  readonly grace: boolean;
  readonly rememberedDays: number;
}

const PASSWORD: Way = [{ method: 'password', qualifiers: [] }];
const CLAIMED: Proved = { method: 'password', id: null, carrier: null, can: [] };

/** How strong a way is, to be compared: its level first, then whether it can be phished, then how many proofs it has. */
const rank = ({
  level,
  phishingResistant,
  way,
}: Pick<Least, 'level' | 'phishingResistant' | 'way'>): readonly number[] => [
  level,
  Number(phishingResistant),
  way.length,
];
const compare = (a: readonly number[], b: readonly number[]): number => {
  const at = a.findIndex((value, i) => value !== b[i]);
  return at < 0 ? 0 : a[at]! - b[at]!;
};

/**
 * The weakest of the ways that a requirement leaves to somebody with this keyring, as far as it serves them; the password alone in
 * days of grace. Undefined where they cannot get in at all.
 *
 * @param claimed whether the application vouches for the password
 */
export function leastFor(requirement: Requirement, keyring: readonly Usable[], claimed: boolean): Least | undefined {
  const { outcome, grace, remember = 0 } = requirement;
  const made = claimed ? [CLAIMED] : [];
  const barred = outcome.barred ?? [];
  const held = [
    ...keyring.filter(({ method }) => !barred.includes(method)),
    ...made.map((proof): Usable => ({ ...proof, id: 'vouched', preferred: false })),
  ];
  const served = waysFor(outcome, keyring, made).filter((way) => serveWay(way, held));
  const all = served.map((way): Least => {
    const { level, phishingResistant } = assuranceOf(way);
    return { way, level, phishingResistant, grace: false, rememberedDays: remember };
  });
  const [least] = all.sort((a, b) => compare(rank(a), rank(b)));
  if (least || !grace || !serveWay(PASSWORD, held)) return least;
  return { way: PASSWORD, level: 1, phishingResistant: false, grace: true, rememberedDays: remember };
}

/**
 * Whether somebody needs less than before: gets in where they did not, by a weaker way, or is asked less often. A way of as many
 * proofs that are worth as much is no less, whichever they are.
 */
export function needsLess(before: Least | undefined, after: Least | undefined): boolean {
  if (!after) return false;
  if (!before) return true;
  const by = compare(rank(after), rank(before));
  return by < 0 || (by === 0 && after.rememberedDays > before.rememberedDays);
}

/** A way as people read it, with what makes it less than it looks. */
export const sayLeast = ({
  way,
  grace,
  rememberedDays,
}: Least): { way: string; grace: boolean; rememberedDays: number } => ({
  way: writeWay(way),
  grace,
  rememberedDays,
});
