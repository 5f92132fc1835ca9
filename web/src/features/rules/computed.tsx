// A value computed from the item: the expression, its faults at their places, what it becomes.
import type { Schemas } from "@/api/client";
import { kindAt, readEnd } from "@/lib/lanes";
import { ExpressionEditor } from "@/ui/expression-editor";
import type { Lane, Route } from "../route/draft";
import { useNames } from "../route/use-schema";
import type { Fill } from "./fills";

type Props = {
  route: Route;
  lane: Lane;
  rule: Fill;
  /** What the field is called that it fills. */
  filled: string;
  faults: Schemas["Fault"][];
  setRule: (r: Fill) => void;
};

export const computedOf = (rule?: Fill): string | undefined =>
  rule && typeof rule.source === "object" && "computed" in rule.source ? rule.source.computed : undefined;

/** What is wrong with an expression, at its places: with that of the rule, or with that of its way back. */
export const marksOf = (faults: Schemas["Fault"][], of: "expression" | "back_expression") =>
  faults.flatMap(({ reason: r }) => (r.reason === of ? [{ from: r.from, to: r.to, message: r.why }] : []));

export function Computed({ route, lane, rule, filled, faults, setRule }: Props) {
  const names = useNames(route, readEnd(lane), kindAt(lane, readEnd(lane)));
  return (
    <div className="mt-2">
      <ExpressionEditor
        label={`Expression for ${filled}`}
        value={computedOf(rule) ?? ""}
        names={names.data}
        faults={marksOf(faults, "expression")}
        hint='fields.area + " / " + fields.team'
        onChange={(computed) => setRule({ ...rule, source: { computed } })}
      />
      <p className="mt-1 text-ink-2">
        An expression in CEL over the item. Ctrl Space offers names; + joins texts; a ? b : c chooses.
      </p>
    </div>
  );
}
