// A sheet that lists what a count stands for: page by page, found by words.
import { keepPreviousData, useInfiniteQuery, type QueryKey } from "@tanstack/react-query";
import { useCallback, useState, type ReactNode } from "react";
import { Loading, Trouble } from "./basics";
import { Sheet } from "./dialog";
import { FindBox } from "./find-box";
import { VirtualList } from "./virtual-list";

type Page<T, A> = { items: T[]; total: number; next?: A | null };

type Props<T, A> = {
  title: string;
  open: boolean;
  onOpenChange: (open: boolean) => void;
  /** What tells this list from others; the words that are looked for are added. */
  queryKey: (find: string) => QueryKey;
  page: (find: string, after: A | undefined) => Promise<Page<T, A>>;
  keyOf: (item: T) => string;
  row: (item: T) => ReactNode;
  /** Said above the list, when it is known how many there are in all. */
  note?: (total: number) => ReactNode;
};

export function ListSheet<T, A>(props: Props<T, A>) {
  return (
    <Sheet title={props.title} open={props.open} onOpenChange={props.onOpenChange} wide>
      <Inside {...props} />
    </Sheet>
  );
}

function Inside<T, A>({ title, queryKey, page, keyOf, row, note }: Props<T, A>) {
  const [find, setFind] = useState("");
  const pages = useInfiniteQuery({
    queryKey: queryKey(find),
    queryFn: ({ pageParam }) => page(find, pageParam as A | undefined),
    initialPageParam: undefined as A | undefined,
    getNextPageParam: (last) => last.next ?? undefined,
    placeholderData: keepPreviousData,
  });
  const { hasNextPage, isFetching, fetchNextPage } = pages;
  const more = useCallback(() => {
    if (hasNextPage && !isFetching) void fetchNextPage();
  }, [hasNextPage, isFetching, fetchNextPage]);
  const items = pages.data?.pages.flatMap((p) => p.items) ?? [];
  const total = pages.data?.pages[0]?.total;
  return (
    <>
      <div className="mb-2 flex flex-wrap items-center gap-3">
        <FindBox label="Find" placeholder="Title or key" className="w-[220px]" value={find} onFind={setFind} />
        <span role="status" className="text-ink-2">
          {total !== undefined && `${total.toLocaleString("en")} listed`}
        </span>
      </div>
      {total !== undefined && !find && note?.(total)}
      {pages.isPending && <Loading what="the list" />}
      <Trouble error={pages.error} />
      {total === 0 && <p className="text-ink-2">{find ? "Nothing matches." : "There are none."}</p>}
      {items.length > 0 && (
        <VirtualList
          label={title}
          items={items}
          keyOf={keyOf}
          row={row}
          more={more}
          className="h-[50vh] border border-hair"
        />
      )}
    </>
  );
}
