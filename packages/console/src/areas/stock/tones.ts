import type { Answer } from '@nimble-latch/api';

/** The shape of each state, beside its word. */
export const TOKEN_TONES = {
  'in-stock': 'open',
  assigned: 'held',
  sent: 'held',
  'in-use': 'good',
  returned: 'open',
  lost: 'ended',
  broken: 'ended',
  retired: 'ended',
} as const satisfies Record<Answer<'stock.list'>['rows'][number]['state'], string>;
