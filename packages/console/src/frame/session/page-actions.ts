import { useEffect, useSyncExternalStore } from 'react';

/** Something that can be done on the page that is open: offered there, and in the palette. */
export interface PageAction {
  readonly id: string;
  readonly text: string;
  readonly run: () => void;
}

let offered: readonly (readonly PageAction[])[] = [];
const listeners = new Set<() => void>();
const change = (next: typeof offered) => {
  offered = next;
  for (const heard of listeners) heard();
};

/** Offers actions in the palette for as long as whoever calls this is shown. @param actions the same array while nothing changed */
export function useOffered(actions: readonly PageAction[]): void {
  useEffect(() => {
    change([...offered, actions]);
    return () => change(offered.filter((one) => one !== actions));
  }, [actions]);
}

/** What can be done on the page that is open, in the order in which it stands there. */
export const usePageActions = (): readonly (readonly PageAction[])[] =>
  useSyncExternalStore(
    (heard) => {
      listeners.add(heard);
      return () => listeners.delete(heard);
    },
    () => offered,
  );
