import type { RouteId } from '@nimble-latch/api';
import { Link, type LinkProps } from 'react-router';
import { useMayCall } from '../session/context.js';

/** A link to what a call is needed for: to whoever may not make it, it is not offered. */
export function MayLink({ calls, ...props }: LinkProps & { calls: RouteId }) {
  return useMayCall()(calls) && <Link {...props} />;
}
