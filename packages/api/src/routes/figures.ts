import { COVERAGES, SIGN_IN_STATES, TOKEN_STATES } from '@nimble-latch/core/vocabulary';
import { z } from 'zod';
import { operator, READS, route } from '../contract.js';
import { id, instant } from '../schema.js';

/** Periods that sign-ins are compared over. */
export const FIGURE_PERIODS = ['day', 'week', 'month', 'two-months'] as const;
export type FigurePeriod = (typeof FIGURE_PERIODS)[number];

const count = z.number().int();

export const figureRoutes = {
  'figures.signIns': route('figures.signIns', {
    summary: 'Sign-ins by outcome over a period, in even stretches of UTC: hours, six hours, or days',
    access: operator('activity.read'),
    query: z.strictObject({ period: z.enum(FIGURE_PERIODS).default('month').describe('How far back') }),
    answer: z.strictObject({
      rows: z
        .array(
          z.strictObject({
            from: instant,
            to: instant,
            signIns: z.partialRecord(z.enum(SIGN_IN_STATES), count),
          }),
        )
        .describe('The oldest first; the last one is not over'),
    }),
    trail: READS,
  }),
  'figures.groups': route('figures.groups', {
    summary: 'How the people of the largest groups are covered by their keyrings',
    access: operator('person.read'),
    answer: z.strictObject({
      groups: count.describe('Groups that there are; a dozen are told'),
      rows: z.array(
        z.strictObject({
          group: z.strictObject({ id, name: z.string() }),
          coverage: z
            .record(z.enum(COVERAGES), count)
            .describe('Active people of the group and of all groups within it'),
        }),
      ),
    }),
    trail: READS,
  }),
  'figures.tokens': route('figures.tokens', {
    summary: 'Hardware tokens in stock or with people, by the year since which they run',
    access: operator('stock.read'),
    answer: z.strictObject({
      rows: z.array(
        z.strictObject({
          year: count.describe('Of its own first day where a file said one, otherwise of when it came in'),
          states: z.partialRecord(z.enum(TOKEN_STATES), count),
        }),
      ),
    }),
    trail: READS,
  }),
  'figures.sources': route('figures.sources', {
    summary: 'From which networks people sign in, of the sign-ins whose address is known',
    access: operator('activity.read'),
    answer: z.strictObject({
      since: instant,
      signIns: count.describe('Sign-ins that were looked at'),
      all: z.boolean().describe('Whether that is all of them since then, or the latest'),
      rows: z
        .array(
          z.strictObject({
            network: z
              .string()
              .nullable()
              .describe('The narrowest network of the address; null for none that has a name'),
            letIn: count,
            others: count,
          }),
        )
        .describe('The most frequent first'),
    }),
    trail: READS,
  }),
};
