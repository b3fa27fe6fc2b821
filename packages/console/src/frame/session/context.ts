import type { Answer, RouteId } from '@nimble-latch/api';
import { createContext, useContext } from 'react';

export type Session = Answer<'session.show'>;
export const SessionContext = createContext<Session | null>(null);

/** Who is signed in; only below the console's shell. */
export function useSession(): Session {
  const session = useContext(SessionContext);
  if (!session) throw new Error('useSession is for pages inside the console');
  return session;
}

/** The calls that whoever is signed in may make of what a page is about; null outside the console, where nobody has rights. */
export const CallsContext = createContext<ReadonlySet<RouteId> | null>(null);

/**
 * Asks whether whoever is signed in may make a call: on a page about one person, of that person. What they may not is not offered; the
 * service decides.
 */
export function useMayCall(): (route: RouteId) => boolean {
  const calls = useContext(CallsContext);
  return (route) => calls === null || calls.has(route);
}
