import type { Migration } from './index.js';

/** An application of ours; another name where somebody has given theirs the same. */
const builtIn = (digit: number, name: string, description: string): string =>
  `INSERT IGNORE INTO applications (id, name, description, built_in, created_at)
   SELECT X'0000000000007000800000000000000${digit}', IF(EXISTS(SELECT 1 FROM applications WHERE name = '${name}'), '${name} (built in)', '${name}'),
     '${description}', 1, UTC_TIMESTAMP(3)`;

/** Where people help themselves: applications, so that the rulebook says who may. */
export const ownPlaces: readonly Migration[] = [
  {
    name: '0070-enrolment-application',
    sql: builtIn(2, 'Enrolment', 'Where people enrol authenticators themselves'),
  },
  {
    name: '0071-reset-application',
    sql: builtIn(3, 'Password reset', 'Where people replace a password that they forgot'),
  },
];
