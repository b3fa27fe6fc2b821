import { catalogue, DISPUTE_STATES, say, type Answer } from '@nimble-latch/api';
import { Option } from 'commander';
import { relative } from '../render/time.js';
import { disputeWords } from '../words/dispute.js';
import { words } from '../words/index.js';
import type { Noun } from './support.js';
import { changeVerb, listVerb, type Paged } from './verbs.js';

type Dispute = Answer<'disputes.list'>['rows'][number];
const h = { ...words.headings, ...disputeWords.headings };
const shared = catalogue('en');

/** Changes that their people say were not them. */
export const dispute: Noun = (command, context) => {
  const { help, options, facts } = disputeWords;
  const at = { command, context };
  listVerb(at, {
    line: 'list',
    help: help.list,
    limit: 50,
    options: (one) => one.addOption(new Option('--state <state>', options.state).choices(['all', ...DISPUTE_STATES])),
    rows: async (session, { limit, cursor, state }: Paged & { state?: 'all' | 'open' | 'settled' }) =>
      await session.client.call('disputes.list', { query: { limit, cursor, state: state ?? 'open' } }),
    columns: ({ now }) => [
      { heading: h.who, cell: ({ person }: Dispute) => person.displayName },
      {
        heading: h.what,
        cell: ({ kind, label, at: when }) =>
          say(facts.what, { what: say(shared.noticeKinds[kind], { label }), when: relative(when, now()) }),
        wraps: true,
      },
      {
        heading: h.disputed,
        cell: ({ disputedAt, from, effect }) =>
          say(facts.disputed, {
            when: relative(disputedAt, now()),
            from: from ?? words.facts.none,
            effect: shared.disputeEffects[effect],
          }),
        wraps: true,
      },
      {
        heading: h.settled,
        cell: ({ settled }) =>
          settled === null
            ? words.facts.none
            : say(facts.settled, {
                when: relative(settled.at, now()),
                by: settled.by?.displayName ?? words.facts.erased,
                why: settled.why,
              }),
        wraps: true,
      },
      { heading: h.id, cell: (row) => row.id, id: true },
    ],
  });
  changeVerb(at, {
    line: 'settle <dispute>',
    help: help.settle,
    options: (one) => one.requiredOption('--why <text>', options.why),
    find: async (_session, id = '') => await Promise.resolve({ id }),
    change: async ({ client }, { id }, { why }: { why: string }) =>
      await client.call('disputes.settle', { params: { id }, body: { why } }),
    said: ({ person }) => say(disputeWords.done.settled, { name: person.displayName }),
  });
};
