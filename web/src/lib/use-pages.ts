// A list that comes page by page, each asked for when the end of those before comes near.
import { keepPreviousData, useInfiniteQuery, type QueryKey } from "@tanstack/react-query";
import { useCallback } from "react";

type Page = { items: unknown[]; next?: unknown };

type Options<P extends Page> = {
  queryKey: QueryKey;
  /** The page after a place that a page before gave as its `next`; the first without one. */
  page: (after: NonNullable<P["next"]> | undefined) => Promise<P>;
  /** Whether what was listed stays until what is asked for instead has come. */
  keep?: boolean;
};

export function usePages<P extends Page>({ queryKey, page, keep }: Options<P>) {
  const pages = useInfiniteQuery({
    queryKey,
    queryFn: ({ pageParam }) => page(pageParam as NonNullable<P["next"]> | undefined),
    initialPageParam: undefined as NonNullable<P["next"]> | undefined,
    getNextPageParam: (last) => last.next ?? undefined,
    placeholderData: keep ? keepPreviousData : undefined,
  });
  const { hasNextPage, isFetching, fetchNextPage } = pages;
  const more = useCallback(() => {
    if (hasNextPage && !isFetching) void fetchNextPage();
  }, [hasNextPage, isFetching, fetchNextPage]);
  return {
    items: (pages.data?.pages.flatMap((p) => p.items) ?? []) as P["items"],
    /** The first page, which says how many there are. */
    first: pages.data?.pages[0] as P | undefined,
    isPending: pages.isPending,
    error: pages.error,
    refetch: () => void pages.refetch(),
    more,
  };
}
