import { say, PERMISSIONS, type Permission } from '@nimble-latch/api';
import { Option } from 'commander';
import { exact, relative } from '../render/time.js';
import { words } from '../words/index.js';
import { tokenWords } from '../words/token.js';
import { wholeNumber, type Noun } from './support.js';
import { listVerb, addVerb, changeVerb, byId } from './verbs.js';

const h = words.headings;

export const token: Noun = (command, context) => {
  const help = tokenWords.help;
  const at = { command, context };
  listVerb(at, {
    line: 'list',
    help: help.list,
    rows: async ({ client }) => await client.call('accessTokens.list'),
    columns: ({ now }) => [
      { heading: h.label, cell: (row) => row.label, flexible: true },
      { heading: h.hint, cell: (row) => row.hint },
      { heading: h.until, cell: (row) => relative(row.expiresAt, now()) },
      { heading: h.used, cell: (row) => relative(row.lastUsedAt, now()) },
      { heading: h.id, cell: (row) => row.id, id: true },
    ],
  });
  addVerb(at, {
    line: 'issue <label>',
    help: help.issue,
    options: (one) =>
      one
        .option('--hours <n>', tokenWords.options.hours, wholeNumber, 12)
        .addOption(new Option('--may <permission...>', tokenWords.options.may).choices(PERMISSIONS)),
    add: async ({ client }, label, { hours, may }: { hours: number; may?: Permission[] }, idempotencyKey) =>
      await client.call('accessTokens.add', {
        body: { label, hours, ...(may ? { permissions: may } : {}) },
        idempotencyKey,
      }),
    said: ({ accessToken, token: issued }) =>
      `${say(tokenWords.done.tokenIssued, { until: exact(accessToken.expiresAt) })}\n  ${issued}`,
  });
  changeVerb(at, {
    line: 'revoke <id>',
    help: help.revoke,
    find: byId,
    change: async ({ client }, id) => await client.call('accessTokens.revoke', { params: { id } }),
    said: () => tokenWords.done.tokenRevoked,
  });
};
