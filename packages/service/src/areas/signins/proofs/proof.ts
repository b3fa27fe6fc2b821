import { advance, promptOf } from '@nimble-latch/core/signin';
import type { Id, PromptKind } from '@nimble-latch/core/vocabulary';
import type { Statement } from '../../../platform/db/sql.js';
import type { Opening, Plan, Work } from '../../../platform/db/unit-of-work.js';
import type { Deps } from '../../../platform/deps.js';
import { badField, Refusal } from '../../../platform/errors.js';
import { conclude } from '../conclude.js';
import type { Driver } from '../tell-trail.js';
import type { Credential, ShownAt } from '../key-prompt.js';
import type { Judged } from './judged.js';
import { onlySignIn, saveSignIn, type StoredSignIn } from '../store.js';

/** What answers a prompt: what was typed or chosen, or what a key said. */
export interface Proof {
  readonly kind: PromptKind;
  readonly value?: string | undefined;
  readonly credential?: Credential | undefined;
}

/** A proof as it comes in. */
export interface Incoming {
  readonly deps: Deps;
  readonly driver: Driver;
  readonly id: Id;
  /** Whether the caller may drive this sign-in; to anybody else it does not exist. */
  readonly mine: (stored: StoredSignIn) => boolean;
  readonly proof: Proof;
  /** Whose pages it is shown on. */
  readonly at: ShownAt;
}

/** A sign-in, and whatever else its opening read brings. */
export interface Opened {
  readonly stored: StoredSignIn;
  readonly rows: readonly object[];
}

/** One attempt, as it is judged. */
export interface Attempt<P> extends Opened {
  readonly deps: Deps;
  readonly driver: Driver;
  readonly at: ShownAt;
  /** What was typed or chosen; empty where a key answers. */
  readonly value: string;
  readonly credential: Credential | undefined;
  readonly prepared: P;
}

/** It ended before the step: what became of it is written already. */
export class Concluded {
  constructor(readonly stored: StoredSignIn) {}
}

/** Answers a sign-in when it is run; whoever asked for it runs it, in the transaction of their answer. */
export type Step = (
  | { readonly needs: 'reading'; readonly opening: Opening; readonly take: (plan: Plan) => Promise<StoredSignIn> }
  | {
      readonly needs: 'transaction';
      readonly read: Statement | undefined;
      readonly take: (work: Work) => Promise<StoredSignIn>;
    }
) & {
  /** Told where the step's run fails. */
  readonly failed?: (error: unknown) => Promise<void>;
};

/** What answers one kind of prompt. */
export type ProofKind = (incoming: Incoming) => Promise<Step>;

interface Kind<P> {
  /** What of a proof it goes by. */
  readonly by: 'value' | 'credential';
  /** It may be given whatever is asked. */
  readonly anyPrompt?: true;
  /**
   * Whatever takes time, done before the step and without locks.
   *
   * @param look reads the sign-in ahead; undefined where its time has passed
   */
  readonly prepare: (incoming: Incoming, look: () => Promise<Opened | undefined>) => Promise<P | Concluded>;
  /** Where nobody has an answer from it: takes back what was counted before. */
  readonly giveBack?: (incoming: Incoming, prepared: P, error: unknown) => Promise<void>;
}

/** A kind whose proof is judged by what was read ahead, and written in one go. */
export function judgedAhead<P>(
  kind: Kind<P> & {
    readonly opening: (deps: Deps, id: Id, proof: Proof) => Opening;
    readonly judge: (attempt: Attempt<P>, plan: Plan) => Promise<Judged>;
  },
): ProofKind {
  return async (incoming) => {
    const opening = kind.opening(incoming.deps, incoming.id, checked(incoming.proof, kind));
    const prepared = await kind.prepare(incoming, async () => look(incoming, kind, await opening.ahead()));
    if (prepared instanceof Concluded) return ended(prepared);
    return {
      needs: 'reading',
      opening,
      take: async (plan) => await take(incoming, kind, prepared, plan, async (attempt) => kind.judge(attempt, plan)),
      ...failure(incoming, kind, prepared),
    };
  };
}

/** A kind that reads and writes on the way, in a transaction from its first statement. */
export function judgedBehindLocks<P>(
  kind: Kind<P> & {
    readonly read: (id: Id) => Statement;
    readonly ahead: (deps: Deps, id: Id) => Promise<readonly object[]>;
    readonly judge: (attempt: Attempt<P>, work: Work) => Promise<Judged>;
  },
): ProofKind {
  return async (incoming) => {
    checked(incoming.proof, kind);
    const { deps, id } = incoming;
    const prepared = await kind.prepare(incoming, async () => look(incoming, kind, await kind.ahead(deps, id)));
    if (prepared instanceof Concluded) return ended(prepared);
    return {
      needs: 'transaction',
      read: kind.read(id),
      take: async (work) => await take(incoming, kind, prepared, work, async (attempt) => kind.judge(attempt, work)),
      ...failure(incoming, kind, prepared),
    };
  };
}

const ended = ({ stored }: Concluded): Step => ({
  needs: 'transaction',
  read: undefined,
  take: async () => await Promise.resolve(stored),
});

const failure = <P>(incoming: Incoming, { giveBack }: Kind<P>, prepared: P): Pick<Step, 'failed'> =>
  giveBack ? { failed: async (error) => await giveBack(incoming, prepared, error) } : {};

function checked(proof: Proof, { by }: Pick<Kind<never>, 'by'>): Proof {
  if (proof[by] === undefined) throw badField(`body.${by}`, 'missing');
  return proof;
}

function look(incoming: Incoming, kind: Pick<Kind<never>, 'anyPrompt'>, rows: readonly object[]): Opened | undefined {
  const stored = onlySignIn(rows);
  assertAnswers(incoming, kind, stored);
  return incoming.deps.now().getTime() >= stored.signIn.expiresAt ? undefined : { stored, rows };
}

async function take<P>(
  incoming: Incoming,
  kind: Kind<P>,
  prepared: P,
  plan: Plan,
  judge: (attempt: Attempt<P>) => Promise<Judged>,
): Promise<StoredSignIn> {
  const { deps, driver, proof, at } = incoming;
  const rows = plan.opened;
  const stored = onlySignIn(rows);
  assertAnswers(incoming, kind, stored);
  const late = advance(stored.signIn, { type: 'time-passed' }, plan.now.getTime());
  if (late.state === 'expired') return saveSignIn(plan, stored, late);
  const { value = '', credential } = proof;
  const judged = await judge({ deps, driver, at, stored, rows, value, credential, prepared });
  return await conclude(deps, plan, driver, stored, judged);
}

function assertAnswers(
  { mine, proof }: Incoming,
  { anyPrompt }: Pick<Kind<never>, 'anyPrompt'>,
  stored: StoredSignIn,
): void {
  if (!mine(stored)) throw new Refusal('not-found');
  const prompt = promptOf(stored.signIn);
  if (!prompt) throw new Refusal('sign-in-ended');
  if (!anyPrompt && prompt.kind !== proof.kind) throw badField('body.kind', 'other-prompt', { kind: prompt.kind });
}

/** The sign-in that was looked at before the step, as long as nothing has happened to it since. */
export function assertUnmoved(before: StoredSignIn, stored: StoredSignIn): void {
  if (stored.version !== before.version) throw new Refusal('sign-in-moved-on');
}
