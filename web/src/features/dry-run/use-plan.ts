// A plan as it is looked through: its changes page by page, the one that is chosen, and decisions with their undo.
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { toast } from "sonner";
import { api, take, type Schemas } from "@/api/client";
import { keys, refresh } from "@/api/keys";
import { usePages } from "@/lib/use-pages";
import { count } from "@/lib/words";
import type { Filter, Listed, Plan } from "./listed";
import { writable } from "./listed";

export function useChanges(plan: Plan, filter: Filter) {
  const path = { id: plan.id };
  const { first, ...list } = usePages({
    queryKey: keys.changes(plan.id, filter),
    page: (after: number | undefined) =>
      take(api.GET("/plans/{id}/changes", { params: { path, query: { ...filter, after, limit: 100 } } })),
  });
  return { ...list, total: first && { total: first.total, more: first.more } };
}

/** Decisions about a plan; each refreshes what shows it, and can be undone. */
export function useDecisions(plan: Plan, route: string) {
  const queries = useQueryClient();
  const again = () => refresh.plan(queries, plan.id, route);
  const at = { params: { path: { id: plan.id } } };
  const undo = useMutation({
    mutationFn: () => take(api.POST("/plans/{id}/undo", at)),
    onSuccess: async (done) => {
      toast(`Undone: ${count(done.changed, "change")} as before`);
      await again();
    },
  });
  const done = (words: string) => toast(words, { action: { label: "Undo", onClick: () => undo.mutate() } });
  const decide = useMutation({
    mutationFn: ({ seq, body }: { seq: number; body: Schemas["DecisionBody"] }) =>
      take(api.PATCH("/plans/{id}/changes/{seq}", { params: { path: { id: plan.id, seq } }, body })),
    onSuccess: again,
  });
  const include = useMutation({
    mutationFn: ({ filter, included }: { filter: Filter; included: boolean }) =>
      take(api.POST("/plans/{id}/include", { ...at, body: { filter, included } })),
    onSuccess: async (answer, { included }) => {
      done(`${count(answer.changed, "change")} ${included ? "included" : "left out"}`);
      await again();
    },
  });
  const alike = useMutation({
    mutationFn: (body: Schemas["AlikeBody"]) => take(api.POST("/plans/{id}/decide", { ...at, body })),
    onSuccess: async (answer) => {
      done(`Decided for ${count(answer.changed, "change")}`);
      await again();
    },
  });
  const locked = !!plan.transfer;
  return {
    plan: plan.id,
    locked,
    decide: (seq: number, body: Schemas["DecisionBody"]) => !locked && decide.mutate({ seq, body }),
    toggle: (item: Listed | undefined) =>
      item && !locked && writable(item) && decide.mutate({ seq: item.seq, body: { included: !item.included } }),
    includeAll: (filter: Filter, included: boolean) => include.mutate({ filter, included }),
    alike: (body: Schemas["AlikeBody"]) => alike.mutate(body),
    undo: () => !locked && plan.undoable > 0 && undo.mutate(),
    error: decide.error ?? include.error ?? alike.error ?? undo.error,
  };
}

export type Decisions = ReturnType<typeof useDecisions>;
