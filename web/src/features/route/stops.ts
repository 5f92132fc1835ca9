// The six stops of a route in the order of the work: a figure of a few words for each, and whether it is done.
import type { Schemas } from "@/api/client";
import { ago } from "@/lib/format";
import { count } from "@/lib/words";

export type Stop = { to: string; name: string; figure: string; done: boolean };

export function stops(r: Schemas["RouteAnswer"], dirty: boolean): Stop[] {
  const checked = r.left.healthy !== false && r.right.healthy !== false;
  const surveyed = !!r.left.surveyed_at && !!r.right.surveyed_at;
  const t = r.transfer;
  const progress = t?.progress as { settled?: number; total?: number } | undefined;
  const result = t?.result as { done?: number; refused?: number } | null | undefined;
  const transfer = !t
    ? "not started"
    : t.state === "done"
      ? result?.refused
        ? `${result.refused} refused`
        : `done ${ago(t.finished_at)}`
      : t.state === "running" && progress?.total != null
        ? `${progress.settled} of ${progress.total}`
        : t.state;
  return [
    {
      to: "ends",
      name: "Ends",
      figure: !surveyed ? "to be surveyed" : checked ? `read ${ago(r.left.surveyed_at)}` : "a check failed",
      done: surveyed && checked,
    },
    {
      to: "scope",
      name: "Scope",
      figure: `${r.scope.matched.toLocaleString("en")} of ${r.scope.total.toLocaleString("en")}`,
      done: r.scope.matched > 0,
    },
    {
      to: "rules",
      name: "Rules",
      figure: dirty
        ? "not saved"
        : r.rules.to_settle
          ? `${r.rules.to_settle} to settle`
          : `${r.rules.count}, all valid`,
      done: r.rules.count > 0 && r.rules.to_settle === 0,
    },
    { to: "dry-run", name: "Dry run", figure: r.plan ? count(r.plan.changes, "change") : "not made", done: !!r.plan },
    { to: "transfer", name: "Transfer", figure: transfer, done: t?.state === "done" },
    {
      to: "proof",
      name: "Proof",
      figure: !r.proof
        ? "not made"
        : r.proof.unexplained
          ? `${r.proof.unexplained.toLocaleString("en")} unexplained`
          : r.proof.waits
            ? count(r.proof.waits, "item waits", "items wait")
            : "agrees",
      done: !!r.proof,
    },
  ];
}
