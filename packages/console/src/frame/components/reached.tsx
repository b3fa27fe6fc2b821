import { useEffect, useRef } from 'react';

/** Nothing to see; tells when the reader has come near it. */
export function Reached({ onReach }: { onReach: () => void }) {
  const mark = useRef<HTMLDivElement>(null);
  const told = useRef(onReach);
  useEffect(() => {
    told.current = onReach;
  });
  useEffect(() => {
    const watcher = new IntersectionObserver(
      (entries) => entries.some((entry) => entry.isIntersecting) && told.current(),
      {
        rootMargin: '400px',
      },
    );
    watcher.observe(mark.current!);
    return () => watcher.disconnect();
  }, []);
  return <div ref={mark} aria-hidden="true" />;
}
