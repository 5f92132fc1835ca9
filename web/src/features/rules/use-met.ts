// The values that reach a rule's table, with how many items in scope hold each.
import { useQuery } from "@tanstack/react-query";
import { useMemo } from "react";
import { api, take, type Schemas } from "@/api/client";
import { useSettled } from "@/lib/use-settled";
import type { Lane, Route } from "../route/draft";
import { LINKS, type Conversion, type Rule } from "./rule-words";

const isTable = (c: Conversion) => typeof c === "object" && ("value_map" in c || "link_types" in c);

/** What stands before the table of a rule: what is met does not depend on the rest. None where there is no table. */
export function beforeTable(rule: Rule | undefined): Rule | undefined {
  const at = rule?.conversions?.findIndex(isTable) ?? -1;
  if (!rule || (at < 0 && rule.target !== LINKS)) return undefined;
  return { ...rule, conversions: rule.conversions?.slice(0, Math.max(at, 0)) };
}

/** Undefined while it is asked for, and where there is no table. */
export function useMet(route: Route, lane: Lane, rule: Rule | undefined): Schemas["FieldSurvey"] | undefined {
  const now = useMemo(() => {
    const before = beforeTable(rule);
    return before && { lane: { ...lane, rules: [before] }, target: before.target };
  }, [lane, rule]);
  // An expression is typed letter by letter.
  const asked = useSettled(now);
  const alike = (one: typeof now, other: typeof now) =>
    one?.lane.id === other?.lane.id && one?.target === other?.target;
  const met = useQuery({
    queryKey: ["met", route.id, asked, route.left.surveyed_at, route.right.surveyed_at],
    queryFn: ({ signal }) => {
      const body = asked as NonNullable<typeof now>;
      return take(api.POST("/routes/{id}/met", { params: { path: { id: route.id } }, body, signal }));
    },
    enabled: !!asked,
    placeholderData: (old, query) => (alike(query?.queryKey[2] as typeof now, asked) ? old : undefined),
    staleTime: 60_000,
  });
  return alike(asked, now) ? met.data : undefined;
}
