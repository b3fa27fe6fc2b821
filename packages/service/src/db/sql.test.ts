import { expect, it } from 'vitest';
import { brokenUniqueIndex, isRetryable, isUnavailable } from './errors.js';
import { insertion, likePrefix, updateOf } from './sql.js';

it('names columns after values, and counts a version up only where one is asked for', () => {
  expect(insertion('persons', { id: 'x', displayName: 'y' }).sql).toBe(
    'INSERT INTO `persons` (`id`, `display_name`) VALUES (:id, :displayName)',
  );
  expect(updateOf('persons', Buffer.alloc(16), { displayName: 'y' }).sql).toBe(
    'UPDATE `persons` SET `display_name` = :displayName WHERE id = :rowId',
  );
  expect(updateOf('persons', Buffer.alloc(16), {}, 3).sql).toBe(
    'UPDATE `persons` SET version = version + 1 WHERE id = :rowId AND version = :rowVersion',
  );
});

it('makes the wildcards of a search literal', () => expect(likePrefix('50%_\\')).toBe('50\\%\\_\\\\%'));

it('tells conflicts, absences and broken indexes apart by number, never by words', () => {
  const error = (errno: number, sqlMessage = '') => Object.assign(new Error('x'), { errno, sqlMessage });
  expect([1213, 1205, 1020, 1047, 1180, 1644].map((errno) => isRetryable(error(errno)))).toEqual(Array(6).fill(true));
  expect(isRetryable(error(1062))).toBe(false);
  expect(isRetryable(new Error('Deadlock found'))).toBe(false);
  expect(isUnavailable(Object.assign(new Error('x'), { code: 'ECONNREFUSED' }))).toBe(true);
  expect(isUnavailable(error(1062))).toBe(false);
  const duplicate = error(1062, "Duplicate entry 'it''s for key 'x'' for key 'login_names_value'");
  expect(brokenUniqueIndex(duplicate)).toBe('login_names_value');
  expect(brokenUniqueIndex(error(1213))).toBeUndefined();
});
