import type { Answer, Permission } from '@nimble-latch/api';
import { createContext, useContext } from 'react';

export type Session = Answer<'session.show'>;
export const SessionContext = createContext<Session | null>(null);

/** Who is signed in; only below the console's shell. */
export function useSession(): Session {
  const session = useContext(SessionContext);
  if (!session) throw new Error('useSession is for pages inside the console');
  return session;
}

/** Asks whether whoever is signed in may do something, so that what they may not is not offered. The service decides. */
export function useMay(): (permission: Permission) => boolean {
  const { permissions } = useSession();
  return (permission) => permissions.includes(permission);
}
