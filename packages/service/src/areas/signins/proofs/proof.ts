import { advance, promptOf } from '@nimble-latch/core/signin';
import type { Id, PromptKind } from '@nimble-latch/core/vocabulary';
import type { Statement } from '../../../platform/db/sql.js';
import type { Opening, Plan, Work } from '../../../platform/db/unit-of-work.js';
import type { Deps } from '../../../platform/deps.js';
import { badField, Refusal } from '../../../platform/errors.js';
import { conclude } from '../conclude.js';
import type { Driver } from '../trail-sign-in.js';
import type { Credential, ShownAt } from '../key-prompt.js';
import type { Judged } from './judged.js';
import { onlySignIn, readAhead, saveSignIn, signInRead, type StoredSignIn } from '../store.js';

/** What answers a prompt: what was typed or chosen, or what a key said. */
export interface Proof {
  readonly kind: PromptKind;
  readonly value?: string | undefined;
  readonly credential?: Credential | undefined;
  /** Of one that only looks: how long it waits for something to see. */
  readonly seconds?: number | undefined;
}

/** A proof as it comes in. */
export interface Incoming {
  readonly deps: Deps;
  readonly driver: Driver;
  readonly id: Id;
  /** Whether the caller may drive this sign-in; to anybody else it does not exist. */
  readonly mine: (stored: StoredSignIn) => boolean;
  readonly proof: Proof;
  /** Whether whoever shows it is still there. */
  readonly connected: () => boolean;
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

interface Kind {
  /** What of a proof it goes by. */
  readonly by: 'value' | 'credential' | 'nothing';
  /** It may be given whatever is asked. */
  readonly anyPrompt?: true;
  /** It only looks what has happened elsewhere: of a sign-in that was refused there it brings how it ended. */
  readonly looks?: true;
}

/** A kind whose proof is judged by what was read ahead, and written in one go. */
export function judgedAhead<P>(
  kind: Kind & {
    readonly opening: (deps: Deps, id: Id, proof: Proof) => Opening;
    /**
     * Whatever takes time, done before the step and without locks.
     *
     * @param look reads the sign-in ahead, where there is anything to do; undefined where its time has passed
     */
    readonly prepare: (incoming: Incoming, look: () => Promise<Opened | undefined>) => Promise<P>;
    readonly judge: (attempt: Attempt<P>, plan: Plan) => Promise<Judged>;
  },
): ProofKind {
  return async (incoming) => {
    const opening = kind.opening(incoming.deps, incoming.id, checked(incoming.proof, kind));
    const prepared = await kind.prepare(incoming, async () => look(incoming, kind, await opening.ahead()));
    return {
      needs: 'reading',
      opening,
      take: async (plan) => {
        const stored = onlySignIn(plan.opened);
        assertAnswers(incoming, kind, stored);
        return await take(incoming, prepared, plan, stored, async (attempt) => await kind.judge(attempt, plan));
      },
    };
  };
}

/**
 * A kind that takes time before it is judged, and reads and writes on the way: it is looked at, prepared without locks, and judged in
 * a transaction from its first statement, provided that nothing has happened to the sign-in since it was looked at.
 */
export function judgedBehindLocks<P>(
  kind: Kind & {
    /** Whatever takes time. Where it ends the attempt by itself, that is what becomes of it. */
    readonly prepare: (incoming: Incoming, before: StoredSignIn) => Promise<P | Concluded>;
    readonly judge: (attempt: Attempt<P>, work: Work) => Promise<Judged>;
    /** Where nobody has an answer from it: takes back what was counted before. */
    readonly giveBack?: (incoming: Incoming, prepared: P, error: unknown) => Promise<void>;
  },
): ProofKind {
  return async (incoming) => {
    checked(incoming.proof, kind);
    const { deps, id } = incoming;
    const read = signInRead(id);
    const before = look(incoming, kind, await readAhead(deps, id))?.stored;
    // Its time has passed: that is all that is to be written.
    if (!before) return { needs: 'transaction', read, take: async (work) => await expire(incoming, kind, work) };
    const prepared = await kind.prepare(incoming, before);
    if (prepared instanceof Concluded)
      return { needs: 'transaction', read: undefined, take: async () => await Promise.resolve(prepared.stored) };
    return {
      needs: 'transaction',
      read,
      take: async (work) => {
        const stored = onlySignIn(work.opened);
        // Looked at first: who was overtaken by themselves is told so, whatever is asked by now.
        if (stored.version !== before.version) throw new Refusal('sign-in-moved-on');
        return await take(incoming, prepared, work, stored, async (attempt) => await kind.judge(attempt, work));
      },
      ...(kind.giveBack ? { failed: async (error) => await kind.giveBack!(incoming, prepared, error) } : {}),
    };
  };
}

async function expire(incoming: Incoming, kind: Kind, work: Work): Promise<StoredSignIn> {
  const stored = onlySignIn(work.opened);
  assertAnswers(incoming, kind, stored);
  return await take(incoming, undefined, work, stored, () => {
    // By the clock of another node its time has not passed yet.
    throw new Refusal('sign-in-moved-on');
  });
}

function checked(proof: Proof, { by }: Pick<Kind, 'by'>): Proof {
  if (by !== 'nothing' && proof[by] === undefined) throw badField(`body.${by}`, 'missing');
  return proof;
}

function look(
  incoming: Incoming,
  kind: Pick<Kind, 'anyPrompt' | 'looks'>,
  rows: readonly object[],
): Opened | undefined {
  const stored = onlySignIn(rows);
  assertAnswers(incoming, kind, stored);
  return incoming.deps.now().getTime() >= stored.signIn.expiresAt ? undefined : { stored, rows };
}

async function take<P>(
  { deps, driver, proof, at }: Incoming,
  prepared: P,
  plan: Plan,
  stored: StoredSignIn,
  judge: (attempt: Attempt<P>) => Promise<Judged>,
): Promise<StoredSignIn> {
  // Only one that looks comes this far with a sign-in that has ended, and only with one that let nobody in.
  if (stored.signIn.state !== 'asking') return stored;
  const late = advance(stored.signIn, { type: 'time-passed' }, plan.now.getTime());
  if (late.state === 'expired') return saveSignIn(plan, stored, late);
  const { value = '', credential } = proof;
  const judged = await judge({ deps, driver, at, stored, rows: plan.opened, value, credential, prepared });
  return await conclude(deps, plan, driver, stored, judged);
}

function assertAnswers(
  { mine, proof }: Incoming,
  { anyPrompt, looks }: Pick<Kind, 'anyPrompt' | 'looks'>,
  stored: StoredSignIn,
): void {
  if (!mine(stored)) throw new Refusal('not-found');
  if (looks && stored.signIn.state === 'refused') return;
  const prompt = promptOf(stored.signIn);
  if (!prompt) throw new Refusal('sign-in-ended');
  if (!anyPrompt && prompt.kind !== proof.kind) throw badField('body.kind', 'other-prompt', { kind: prompt.kind });
}
