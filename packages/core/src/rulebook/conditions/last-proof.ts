import { readDuration, writeDuration } from '../duration.js';
import { condition, kept } from './spec.js';

/** How long ago the person has proved something. Where they never have, it is met. */
export const lastProof = condition({
  kind: 'last-proof',
  text: {
    key: 'last proof older than',
    read: (value) => {
      const lastProofOlderThan = readDuration(value, 'm');
      return lastProofOlderThan === undefined ? {} : { lastProofOlderThan };
    },
    write: ({ lastProofOlderThan: minutes }) => (minutes === undefined ? undefined : writeDuration(minutes)),
    schema: { $ref: '#/$defs/duration' },
  },
  test: ({ lastProofOlderThan: minutes }) =>
    minutes === undefined
      ? undefined
      : ({ lastProofAt, at }) => lastProofAt === undefined || at - lastProofAt > minutes * 60_000,
  scope: (conditions) => conditions.lastProofOlderThan,
  subsumes: (earlier, later) => earlier === undefined || (later !== undefined && later >= earlier),
  needs: ({ lastProofOlderThan }) => (lastProofOlderThan === undefined ? [] : ['person']),
  record: (facts) => kept('lastProofAt', facts.lastProofAt),
});
