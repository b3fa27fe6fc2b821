import { API_BASE } from '@nimble-latch/api/client';

/** Where a list is had as CSV, with the filter that is on the page. */
export function csvAddress(list: 'activity' | 'trail', filter: Readonly<Record<string, string | undefined>>): string {
  const query = new URLSearchParams();
  for (const [name, value] of Object.entries(filter)) if (value !== undefined) query.set(name, value);
  return `${API_BASE}/${list}/export?${query}`;
}
