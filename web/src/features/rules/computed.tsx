// A value computed from the item: the expression, its faults at their places, what it becomes.
import type { Schemas } from "@/api/client";
import { ExpressionEditor } from "@/ui/expression-editor";
import type { Lane, Route } from "../route/draft";
import { useNames } from "../route/use-schema";
import type { Fill } from "./fills";

type Props = {
  route: Route;
  lane: Lane;
  rule: Fill;
  to: string;
  faults: Schemas["Fault"][];
  setRule: (r: Fill) => void;
};

export const computedOf = (rule?: Fill): string | undefined =>
  rule && typeof rule.source === "object" && "computed" in rule.source ? rule.source.computed : undefined;

export function Computed({ route, lane, rule, to, faults, setRule }: Props) {
  const names = useNames(route, "left", lane.left_kind);
  const marks = faults.flatMap((f) =>
    f.reason.reason === "expression" ? [{ from: f.reason.from, to: f.reason.to, message: f.reason.why }] : [],
  );
  return (
    <div className="mt-2">
      <ExpressionEditor
        label={`Expression for ${to}`}
        value={computedOf(rule) ?? ""}
        names={names.data}
        faults={marks}
        hint='fields.area + " / " + fields.team'
        onChange={(computed) => setRule({ ...rule, source: { computed } })}
      />
      <p className="mt-1 text-ink-2">
        An expression in CEL over the item. Ctrl Space offers names; + joins texts; a ? b : c chooses.
      </p>
    </div>
  );
}
