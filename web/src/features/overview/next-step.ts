// What waits for a person in a route.
import type { Schemas } from "@/api/client";
import { count } from "@/lib/words";

/** What a person should do next about a route; the first that applies. */
export function nextStep(r: Schemas["RouteAnswer"]): { text: string; to: string; tone?: "clash" | "ok" } {
  const at = (stop: string) => `/routes/${r.id}/${stop}`;
  if (r.left.healthy === false || r.right.healthy === false)
    return { text: "an end fails its check", to: at("ends"), tone: "clash" };
  if (!r.left.surveyed_at || !r.right.surveyed_at) return { text: "an end has not been surveyed", to: at("ends") };
  if (r.rules.to_settle > 0)
    return { text: `${count(r.rules.to_settle, "thing")} to settle in the rules`, to: at("rules"), tone: "clash" };
  if (r.transfer && ["running", "waiting", "paused"].includes(r.transfer.state))
    return { text: `transfer is ${r.transfer.state}`, to: at("transfer") };
  if (!r.plan) return { text: "ready for a first dry run", to: at("dry-run") };
  if (!r.plan.transfer && r.plan.changes > 0)
    return {
      text: `${count(r.plan.changes, "change")} found, ${r.plan.conflicts ? `${count(r.plan.conflicts, "conflict")} to decide` : "not transferred"}`,
      to: at("dry-run"),
    };
  if (!r.proof || (r.transfer?.finished_at && r.proof.at < r.transfer.finished_at))
    return { text: "not proved since the last transfer", to: at("proof") };
  if (r.proof.unexplained > 0)
    return { text: `${count(r.proof.unexplained, "difference")} unexplained`, to: at("proof"), tone: "clash" };
  if (r.proof.waits > 0)
    return { text: `${count(r.proof.waits, "item waits", "items wait")} for you`, to: at("proof") };
  return { text: "both ends agree", to: at("proof"), tone: "ok" };
}
