// What reaches a rule's table, with how many items in scope hold or name each: values, or people.
import { useQuery } from "@tanstack/react-query";
import { useMemo } from "react";
import { api, take, type Schemas } from "@/api/client";
import { keys } from "@/api/keys";
import { useDebounce } from "use-debounce";
import { RESTS_MS } from "@/lib/rests";
import type { Lane, Route } from "../route/draft";
import { LINKS, type Conversion } from "./rule-words";
import { withFill, type Fill } from "./fills";

type Table = "value_map" | "link_types" | "users";
const OF_VALUES: Table[] = ["value_map", "link_types"];
const OF_PEOPLE: Table[] = ["users"];

const isTable = (c: Conversion, tables: Table[]) => typeof c === "object" && tables.some((t) => t in c);

/** What stands before a table of a rule: what is met does not depend on the rest. None where there is no table. */
export function beforeTable(rule: Fill | undefined, tables = OF_VALUES): Fill | undefined {
  const at = rule?.conversions?.findIndex((c) => isTable(c, tables)) ?? -1;
  const bare = rule?.target === LINKS && tables.includes("link_types");
  if (!rule || (at < 0 && !bare)) return undefined;
  return { ...rule, conversions: rule.conversions?.slice(0, Math.max(at, 0)) };
}

type Body = Schemas["MetBody"];
type Ask<T> = (id: string, body: Body, signal: AbortSignal) => Promise<T>;

const values: Ask<Schemas["FieldSurvey"]> = (id, body, signal) =>
  take(api.POST("/routes/{id}/met", { params: { path: { id } }, body, signal }));
const people: Ask<Schemas["Recognised"][]> = (id, body, signal) =>
  take(api.POST("/routes/{id}/met/people", { params: { path: { id } }, body, signal }));

type At = [route: Route, lane: Lane, rule: Fill | undefined];

function useReached<T>(what: string, ask: Ask<T>, [route, lane, rule]: At, tables: Table[]): T | undefined {
  const now = useMemo(() => {
    const before = beforeTable(rule, tables);
    if (!before) return undefined;
    const alone = withFill({ ...lane, rules: [] }, before);
    return { lane: alone, rule: before.target };
  }, [lane, rule, tables]);
  // An expression is typed letter by letter.
  const [asked] = useDebounce(now, RESTS_MS);
  const alike = (one: typeof now, other: typeof now) => one?.lane.id === other?.lane.id && one?.rule === other?.rule;
  const met = useQuery({
    queryKey: keys.met(route.id, what, asked, route.left.surveyed_at, route.right.surveyed_at),
    queryFn: ({ signal }) => ask(route.id, asked as Body, signal),
    enabled: !!asked,
    placeholderData: (old, query) => (alike(query?.queryKey[3] as typeof now, asked) ? old : undefined),
    staleTime: 60_000,
  });
  return alike(asked, now) ? met.data : undefined;
}

/** The values of a map, or the types of links; undefined while they are asked for, and where there is no such table. */
export const useMet = (...at: At) => useReached("met", values, at, OF_VALUES);

/** The people of a table, each with whom they are recognised as; undefined as with [`useMet`]. */
export const usePeopleMet = (...at: At) => useReached("people found", people, at, OF_PEOPLE);
