// Trees of conditions, as the editor handles them.
import type { Schemas } from "@/api/client";

export type Condition = Schemas["Condition"];
export type Row = Schemas["ConditionRow"];
export type Group = { mode: "all" | "any"; list: Condition[] };

/** A condition as a group; one that is none is a group of itself. */
export function groupOf(c: Condition): Group {
  if ("any" in c) return { mode: "any", list: c.any };
  if ("all" in c) return { mode: "all", list: c.all };
  return { mode: "all", list: [c] };
}

export function conditionOf({ mode, list }: Group): Condition {
  return mode === "all" ? { all: list } : { any: list };
}

export const isGroup = (c: Condition): c is Extract<Condition, { all: unknown } | { any: unknown }> =>
  "all" in c || "any" in c;

/** Whether a row has nothing to compare with yet. */
export const isBlank = (row: Row): boolean => !row.value && !row.values?.length;

/** How many rows and expressions a condition has. */
export function size(c: Condition): number {
  return isGroup(c) ? groupOf(c).list.reduce((n, inner) => n + size(inner), 0) : 1;
}

/** A row for another field: its comparison is kept if it goes with it, and its value with that. */
export function moved(row: Row, to: Schemas["Place"], from?: Schemas["Place"]): Row {
  const op = to.operators.includes(row.op) ? row.op : to.operators[0]!;
  const same = from?.holds === to.holds && op === row.op;
  return {
    field: to.field,
    op,
    value: same ? row.value : to.holds === "yes_no" ? "yes" : "",
    values: same ? row.values : [],
  };
}
