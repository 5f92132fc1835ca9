// What a list of changes knows of each.
import type { Schemas } from "@/api/client";
import { outcomeWord, type DiscShape } from "@/lib/words";

export type Plan = Schemas["PlanFigure"];
export type Listed = Schemas["ListedChange"];

const notWritten: Schemas["Outcome"][] = [
  "blocked",
  "in_step",
  "gone_right",
  "gone_left",
  "out_of_scope_left",
  "out_of_scope_right",
  "unreadable",
  "taken_off_left",
  "taken_off_right",
];

/** Whether a change can be carried out at all: of an item that is not there only once somebody said how. */
export const writable = (i: Listed) => !notWritten.includes(i.outcome) || i.as_new || i.let_go;

/** Outcomes in the order in which they are shown; each change has one of them. */
export const outcomes = [
  "new_right",
  "new_left",
  "update_right",
  "update_left",
  "adopt",
  "conflict",
  "held_right",
  "held_left",
  "blocked",
  "gone_right",
  "gone_left",
  "out_of_scope_left",
  "out_of_scope_right",
  "taken_off_left",
  "taken_off_right",
  "unreadable",
] as const satisfies DiscShape[];

export const countOf = (plan: Plan, outcome: string): number =>
  plan.outcomes.filter((o) => o.outcome === outcome).reduce((n, o) => n + o.count, 0);

/** Why a plan can't be transferred; nothing stands in the way without it. */
export const whyNot = (plan: Plan, version: number): string | false =>
  plan.route_version !== version
    ? "The rules were saved since. Make a new dry run."
    : plan.included === 0 && "Nothing is included.";

export type Filter = {
  outcome?: Schemas["Outcome"];
  kind?: Schemas["Kind"];
  field?: string;
  find?: string;
  with_losses: boolean;
  in_conflict: boolean;
  left_out: boolean;
  refused: boolean;
};

/** What the address filters by. */
export const filterOf = (query: URLSearchParams): Filter => ({
  outcome: (query.get("outcome") as Schemas["Outcome"] | null) ?? undefined,
  kind: (query.get("kind") as Schemas["Kind"] | null) ?? undefined,
  field: query.get("field") ?? undefined,
  find: query.get("find") ?? undefined,
  with_losses: query.get("losses") === "1",
  in_conflict: query.get("conflicts") === "1",
  left_out: query.get("out") === "1",
  refused: query.get("refused") === "1",
});

/** “changes new at right, with losses”: what a filter leaves, in words. */
export function filterWords(f: Filter): string {
  const parts = [
    f.outcome && outcomeWord[f.outcome as DiscShape]?.toLowerCase(),
    f.with_losses && "with losses",
    f.in_conflict && "with fields in conflict",
    f.left_out && "left out",
    f.refused && "that would be refused",
    f.find && `with “${f.find}”`,
  ];
  return parts.filter(Boolean).join(", ");
}
