// The stops of a route in the order of the work: a figure of a few words for each, whether it is done, and whether
// something is wrong there or waits for a person.
import type { Schemas } from "@/api/client";
import { ago } from "@/lib/format";
import { count } from "@/lib/words";

export type Stop = {
  to: string;
  name: string;
  figure: string;
  done: boolean;
  /** Something is wrong there, or waits for a person. */
  sign?: "wrong" | "waits";
};

/** The stops in the order of the work, by their place in the address. */
export const stopNames = [
  ["ends", "Ends"],
  ["scope", "Scope"],
  ["rules", "Rules"],
  ["counterparts", "Counterparts"],
  ["dry-run", "Dry run"],
  ["transfer", "Transfer"],
  ["proof", "Proof"],
] as const;

export const signWord = { wrong: "a problem", waits: "waits for you" } as const;

type Route = Schemas["RouteAnswer"];
type State = Omit<Stop, "to" | "name">;

/** Pairs that a plan found and that nobody has decided about. */
export const undecided = (r: Route): number =>
  (r.plan?.outcomes ?? []).filter((o) => o.outcome === "adopt" && !o.included).reduce((n, o) => n + o.count, 0);

function transferStop(r: Route): State {
  const t = r.transfer;
  const progress = t?.progress as { settled?: number; total?: number } | undefined;
  const result = t?.result as { done?: number; refused?: number } | null | undefined;
  const refused = result?.refused ?? 0;
  const figure = !t
    ? "not started"
    : t.state === "done"
      ? refused
        ? `${refused.toLocaleString("en")} refused`
        : `done ${ago(t.finished_at)}`
      : t.state === "running" && progress?.total != null
        ? `${progress.settled?.toLocaleString("en")} of ${progress.total.toLocaleString("en")}`
        : t.state;
  const sign = t?.state === "failed" || refused ? "wrong" : t?.state === "paused" ? "waits" : undefined;
  return { figure, done: t?.state === "done", sign };
}

function proofStop({ proof }: Route): State {
  const figure = !proof
    ? "not run"
    : proof.unexplained
      ? `${proof.unexplained.toLocaleString("en")} unexplained`
      : proof.waits
        ? count(proof.waits, "item waits", "items wait")
        : "agrees";
  const sign = proof?.unexplained ? "wrong" : proof?.waits ? "waits" : undefined;
  return { figure, done: !!proof, sign };
}

/** Where a route stands, by its last saved version: changes that are not saved are told beside its name. */
export function stops(r: Route): Stop[] {
  const checked = r.left.healthy !== false && r.right.healthy !== false;
  const surveyed = !!r.left.surveyed_at && !!r.right.surveyed_at;
  const pairs = undecided(r);
  const states: Record<(typeof stopNames)[number][0], State> = {
    ends: {
      figure: !surveyed ? "to be surveyed" : checked ? `read ${ago(r.left.surveyed_at)}` : "a check failed",
      done: surveyed && checked,
      sign: checked ? (surveyed ? undefined : "waits") : "wrong",
    },
    scope: {
      figure: `${r.scope.matched.toLocaleString("en")} of ${r.scope.total.toLocaleString("en")}`,
      done: r.scope.matched > 0,
    },
    rules: {
      figure: r.rules.to_settle ? count(r.rules.to_settle, "problem") : `${r.rules.count}, all valid`,
      done: r.rules.count > 0 && r.rules.to_settle === 0,
      sign: r.rules.to_settle ? "wrong" : undefined,
    },
    counterparts: {
      figure: !r.plan ? count(r.pairs, "pair") : pairs ? `${pairs.toLocaleString("en")} to decide` : "all decided",
      done: !!r.plan && pairs === 0,
      sign: pairs ? "waits" : undefined,
    },
    "dry-run": {
      figure: r.plan ? count(r.plan.changes, "change") : "not run",
      done: !!r.plan,
      sign: r.plan?.in_conflict && !r.plan.transfer ? "waits" : undefined,
    },
    transfer: transferStop(r),
    proof: proofStop(r),
  };
  return stopNames.map(([to, name]) => ({ to, name, ...states[to] }));
}
