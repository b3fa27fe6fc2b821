import type { Id } from '@nimble-latch/core/vocabulary';
import { idTextOfHex } from '../../platform/ids.js';

/** Applications that an authenticator is kept to, from the column that lists them as JSON; by name. */
export function placesOf(json: string | null): { id: Id; name: string }[] {
  const places = JSON.parse(json ?? '[]') as { id: Id; name: string }[];
  return places.map(({ id, name }) => ({ id: idTextOfHex(id), name })).sort((a, b) => a.name.localeCompare(b.name));
}
