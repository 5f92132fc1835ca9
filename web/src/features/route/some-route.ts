// A route for tests: surveyed, checked, its rules settled, nothing done yet.
import type { Schemas } from "@/api/client";

const end = (name: string): Schemas["RouteEnd"] => ({
  system: name,
  system_name: name,
  container: "lift",
  container_name: "Lift control",
  surveyed_at: "2026-03-02T08:00:00Z",
  healthy: true,
  checked_at: "2026-03-02T07:59:00Z",
});

export const somePlan = (more: Partial<Schemas["PlanFigure"]>): Schemas["PlanFigure"] => ({
  id: "p1",
  made_at: "2026-03-02T08:30:00Z",
  route_version: 1,
  changes: 12,
  included: 12,
  with_losses: 0,
  conflicts: 0,
  in_conflict: 0,
  open_conflicts: 0,
  refused: 0,
  in_step: 0,
  left_in_scope: 12,
  left_total: 20,
  right_in_scope: 0,
  only_right: 0,
  only_left: 0,
  links_back: 0,
  let_go: 0,
  order_not_kept: [],
  covered_twice: 0,
  outcomes: [],
  fields: [],
  digest: "00",
  undoable: 0,
  ...more,
});

export const someRoute = (more: Partial<Schemas["RouteAnswer"]>): Schemas["RouteAnswer"] => ({
  id: "r1",
  name: "Lift control moves",
  version: 1,
  updated_at: "2026-03-02T08:10:00Z",
  left: end("Oldstone"),
  right: end("Tallybench"),
  lanes: [],
  follows: [],
  scope: { matched: 1200, total: 2345 },
  rules: { count: 8, to_settle: 0 },
  pairs: 0,
  open_conflicts: 0,
  settled_conflicts: 0,
  ...more,
});
