import { SealBroken } from '@nimble-latch/core/secrets';
import type { Deps } from '../deps.js';

type Opening = Parameters<Deps['keys']['current']['open']>;

/**
 * Opens a sealed value; undefined where it does not open, since it was altered, cut short, or belongs to another record. That is said in
 * the log. For values whose loss must cost nothing but themselves: a page with one of them is still a page, and whoever writes it anew
 * mends it.
 */
export async function openSound(deps: Pick<Deps, 'keys' | 'log'>, ...value: Opening): Promise<Buffer | undefined> {
  try {
    return await deps.keys.opening((keys) => keys.open(...value));
  } catch (error) {
    if (!(error instanceof SealBroken)) throw error;
    deps.log.error({ place: value[1], error }, 'a sealed value does not open; it is taken for not being there');
    return undefined;
  }
}
