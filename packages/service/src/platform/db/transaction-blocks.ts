import type { Connection } from 'mariadb';
import type { Transaction } from 'sequelize';
import { STOOD_NO_MORE } from './errors.js';
import {
  compile,
  connectionOf,
  filledIn,
  PATIENCE,
  runFilled,
  STILL_OPEN,
  type SqlValue,
  type Statement,
} from './sql.js';

/**
 * Several writes and the COMMIT in one compound statement (MariaDB's BEGIN NOT ATOMIC): one round trip instead of one for each. An error
 * in any of them ends the block. Sequelize's own COMMIT comes after it and finds nothing to do.
 */
export async function writeAndCommit(transaction: Transaction, statements: readonly Statement[]): Promise<void> {
  const { text, filled } = inOneBlock(statements);
  await runFilled(connectionOf(transaction), `BEGIN NOT ATOMIC ${STILL_OPEN}${text}${STILL_OPEN}COMMIT; END`, filled);
}

/**
 * Several whole transactions as one, with its COMMIT in the same block: they are kept together or not at all. Waits for nobody's locks, since
 * what holds one of them up would hold up all; after an error the connection has to be given its patience back.
 */
export async function writeAllAndCommit(
  connection: Connection,
  transactions: readonly (readonly Statement[])[],
): Promise<void> {
  const { text, filled } = inOneBlock(transactions.flat());
  await runFilled(
    connection,
    `BEGIN NOT ATOMIC SET innodb_lock_wait_timeout = 0; START TRANSACTION; ${text}${STILL_OPEN}COMMIT; ${PATIENCE}; END`,
    filled,
  );
}

function inOneBlock(statements: readonly Statement[]): { readonly text: string; readonly filled: readonly SqlValue[] } {
  let text = '';
  const filled: SqlValue[] = [];
  for (const { sql, values, matchesOne, stands } of statements) {
    const part = compile(sql);
    if (stands)
      text += `IF NOT EXISTS (${part.text}) THEN SIGNAL SQLSTATE '45000' SET MYSQL_ERRNO = ${STOOD_NO_MORE}; END IF; `;
    else
      text += matchesOne
        ? `${part.text}; IF ROW_COUNT() <> 1 THEN SIGNAL SQLSTATE '45000'; END IF; `
        : `${part.text}; `;
    filled.push(...filledIn(part.names, values));
  }
  return { text, filled };
}
