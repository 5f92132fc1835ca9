// The rows of the Rules stop: fields of the end that is written with their rules, and what of the other no rule takes.
import type { Schemas } from "@/api/client";
import type { Lane } from "../route/draft";
import type { Row } from "./rule-row";
import { HANGING, HISTORY, PARENT, sourceField } from "./rule-words";
import { fillsOf, type Fill } from "./fills";

/** Every field of the end that is written, the folder included, with the rule that fills it. */
export function rowsOf(lane: Lane, to?: Schemas["KindSchema"]): Row[] {
  const fills = fillsOf(lane);
  const byTarget = new Map(fills.map((f) => [f.target, f]));
  const rule = (target: string) => byTarget.get(target);
  const fields = to?.fields.filter((f) => !f.read_only) ?? [];
  const known = fields.map((f) => ({ target: f.id, schema: f, rule: rule(f.id) }));
  const gone = fills
    .filter((r) => r.target !== PARENT && !fields.some((f) => f.id === r.target))
    .map((r) => ({ target: r.target, rule: r }));
  // What is no field of the item's own comes last.
  const last = (r: Row) => HANGING.indexOf(r.target);
  const sorted = known.sort((a, b) => last(a) - last(b));
  const folder = to?.in_folders || rule(PARENT) ? [{ target: PARENT, rule: rule(PARENT) }] : [];
  return [...sorted, ...folder, ...gone];
}

/** What of the items that are read no rule takes. */
export function notTaken(lane: Lane | undefined, from: Schemas["KindSchema"] | undefined, rows: Row[]) {
  const used = new Set(fillsOf(lane).map(sourceField));
  const there = (id: string) => from?.fields.some((f) => f.id === id) ?? false;
  const carries = (r: Fill) => r.source === "history" || r.source === "comments_and_history";
  return {
    /** What hangs on items and has no place at the other end. */
    hanging: [...HANGING, ...(from?.in_folders ? [PARENT] : [])].filter(
      (id) => id !== HISTORY && (id === PARENT || there(id)) && !rows.some((r) => r.target === id),
    ),
    /** Whether Hovrel keeps the history itself. */
    keepsHistory: there(HISTORY) && !fillsOf(lane).some(carries),
    unused: from?.fields.filter((f) => !f.id.startsWith("@") && !f.origin_mark && !used.has(f.id)) ?? [],
  };
}
