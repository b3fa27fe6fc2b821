import type { Answer } from '@nimble-latch/api';

/** Where a sign-in stands, as far as the page knows. */
export interface Kept {
  readonly begun: Answer<'pages.begin'>;
  /** What was typed; null where it is known from elsewhere. */
  readonly loginName: string | null;
}

const KEY = 'nimble-latch.sign-in';

/** Keeps a sign-in over a reload of its tab: its request may be good for one only. Nothing of it is secret for long. */
export const pageState = {
  of(request: string): Kept | undefined {
    try {
      const { request: of, kept } = JSON.parse(sessionStorage.getItem(KEY) ?? '{}') as {
        request?: string;
        kept?: Kept;
      };
      const signIn = kept?.begun.signIn;
      if (of !== request || !kept || !signIn || Date.parse(signIn.expiresAt) < Date.now()) return undefined;
      return kept;
    } catch {
      return undefined;
    }
  },
  keep(request: string, kept: Kept): void {
    sessionStorage.setItem(KEY, JSON.stringify({ request, kept }));
  },
  forget(): void {
    sessionStorage.removeItem(KEY);
  },
};
