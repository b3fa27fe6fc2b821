import type { Deps } from './deps.js';

/**
 * Does dear counting again only after ten times as long as it took: however many look at once and however often, it takes a tenth of
 * one connection at most. Of figures alone: nothing that anybody may or may not do hangs on them.
 */
export function keptAWhile<T>(count: (deps: Deps) => Promise<T>): (deps: Deps) => Promise<T> {
  const known = new WeakMap<Deps, { until: number; readonly counted: Promise<T> }>();
  return async (deps) => {
    const begun = performance.now();
    const kept = known.get(deps);
    if (kept && begun < kept.until) return await kept.counted;
    const counting = { until: Infinity, counted: count(deps) };
    known.set(deps, counting);
    counting.counted.then(
      () => (counting.until = performance.now() + 10 * (performance.now() - begun)),
      () => known.delete(deps),
    );
    return await counting.counted;
  };
}
