// What lanes are called, and turned both ways.
import type { Schemas } from "@/api/client";

type Named = { name?: string; left_kind: string; right_kind: string };

/** What people call a lane. Its id, where only that tells it from another one between the same kinds; else none. */
export function ownName<L extends Named>(lane: L, lanes: L[], id: (lane: L) => string): string | undefined {
  const alike = lanes.filter((l) => l.left_kind === lane.left_kind && l.right_kind === lane.right_kind);
  return lane.name || (alike.length > 1 ? id(lane) : undefined);
}

/** A lane that carries both ways, by those of its rules that could go back as they are. */
export function carryingBack(lane: Schemas["Lane"], could: string[]): Schemas["Lane"] {
  return {
    ...lane,
    direction: "both",
    rules: lane.rules.map((rule) => (rule.id && could.includes(rule.id) ? { ...rule, back: true } : rule)),
  };
}

/** A lane with one of its policies as it is now. */
export const withPolicy = <L extends Schemas["Lane"]>(lane: L, now: Partial<Schemas["Policies"]>): L => ({
  ...lane,
  policies: { ...lane.policies, ...now },
});
