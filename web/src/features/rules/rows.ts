// The rows of the Rules stop: fields at the right with their rules, and what of the left no rule takes.
import type { Schemas } from "@/api/client";
import type { Lane } from "../route/draft";
import type { Row } from "./rule-row";
import { HANGING, HISTORY, PARENT, sourceField, type Rule } from "./rule-words";

/** Every field at the right, the folder included, with the rule that fills it. */
export function rowsOf(lane: Lane, right?: Schemas["KindSchema"]): Row[] {
  const rules = new Map(lane.rules.map((r) => [r.target, r]));
  const rule = (target: string) => rules.get(target);
  const fields = right?.fields.filter((f) => !f.read_only) ?? [];
  const known = fields.map((f) => ({ target: f.id, schema: f, rule: rule(f.id) }));
  const gone = lane.rules
    .filter((r) => r.target !== PARENT && !fields.some((f) => f.id === r.target))
    .map((r) => ({ target: r.target, rule: r }));
  // What is no field of the item's own comes last.
  const last = (r: Row) => HANGING.indexOf(r.target);
  const sorted = known.sort((a, b) => last(a) - last(b));
  const folder = right?.in_folders || rule(PARENT) ? [{ target: PARENT, rule: rule(PARENT) }] : [];
  return [...sorted, ...folder, ...gone];
}

/** What of the left's items no rule takes. */
export function notTaken(lane: Lane | undefined, left: Schemas["KindSchema"] | undefined, rows: Row[]) {
  const used = new Set(lane?.rules.map(sourceField));
  const there = (id: string) => left?.fields.some((f) => f.id === id) ?? false;
  const carries = (r: Rule) => r.source === "history" || r.source === "comments_and_history";
  return {
    /** What hangs on items and has no place at the right. */
    hanging: [...HANGING, ...(left?.in_folders ? [PARENT] : [])].filter(
      (id) => id !== HISTORY && (id === PARENT || there(id)) && !rows.some((r) => r.target === id),
    ),
    /** Whether Hovrel keeps the history itself. */
    keepsHistory: there(HISTORY) && !lane?.rules.some(carries),
    unused: left?.fields.filter((f) => !f.id.startsWith("@") && !f.origin_mark && !used.has(f.id)) ?? [],
  };
}
