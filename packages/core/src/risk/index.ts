import type { SignalId } from '../vocabulary.js';

/** Something noticed about a sign-in, with what it was noticed by. */
export interface Signal {
  readonly signal: SignalId;
  readonly facts: Readonly<Record<string, string | number>>;
}

/** How much each signal counts, from 0 to 1. */
export type Weights = Readonly<Record<SignalId, number>>;

/** What is known of the person's past and of this sign-in. What is not known raises nothing. */
export interface Observed {
  /** Milliseconds since 1970. */
  readonly at: number;
  /** Whether the person was let in from this source before; undefined where no address is known. */
  readonly familiar: boolean | undefined;
  /** Whether they were let in from any source before: somebody's first sign-in is new in everything. */
  readonly hasPast: boolean;
  readonly browser: 'new' | 'remembered' | undefined;
  /** Wrong proofs of the person in the last minutes. */
  readonly wrongLately: number;
  /** Where they were let in last, as far as networks say where that is. */
  readonly last: { readonly at: number; readonly country: string | null; readonly city: string | null } | undefined;
  readonly here: { readonly country: string | null; readonly city: string | null };
  /** Hours of the day, in the person's zone, at which they were let in before; one entry for each time. */
  readonly hours: readonly number[];
  readonly hour: number;
  /** The network of those known to hide people that the address lies in. */
  readonly anonymising: string | undefined;
  /** What the application says itself, from 0 to 1. */
  readonly claimed: number | undefined;
}

/** Wrong proofs from which on it is a signal. */
const WRONG_AT_LEAST = 3;
/** Nobody is in another country within so many minutes, nor in another city within so few. */
const COUNTRY_MINUTES = 180;
const CITY_MINUTES = 30;
/** Times before an hour of the day can be called odd, and how rare it must be then. */
const HOURS_NEEDED = 20;
const ODD_SHARE = 0.02;

/** Hours apart on a clock face. */
const apart = (a: number, b: number): number => Math.min((a - b + 24) % 24, (b - a + 24) % 24);

/** What is noticed about a sign-in, in a fixed order. Each signal is one plain comparison, so that it can be told and argued with. */
export function signalsOf(observed: Observed): Signal[] {
  const { at, last, here, hours, hour, wrongLately, anonymising, claimed } = observed;
  const signals: Signal[] = [];
  const note = (signal: SignalId, facts: Signal['facts'] = {}) => signals.push({ signal, facts });
  if (observed.hasPast && observed.familiar === false) note('new-network');
  if (observed.hasPast && observed.browser === 'new') note('new-browser');
  if (wrongLately >= WRONG_AT_LEAST) note('failures-before', { wrong: wrongLately });
  if (last) {
    const minutes = Math.max(0, Math.round((at - last.at) / 60_000));
    const countries = last.country !== null && here.country !== null && last.country !== here.country;
    const cities = !countries && last.city !== null && here.city !== null && last.city !== here.city;
    const place = ({ city, country }: Observed['here']) => [city, country].filter((one) => one !== null).join(', ');
    if ((countries && minutes < COUNTRY_MINUTES) || (cities && minutes < CITY_MINUTES))
      note('too-far', { from: place(last), to: place(here), minutes });
  }
  const near = hours.filter((one) => apart(one, hour) <= 2).length;
  if (hours.length >= HOURS_NEEDED && near / hours.length < ODD_SHARE) note('odd-hour', { hour });
  if (anonymising !== undefined) note('anonymising-network', { network: anonymising });
  if (claimed !== undefined && claimed > 0) note('application', { risk: claimed });
  return signals;
}

/**
 * The risk of all signals together, from 0 to 1: each leaves its part of what the others leave, so that more signals mean
 * more and none means nothing. To two decimals, as it is shown and compared.
 */
export function riskOf(signals: readonly Signal[], weights: Weights): number {
  const left = signals.reduce((rest, { signal, facts }) => {
    const weight = signal === 'application' ? weights[signal] * Number(facts['risk']) : weights[signal];
    return rest * (1 - weight);
  }, 1);
  return Math.round((1 - left) * 100) / 100;
}
