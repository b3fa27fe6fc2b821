import type { TokenCorrection, TokenParameter } from '../vocabulary.js';
import type { TokenParameters, TokenRow } from './token-row.js';

/** What is kept of a token and can have been told wrong. */
export interface TokenFacts extends TokenParameters {
  readonly maker: string;
  readonly model: string;
  /** Days, such as 2031-12-31. */
  readonly starts: string | null;
  readonly expires: string | null;
}

/** What is said of a token now; what is undefined stays as it is. */
export type TokenCorrections = { readonly [K in keyof TokenFacts]?: TokenFacts[K] | undefined };

/** One fact that comes to be another. */
export interface Correction {
  readonly what: TokenCorrection;
  readonly from: string | null;
  readonly to: string | null;
}

const FACTS = {
  maker: 'maker',
  model: 'model',
  method: 'kind',
  algorithm: 'algorithm',
  digits: 'digits',
  period: 'period',
  t0: 't0',
  counter: 'counter',
  drift: 'drift',
  starts: 'starts',
  expires: 'expires',
} as const satisfies Record<keyof TokenFacts, TokenCorrection>;

/** Of a token that counts there is no clock, and of a clock no counter. */
const OF_CLOCKS: ReadonlySet<TokenCorrection> = new Set(['period', 't0', 'drift']);

/** What moves on by itself once a token is used: a file knows only where it stood when the file was written. */
const MOVES: ReadonlySet<TokenCorrection> = new Set(['counter', 'drift']);
/** What a proof has shown to be right. */
const PROVED: ReadonlySet<TokenCorrection> = new Set<TokenParameter>(['kind', 'algorithm', 'digits', 'period', 't0']);

const shown = (value: string | number | null): string | null => (value === null || value === '' ? null : String(value));

/**
 * What of a token is otherwise than it is said to be.
 *
 * @param proved somebody has proved it: where it stands is then known better here than in any file, and is not compared
 * @returns the differences, and those among them that its proof speaks against: its codes came out right as it is
 */
export function correctionsTo(
  facts: TokenFacts,
  said: TokenCorrections,
  proved: boolean,
): { readonly corrections: readonly Correction[]; readonly against: readonly TokenCorrection[] } {
  const method = said.method ?? facts.method;
  const corrections: Correction[] = [];
  for (const [field, what] of Object.entries(FACTS) as [keyof TokenFacts, TokenCorrection][]) {
    const to = said[field];
    if (to === undefined || to === facts[field]) continue;
    if (method === 'hotp' ? OF_CLOCKS.has(what) : what === 'counter') continue;
    if (proved && MOVES.has(what)) continue;
    corrections.push({ what, from: shown(facts[field]), to: shown(to) });
  }
  return { corrections, against: corrections.map(({ what }) => what).filter((what) => proved && PROVED.has(what)) };
}

/** What a row says of a token, as far as it says it. Its maker tells which token it is about, and is never corrected by a row. */
export function saidBy(row: TokenRow): TokenCorrections {
  const says = new Set(row.said);
  return {
    model: row.model === '' ? undefined : row.model,
    method: says.has('kind') ? row.method : undefined,
    algorithm: says.has('algorithm') ? row.algorithm : undefined,
    digits: says.has('digits') ? row.digits : undefined,
    period: says.has('period') ? row.period : undefined,
    t0: says.has('t0') ? row.t0 : undefined,
    counter: says.has('counter') ? row.counter : undefined,
    drift: says.has('drift') ? row.drift : undefined,
    starts: row.starts,
    expires: row.expires,
  };
}
