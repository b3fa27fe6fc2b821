import type { ColumnMeaning, PersonState, RowChange, RowVerdict, Id } from '../vocabulary.js';
import type { PersonRow, RowIssue } from './person-row.js';

/** A person as the service knows them, with what the same mapping brought. */
export interface KnownPerson {
  readonly id: Id;
  readonly name: string;
  readonly state: PersonState;
  readonly mail: string | null;
  readonly phone: string | null;
  readonly language: string;
  readonly timeZone: string;
  /** `brought`: by an earlier file of the same mapping, which may therefore take it away. */
  readonly loginNames: readonly { readonly value: string; readonly brought: boolean }[];
  readonly groups: readonly { readonly id: Id; readonly name: string; readonly brought: boolean }[];
  /** By which the files of this mapping know them. */
  readonly reference: string | null;
  /** They were deactivated because a file of this mapping had them no longer. */
  readonly left: boolean;
  /** An administrator or an emergency account, and the file is not an owner's: it changes nothing of them. */
  readonly untouchable: boolean;
}

/** A group that a row names; without an id it is not there yet. */
export interface NamedGroup {
  readonly id: Id | null;
  readonly name: string;
}

/** One difference between a row and what is known. Lists change by one entry each: `from` is taken away, `to` is added. */
export interface Change {
  readonly what: RowChange;
  readonly from: string | null;
  readonly to: string | null;
}

export interface Plan {
  readonly verdict: RowVerdict;
  /** Whom it concerns; null for somebody new, or nobody. */
  readonly id: Id | null;
  readonly changes: readonly Change[];
  readonly issues: readonly RowIssue[];
}

/**
 * Decides what a row comes to. A row is about the person whom the mapping knows by its reference, else about the one
 * person who has one of its login names, else about somebody new.
 *
 * What a file brought, the next file of the same mapping may change or take away; login names and memberships from
 * elsewhere stay. Somebody deactivated for being missing in a file returns with the file that has them again; who was
 * deactivated by hand stays so.
 *
 * An administrator or an emergency account is changed by an owner's file only; any other file refuses the row.
 *
 * @param groups the row's groups, looked up; undefined where the file says nothing of groups
 * @param known who has the reference, and who has which of the login names
 * @param reference by which the mapping will know them; null where the import belongs to no mapping
 */
export function planPerson(
  row: PersonRow,
  groups: readonly NamedGroup[] | undefined,
  known: { readonly byReference: KnownPerson | undefined; readonly byLoginName: readonly KnownPerson[] },
  reference: string | null,
  columns: readonly ColumnMeaning[],
): Plan {
  const refused = (id: Id | null, column: number, reason: RowIssue['reason']): Plan => ({
    verdict: 'refused',
    id,
    changes: [],
    issues: [{ column: column < 0 ? null : column, reason }],
  });
  const nameColumn = columns.findIndex((meaning) => meaning === 'login-name' || meaning === 'mail-and-login-name');
  const person = known.byReference ?? known.byLoginName[0];
  if (known.byLoginName.some((other) => other.id !== person?.id))
    return refused(known.byReference?.id ?? null, nameColumn, 'two-people');
  if (!person) {
    if (row.name === undefined) return refused(null, columns.indexOf('name'), 'missing');
    if (row.loginNames.length === 0) return refused(null, nameColumn, 'login-name-missing');
    return { verdict: 'new', id: null, changes: [], issues: [] };
  }
  const changes: Change[] = [];
  const compare = (what: RowChange, from: string | null, to: string | null | undefined) => {
    if (to !== undefined && to !== from) changes.push({ what, from, to });
  };
  compare('name', person.name, row.name);
  compare('mail', person.mail, row.mail);
  compare('phone', person.phone, row.phone);
  compare('language', person.language, row.language);
  compare('time-zone', person.timeZone, row.timeZone);
  compare('reference', person.reference, reference ?? undefined);
  const wanted = new Set(row.loginNames.map(({ value }) => value));
  for (const value of wanted)
    if (!person.loginNames.some((name) => name.value === value))
      changes.push({ what: 'login-name', from: null, to: value });
  // A file without login names takes none away.
  if (wanted.size > 0)
    for (const name of person.loginNames)
      if (name.brought && !wanted.has(name.value)) changes.push({ what: 'login-name', from: name.value, to: null });
  if (groups) {
    for (const group of groups)
      if (group.id === null || !person.groups.some(({ id }) => id === group.id))
        changes.push({ what: 'group', from: null, to: group.name });
    for (const group of person.groups)
      if (group.brought && !groups.some(({ id }) => id === group.id))
        changes.push({ what: 'group', from: group.name, to: null });
  }
  const returns = person.state === 'deactivated' && person.left;
  if (returns) changes.push({ what: 'state', from: 'deactivated', to: 'active' });
  if (changes.length > 0 && person.untouchable) return refused(person.id, -1, 'owners-only');
  return {
    verdict: returns ? 'returning' : changes.length > 0 ? 'changed' : 'unchanged',
    id: person.id,
    changes,
    issues: [],
  };
}
