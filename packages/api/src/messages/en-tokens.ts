import type { TokenEvent, TokenState } from '@nimble-latch/core/vocabulary';

/** Hardware tokens. */
export const enTokens = {
  tokenStates: {
    'in-stock': 'in stock',
    assigned: 'assigned',
    sent: 'sent',
    'in-use': 'in use',
    returned: 'returned',
    lost: 'lost',
    broken: 'broken',
    retired: 'retired',
  } satisfies Record<TokenState, string>,
  tokenEvents: {
    imported: 'came with a file',
    entered: 'entered by hand',
    corrected: 'corrected',
    assigned: 'assigned',
    sent: 'sent',
    arrived: 'arrived',
    proved: 'proved',
    resynchronised: 'resynchronised',
    returned: 'came back',
    restocked: 'put into the stock',
    lost: 'reported lost',
    broken: 'broken',
    retired: 'retired',
    exported: 'exported',
  } satisfies Record<TokenEvent, string>,
  tokenNeeds: {
    expiring: 'run out within three months',
    'never-arrived': 'sent two weeks ago, not arrived',
    'never-proved': 'with their holder for a month, not proved',
  },
};
