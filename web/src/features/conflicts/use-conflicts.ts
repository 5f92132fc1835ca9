// Conflicts page by page, the one that is looked at, and what is decided about them.
import { useMutation, useQuery, useQueryClient, type UseQueryResult } from "@tanstack/react-query";
import { toast } from "sonner";
import { api, take, type Schemas } from "@/api/client";
import { keys, refresh } from "@/api/keys";
import { usePages } from "@/lib/use-pages";
import { count } from "@/lib/words";

export type Listed = Schemas["ListedConflict"];
export type Filter = {
  state?: Schemas["ConflictState"];
  route?: string;
  lane?: string;
  rule?: string;
  reason?: Schemas["FieldReason"];
  /** Who changed one of the two last. */
  by?: string;
  /** Open for at least so many days. */
  days?: number;
  find?: string;
};

export function useConflicts(filter: Filter) {
  return usePages({
    queryKey: keys.conflicts(filter),
    page: (after: string | undefined) =>
      take(api.GET("/conflicts", { params: { query: { ...filter, after, limit: 100 } } })),
    keep: true,
  });
}

export const useGroups = () =>
  useQuery({ queryKey: keys.conflictGroups, queryFn: () => take(api.GET("/conflicts/groups")) });

export const useEditors = () =>
  useQuery({ queryKey: keys.conflictEditors, queryFn: () => take(api.GET("/conflicts/editors")) });

export const useConflict = (id: string | undefined) =>
  useQuery({
    queryKey: keys.conflict(id ?? ""),
    queryFn: () => take(api.GET("/conflicts/{id}", { params: { path: { id: id ?? "" } } })),
    enabled: !!id,
  });

export const useSimilar = (id: string) =>
  useQuery({
    queryKey: keys.similarConflicts(id),
    queryFn: () => take(api.GET("/conflicts/{id}/similar", { params: { path: { id } } })),
  });

/** What a query holds, read again first where that is under way: what stands there may be from before a decision. */
export const latestOf = async <T>(query: UseQueryResult<T>): Promise<T | undefined> =>
  query.isFetching ? (await query.refetch()).data : query.data;

type AsShown = Schemas["AsShown"];

const asShown = ({ id, generation, revision }: AsShown): AsShown => ({ id, generation, revision });

/** Decides about conflicts, and takes decisions back. What failed is told where it was asked for. */
export function useSettle() {
  const queries = useQueryClient();
  const again = () => refresh.conflicts(queries);
  const reopen = useMutation({
    mutationFn: (list: AsShown[]) => take(api.POST("/conflicts/reopen", { body: { conflicts: list.map(asShown) } })),
    onSuccess: async (_, list) => {
      toast(`${count(list.length, "conflict")} open again`);
      await again();
    },
    onError: again,
  });
  const settle = useMutation({
    mutationFn: ({ list, ...body }: { list: Listed[]; take: Schemas["Take"]; merge?: Schemas["MergeBody"] }) =>
      take(api.POST("/conflicts/settle", { body: { conflicts: list.map(asShown), ...body } })),
    onSuccess: async (now) => {
      toast(`Decided for ${count(now.length, "conflict")}`, {
        action: { label: "Undo", onClick: () => reopen.mutate(now) },
      });
      await again();
    },
    // What is there now is shown.
    onError: again,
  });
  return { settle, reopen };
}
