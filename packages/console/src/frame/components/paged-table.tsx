import { useInfiniteQuery } from '@tanstack/react-query';
import type { ComponentProps } from 'react';
import { words } from '../messages/index.js';
import { troubleOf } from '../session/api.js';
import { Button } from './button.js';
import { Banner } from './layout.js';
import { Table } from './table.js';

/** A page of rows, and where the next one begins. */
export interface RowsPage<T> {
  readonly rows: readonly T[];
  readonly next: string | null;
}
/** What a page is asked for by. */
export interface PageQuery {
  readonly limit: number;
  readonly cursor?: string;
}

/** Rows shown before somebody wants more of them, and how many more at a time. */
const [FIRST_ROWS, MORE_ROWS] = [8, 100];

/** A table within a page or dialog that shows the first rows, and all of them, as far as somebody wants to read. */
export function PagedTable<T extends object>({
  queryKey,
  read,
  ...table
}: {
  /** Begins with the area, so that a change of it is read again. */
  queryKey: readonly unknown[];
  read: (query: PageQuery) => Promise<RowsPage<T>>;
} & Omit<ComponentProps<typeof Table<T>>, 'rows'>) {
  const pages = useInfiniteQuery({
    queryKey,
    queryFn: ({ pageParam }) => read(pageParam ? { limit: MORE_ROWS, cursor: pageParam } : { limit: FIRST_ROWS }),
    initialPageParam: '',
    getNextPageParam: (page) => page.next ?? undefined,
  });
  if (pages.error && !pages.data) return <Banner $tone="danger">{troubleOf(pages.error)?.text}</Banner>;
  return (
    <>
      <Table {...table} rows={pages.data?.pages.flatMap((page) => page.rows) ?? []} />
      {pages.error && <Banner $tone="danger">{troubleOf(pages.error)?.text}</Banner>}
      {pages.hasNextPage && (
        <Button look="quiet" isPending={pages.isFetching} onPress={() => void pages.fetchNextPage()}>
          {words.act.more}
        </Button>
      )}
    </>
  );
}
