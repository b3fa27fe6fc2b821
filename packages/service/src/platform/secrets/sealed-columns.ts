import type { Id, KeyPurpose } from '@nimble-latch/core/vocabulary';
import type { AnyTable } from '../area.js';

/** A column whose records are sealed anew when their key is replaced. */
export interface SealedColumn {
  readonly purpose: KeyPurpose;
  readonly table: string;
  readonly column: string;
  readonly identity: (id: Id) => string;
  /** The blind index beside it. */
  readonly index?: { readonly column: string; readonly field: string };
}

const columnsOf = (tables: readonly AnyTable[]) =>
  tables.flatMap(({ table, columns }) => [...columns].map(([column, { kept }]) => ({ table, column, kept })));

/** Sealed columns that outlive their key, from the descriptions of the tables. */
export const sealedColumnsOf = (tables: readonly AnyTable[]): readonly SealedColumn[] =>
  columnsOf(tables).flatMap(({ table, column, kept: { sealed } }) =>
    sealed?.identity ? [{ ...sealed, identity: sealed.identity, table, column }] : [],
  );

/** Where rows name a key of a purpose, or carry its id inside what was sealed with it (its bytes 2 to 17). */
export const keyReferences = (
  tables: readonly AnyTable[],
  purpose: KeyPurpose,
): readonly { readonly table: string; readonly names: string }[] =>
  columnsOf(tables).flatMap(({ table, column, kept: { sealed, keyOf } }) => [
    ...(sealed?.purpose === purpose ? [{ table, names: `SUBSTRING(\`${column}\`, 2, 16)` }] : []),
    ...(keyOf === purpose ? [{ table, names: `\`${column}\`` }] : []),
  ]);
