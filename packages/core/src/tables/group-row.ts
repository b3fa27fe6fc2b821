import { normaliseLoginName } from '../loginnames/index.js';
import { GROUP_NAME_MAX, LINE_PATTERN } from '../people/fields.js';
import type { ColumnMeaning, CommaRule, RowReason } from '../vocabulary.js';
import { readCell, readNames, type RowIssue } from './person-row.js';

/** One row about a group: itself, perhaps the group it is part of, perhaps members. A group may stand in several rows. */
export interface GroupRow {
  readonly group: string | undefined;
  readonly description: string | undefined;
  readonly partOf: string | undefined;
  /** Login names, normalised, with the column in which each stood. */
  readonly members: readonly { readonly loginName: string; readonly column: number }[];
}

export const DESCRIPTION_MAX = 400;

/** Reads one row. */
export function readGroupRow(
  cells: readonly string[],
  columns: readonly ColumnMeaning[],
  commas: CommaRule = 'ask',
): { readonly row: GroupRow; readonly issues: readonly RowIssue[] } {
  const issues: RowIssue[] = [];
  const refuse = (column: number | null, reason: RowReason, facts?: RowIssue['facts']) =>
    void issues.push({ column, reason, ...(facts ? { facts } : {}) });
  const said: Partial<Record<'group' | 'description' | 'part-of', string>> = {};
  const members: { loginName: string; column: number }[] = [];
  if (cells.length !== columns.length) refuse(null, 'row-length', { cells: cells.length, columns: columns.length });
  columns.forEach((meaning, column) => {
    const text = readCell(cells[column] ?? '');
    if (text === '') {
      if (meaning === 'group') refuse(column, 'missing');
      return;
    }
    if (meaning === 'member') {
      const names = readNames(text, commas);
      if (!names) refuse(column, 'several-names');
      for (const typed of names ?? []) {
        const name = normaliseLoginName(typed);
        if (name.ok) members.push({ loginName: name.value, column });
        else refuse(column, 'unknown-person');
      }
      return;
    }
    if (meaning !== 'group' && meaning !== 'part-of' && meaning !== 'description') return;
    const most = meaning === 'description' ? DESCRIPTION_MAX : GROUP_NAME_MAX;
    if ([...text].length > most) refuse(column, 'too-long', { most });
    else if (!LINE_PATTERN.test(text)) refuse(column, 'control-characters');
    else said[meaning] = text;
  });
  return {
    row: { group: said.group, description: said.description, partOf: said['part-of'], members },
    issues,
  };
}
