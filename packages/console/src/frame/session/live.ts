import { API_BASE } from '@nimble-latch/api/client';
import { useEffect, useRef } from 'react';

type Mark = 'signIns' | 'trail';

/** Shortest time between two tellings: under load something changes all the time. */
const PAUSE_MS = 1_500;

/** Is told, as it happens, when sign-ins or the trail have changed; the browser keeps the stream open and opens it again. */
export function useLive(mark: Mark, onChange: () => void): void {
  const told = useRef(onChange);
  useEffect(() => {
    told.current = onChange;
  });
  useEffect(() => {
    const stream = new EventSource(`${API_BASE}/activity/stream`);
    let waiting: ReturnType<typeof setTimeout> | undefined;
    stream.addEventListener('changed', (event: MessageEvent<string>) => {
      if (!event.data.split(' ').includes(mark) || waiting !== undefined) return;
      told.current();
      waiting = setTimeout(() => (waiting = undefined), PAUSE_MS);
    });
    return () => {
      clearTimeout(waiting);
      stream.close();
    };
  }, [mark]);
}
