import type { Answer, ErrorCode, RouteId } from '@nimble-latch/api';
import { ApiError, createClient, Unreachable, type Client } from '@nimble-latch/api/client';
import { useMutation, useQuery, useQueryClient, type UseMutationResult } from '@tanstack/react-query';
import { KeyTrouble } from '../components/keys.js';
import { language, shared, words } from '../messages/index.js';

let csrf: string | undefined;
/** Set when the session is read; sent with every call that changes something. */
export function rememberCsrf(value: string | null): void {
  csrf = value ?? undefined;
}

const client = createClient({ server: '', csrf: () => csrf, language });

/** Asks for a fresh proof; answers whether it was given. Set by the page that can show the dialog. */
let askForProof: (() => Promise<boolean>) | undefined;
export function setProofAsker(ask: typeof askForProof): void {
  askForProof = ask;
}

/** A call of the service. Where it wants a fresh proof, that is asked for and the call is made again. */
export const call: Client['call'] = async (route, ...args) => {
  try {
    return await client.call(route, ...args);
  } catch (error) {
    if (!(error instanceof ApiError) || error.code !== 'proof-needed' || !askForProof) throw error;
    if (!(await askForProof())) throw error;
    return await client.call(route, ...args);
  }
};

/** What went wrong, as sentences, and beside which field. */
export interface Trouble {
  readonly code: ErrorCode | undefined;
  readonly text: string;
  /** Nothing is wrong: it waits for a second administrator. */
  readonly waits?: boolean;
  /** By the field's place in the body, such as `loginNames[0]`. */
  readonly fields: Readonly<Record<string, string>>;
}

/** Fields that an error is about which names no field itself: that of the form which has one of them tells it. */
const ABOUT: Partial<Record<ErrorCode, readonly string[]>> = {
  'login-name-taken': ['loginNames', 'loginName', 'value'],
  'serial-taken': ['serial', 'carrier.serial'],
  'name-taken': ['name'],
};

export function troubleOf(error: unknown): Trouble | undefined {
  if (!error) return undefined;
  if (error instanceof KeyTrouble) return { code: undefined, text: shared.keyTroubles[error.trouble], fields: {} };
  if (error instanceof ApiError) {
    const fields = Object.fromEntries(error.issues.map((issue) => [issue.where.replace(/^body\./, ''), issue.what]));
    if (error.code === 'signature-needed')
      return { code: error.code, text: words.signatures.needed, waits: true, fields };
    const text = `${error.problem.title} ${error.problem.remedy}`;
    const about = (ABOUT[error.code] ?? []).map((field) => [field, text] as const);
    return { code: error.code, text, fields: { ...Object.fromEntries<string>(about), ...fields } };
  }
  return {
    code: undefined,
    text: error instanceof Error && !(error instanceof Unreachable) ? error.message : words.unreachable,
    fields: {},
  };
}

/** Reads something and keeps it fresh. The first part of the key is the route, so that areas can be forgotten as a whole. */
export function useRead<R extends RouteId>(
  route: R,
  ...args: Parameters<typeof client.call<R>> extends [unknown, ...infer Rest] ? Rest : never
) {
  return useQuery<Answer<R>>({
    queryKey: [route.split('.')[0], route, JSON.stringify(args[0] ?? null)],
    queryFn: () => call<R>(route, ...(args as never)),
    retry: (count, error) => error instanceof Unreachable && count < 1,
  });
}

/** Does something; afterwards everything on the screen is read again. */
export function useAct<In, Out>(
  act: (input: In) => Promise<Out>,
  after?: (out: Out, input: In) => void,
): UseMutationResult<Out, unknown, In> & { trouble: Trouble | undefined } {
  const queries = useQueryClient();
  const mutation = useMutation<Out, unknown, In>({
    mutationFn: act,
    onSuccess: async (out, input) => {
      // Where `after` leads to, nothing from before the change may be shown, not even for a moment.
      queries.removeQueries({ type: 'inactive' });
      after?.(out, input);
      await queries.invalidateQueries();
    },
  });
  return { ...mutation, trouble: troubleOf(mutation.error) };
}
