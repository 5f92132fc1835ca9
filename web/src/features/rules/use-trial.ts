// What the rules, as they are now, are worth: what is wrong with them, and what they make of one real item.
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { useDebounce } from "use-debounce";
import { api, take } from "@/api/client";
import { keys } from "@/api/keys";
import { RESTS_MS } from "@/lib/rests";
import type { Lane, Route } from "../route/draft";
import { writtenEnd } from "@/lib/lanes";
import { fillOf } from "./fills";

export function useTrial(route: Route, lanes: Lane[], lane: Lane | undefined) {
  const [at, setAt] = useState(0);
  // While somebody types, nothing is asked: the answers would come late and in a heap.
  const [rested] = useDebounce(lanes, RESTS_MS);
  const tried = rested.find((l) => l.id === lane?.id);
  const faults = useQuery({
    queryKey: keys.checks(route.id, rested, route.left.surveyed_at, route.right.surveyed_at),
    queryFn: ({ signal }) =>
      take(api.POST("/routes/{id}/checks", { params: { path: { id: route.id } }, body: { lanes: rested }, signal })),
    placeholderData: keepPreviousData,
  });
  const preview = useQuery({
    queryKey: keys.preview(route.id, tried, at),
    queryFn: ({ signal }) => {
      const body = { lane: tried as Lane, at };
      return take(api.POST("/routes/{id}/preview", { params: { path: { id: route.id } }, body, signal }));
    },
    enabled: !!tried,
    placeholderData: keepPreviousData,
  });
  /** What each rule makes of the item that is tried, by what it fills. */
  const made = useMemo(() => {
    const target = new Map(tried?.rules.map((r) => [r.id, fillOf(r, writtenEnd(tried))?.target]));
    return new Map(preview.data?.values.map((v) => [target.get(v.rule) ?? v.rule, v]));
  }, [preview.data, tried]);
  /** What is wrong with the lane's rules, by target. */
  const wrong = useMemo(() => {
    const of = faults.data?.filter((f) => f.lane === lane?.id) ?? [];
    // Of several faults of a field the first is told in its row.
    return new Map(of.toReversed().map((f) => [f.field, f.message]));
  }, [faults.data, lane?.id]);
  /** Tries the item so many further on. */
  const step = (by: number) =>
    setAt(Math.min(Math.max((preview.data?.at ?? 0) + by, 0), Math.max((preview.data?.total ?? 1) - 1, 0)));
  return { faults, preview, made, wrong, step };
}
