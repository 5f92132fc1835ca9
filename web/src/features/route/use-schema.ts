import { useQuery } from "@tanstack/react-query";
import { api, take, type Schemas } from "@/api/client";
import { keys } from "@/api/keys";
import { targetWord } from "../rules/rule-words";
import type { Lane, Route } from "./draft";

/** Fields of both ends with what the surveys found in them. */
export function useSchema(route: Route) {
  return useQuery({
    queryKey: keys.schema(route.id, route.left.surveyed_at, route.right.surveyed_at),
    queryFn: () => take(api.GET("/routes/{id}/schema", { params: { path: { id: route.id } } })),
    staleTime: 60_000,
  });
}

/** What conditions and expressions over a kind of one end can speak of. */
export function useNames(route: Route, end: "left" | "right", kind: Schemas["Kind"]) {
  return useQuery({
    queryKey: keys.names(route.id, end, kind, route[end].surveyed_at),
    queryFn: () => take(api.GET("/routes/{id}/names", { params: { path: { id: route.id }, query: { end, kind } } })),
    staleTime: 60_000,
  });
}

export type RouteSchema = Schemas["RouteSchema"];

/** What one end says about a lane's kind. */
export function endOf(schema: RouteSchema | undefined, lane: Lane | undefined, end: "left" | "right") {
  const side = schema?.[end];
  const kind = end === "left" ? lane?.left_kind : lane?.right_kind;
  return {
    name: side?.system_name ?? end,
    kind: side?.catalogue.kinds.find((k) => k.kind === kind),
    survey: side?.survey.kinds.find((k) => k.kind === kind),
    users: side?.catalogue.users ?? [],
    ways: side?.ways,
  };
}

/** A field at an end as people call it. */
export function fieldName(
  schema: RouteSchema | undefined,
  end: Schemas["End"],
  kind: Schemas["Kind"],
  field: string,
): string {
  return targetWord(
    field,
    fieldOf(
      schema?.[end]?.catalogue.kinds.filter((k) => k.kind === kind),
      field,
    ),
  );
}

/** A field of any kind as people call it, at the right or else at the left. */
export function anyFieldName(schema: RouteSchema | undefined, field: string): string {
  const found = fieldOf(schema?.right?.catalogue.kinds, field) ?? fieldOf(schema?.left?.catalogue.kinds, field);
  return targetWord(field, found);
}

const fieldOf = (kinds: Schemas["KindSchema"][] | undefined, field: string) =>
  kinds?.flatMap((k) => k.fields).find((f) => f.id === field);
