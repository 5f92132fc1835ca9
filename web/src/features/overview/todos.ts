// What waits for a person, over all routes and systems: the most pressing first.
import type { Schemas } from "@/api/client";
import { count } from "@/lib/words";
import { undecided } from "../route/stops";

type Route = Schemas["RouteAnswer"];
type System = Schemas["SystemAnswer"];

export type Todo = {
  /** What to do, beginning with a verb. */
  text: string;
  /** Of which route or system. */
  of: string;
  to: string;
  /** Something is wrong; without it, something waits. */
  wrong?: boolean;
};

const running = ["running", "waiting"];

/** What waits in a route, in the order of the work. */
export function todosOf(r: Route): Todo[] {
  const out: Todo[] = [];
  const add = (stop: string, text: string, wrong = false) =>
    out.push({ text, of: r.name, to: `/routes/${r.id}/${stop}`, wrong });
  const ends = [r.left, r.right];
  for (const end of ends.filter((e) => !e.surveyed_at)) add("ends", `Survey ${end.system_name}`);
  if (r.rules.to_settle > 0) add("rules", `Fix ${count(r.rules.to_settle, "rule problem")}`, true);
  const t = r.transfer;
  const refused = (t?.result as { refused?: number } | null | undefined)?.refused ?? 0;
  if (t?.state === "failed") add("transfer", "See why the transfer stopped", true);
  if (t?.state === "paused") add("transfer", "Resume or stop the paused transfer");
  if (t?.state === "done" && refused > 0)
    add("transfer", `See ${count(refused, "change")} that the right refused`, true);
  const busy = [r.dry_run, t].some((j) => j && running.includes(j.state));
  if (busy) return out;
  const plan = r.plan;
  const open = plan && !plan.transfer;
  if (!plan && ends.every((e) => e.surveyed_at) && r.rules.to_settle === 0 && r.rules.count > 0)
    add("dry-run", "Run a first dry run");
  if (open) {
    const pairs = undecided(r);
    // A likely match that differs is decided as a counterpart first.
    const items = plan.in_conflict;
    if (pairs > 0) add("counterparts", `Decide ${count(pairs, "counterpart")}`);
    if (items > 0) add("dry-run?conflicts=1", `Decide ${count(items, "item")} with fields in conflict`);
    if (plan.route_version !== r.version) add("dry-run", "Run the dry run again: the rules were saved since");
    else if (plan.included > 0) add("transfer", `Transfer ${count(plan.included, "change")}`);
  }
  // An open dry run shows its own; what it does not show waits in the list of conflicts.
  if (!open && r.open_conflicts > 0)
    out.push({ text: `Decide ${count(r.open_conflicts, "conflict")}`, of: r.name, to: `/conflicts?route=${r.id}` });
  if (!open && r.settled_conflicts > 0)
    add("dry-run", `Run a dry run: ${count(r.settled_conflicts, "conflict is", "conflicts are")} decided`);
  if (r.proof?.unexplained) add("proof", `Look into ${count(r.proof.unexplained, "unexplained difference")}`, true);
  // What an open dry run has to decide stands above; without one, the proof says what is still open.
  if (!open && r.proof?.waits) add("proof", `See ${count(r.proof.waits, "item that waits", "items that wait")}`);
  if (t?.state === "done" && (!r.proof || (t.finished_at && r.proof.at < t.finished_at))) add("proof", "Run a proof");
  return out;
}

/** What is wrong with a system. */
export function todoOf(s: System): Todo[] {
  const to = `/systems/${s.id}`;
  const failed = s.check?.find((step) => step.state === "failed");
  if (failed) return [{ text: `Mend the connection: ${failed.step}`, of: s.name, to, wrong: true }];
  return s.check ? [] : [{ text: "Check the connection", of: s.name, to }];
}

export const todos = (routes: Route[], systems: System[]): Todo[] =>
  [...systems.flatMap(todoOf), ...routes.flatMap(todosOf)].sort((a, b) => Number(!!b.wrong) - Number(!!a.wrong));
