import { nameKey, serialKey } from '@nimble-latch/core/people';
import { likePrefix, type SqlValues } from '../../platform/db/sql.js';
import type { Deps } from '../../platform/deps.js';

export interface SearchStep {
  readonly from: string;
  readonly range: string;
  readonly values: SqlValues;
  /** What its rows are sorted by, beside the person's id where that is not unique. */
  readonly sort: string;
  readonly order: string;
  readonly after: string;
}

/**
 * Where a search looks, one after the other: an address or number that is exactly somebody's, beginnings of names,
 * of login names, of serial numbers. Each is a range of one index; nobody comes twice.
 */
export function searchSteps(deps: Deps, typed: string): SearchStep[] {
  const keys = deps.keys.current;
  const trimmed = typed.trim();
  const number = `+${trimmed.replace(/\D/g, '')}`;
  const contact = {
    mails: trimmed.includes('@') ? keys.blindIndexes('mail', trimmed.toLowerCase()) : [],
    phones: /^\+?[\d ()-]{6,}$/.test(trimmed) ? keys.blindIndexes('phone', number) : [],
  };
  const folded = nameKey(trimmed);
  const name = folded === '' ? '' : likePrefix(folded);
  const login = likePrefix(trimmed.normalize('NFKC').toLowerCase());
  const serial = serialKey(trimmed);
  // Of a number's few first letters whole shelves would be found.
  const byNumber = serial.length >= 3 && /^[\w ./:-]+$/.test(trimmed) ? likePrefix(serial) : '';
  const exact = [
    contact.mails.length > 0 ? 'p.mail_index IN (:mails)' : '',
    contact.phones.length > 0 ? 'p.phone_index IN (:phones)' : '',
  ].filter(Boolean);
  const isExact = exact.length > 0 ? `(${exact.join(' OR ')})` : '1 = 0';
  const contactValues: SqlValues = {
    ...(contact.mails.length > 0 ? { mails: contact.mails } : {}),
    ...(contact.phones.length > 0 ? { phones: contact.phones } : {}),
  };
  const notExact = exact.length > 0 ? `NOT COALESCE(${isExact}, 0)` : '1 = 1';
  return [
    { from: 'persons p', range: isExact, values: contactValues, sort: "''", order: 'p.id', after: 'p.id > :afterId' },
    {
      from: 'person_terms d STRAIGHT_JOIN persons p ON p.id = d.person_id',
      sort: 'd.term',
      order: 'd.term, d.person_id',
      after: 'd.term >= :afterSort AND (d.term > :afterSort OR d.person_id > :afterId)',
      // Under the first of the terms that match, where somebody has several.
      range:
        name === ''
          ? '1 = 0'
          : `d.term LIKE :name AND ${notExact} AND NOT EXISTS (SELECT 1 FROM person_terms o WHERE o.person_id = d.person_id AND o.term LIKE :name AND o.term < d.term)`,
      values: { name, ...contactValues },
    },
    {
      from: 'login_names d FORCE INDEX (login_names_value) STRAIGHT_JOIN persons p ON p.id = d.person_id',
      // Unique: ordered by anything more, the rows would be sorted instead of read in their order.
      sort: 'd.value',
      order: 'd.value',
      after: 'd.value > :afterSort',
      range: `d.value LIKE :login AND ${notExact} AND NOT EXISTS (SELECT 1 FROM login_names o WHERE o.person_id = d.person_id AND o.value LIKE :login AND o.value < d.value)
        ${name === '' ? '' : 'AND NOT EXISTS (SELECT 1 FROM person_terms t WHERE t.person_id = d.person_id AND t.term LIKE :name)'}`,
      values: { name, login, ...contactValues },
    },
    {
      from: 'carriers d FORCE INDEX (carriers_serial) STRAIGHT_JOIN persons p ON p.id = d.person_id',
      sort: 'd.serial_key',
      order: 'd.serial_key',
      after: 'd.serial_key > :afterSort',
      range:
        byNumber === ''
          ? '1 = 0'
          : `d.serial_key LIKE :serial AND ${notExact} AND NOT EXISTS (SELECT 1 FROM carriers o WHERE o.person_id = d.person_id AND o.serial_key LIKE :serial AND o.serial_key < d.serial_key)
        ${name === '' ? '' : 'AND NOT EXISTS (SELECT 1 FROM person_terms t WHERE t.person_id = d.person_id AND t.term LIKE :name)'}
        AND NOT EXISTS (SELECT 1 FROM login_names n WHERE n.person_id = d.person_id AND n.value LIKE :login)`,
      values: { name, login, serial: byNumber, ...contactValues },
    },
  ];
}
