// The way back of a rule, in a lane that runs both ways: none, what the rule does undone, or an expression of its own.
import { ExpressionEditor } from "@/ui/expression-editor";
import { Select } from "@/ui/select";
import { useNames } from "../route/use-schema";
import { computedOf, marksOf } from "./computed";
import { computesBack, goesBackTo, joinedField, type Fill } from "./fills";
import { Part } from "./part";
import { notComputed, sourceField, targetWord } from "./rule-words";
import type { RuleProps } from "./rule-props";
import { TriedReturn } from "./tried-return";

export function WayBack({ rule, ...p }: RuleProps & { rule: Fill }) {
  const { lane, target, schema, from: left, to: right, wayBack, setWayBack } = p;
  const names = { left: useNames(p.route, "left", lane.left_kind), right: useNames(p.route, "right", lane.right_kind) };
  const nameOf = (field: string | undefined) => left.kind?.fields.find((f) => f.id === field)?.name ?? field;
  const source = sourceField(rule);
  const undone = goesBackTo(rule, nameOf(source));
  const may = computesBack(rule) && !target.startsWith("@") && !!schema && !notComputed.includes(schema.value_type);
  if (lane.direction !== "both" || (!undone && !may)) return null;
  const text = computedOf(wayBack);
  const joined = wayBack?.target ?? source ?? joinedField(computedOf(rule), names.left.data?.names);
  const computed = (fills: string | undefined, expression: string): Fill | undefined =>
    fills === undefined ? undefined : { target: fills, source: { computed: expression }, conversions: [] };
  const choose = (way: string) => {
    const own = names.right.data?.names.find((n) => n.field === target)?.text ?? "";
    const begun = computed(joined ?? left.kind?.fields.find((f) => !f.read_only)?.id, own);
    setWayBack(way === "undone", way === "computed" ? begun : undefined);
  };
  return (
    <Part title={`Way back to ${left.name}`}>
      <label className="grid grid-cols-[92px_1fr] items-center">
        <span className="text-ink-2">An edit</span>
        <Select
          className="field w-full"
          aria-label={`Way back of ${targetWord(target, schema)}`}
          value={text !== undefined ? "computed" : p.back ? "undone" : "none"}
          onChange={choose}
        >
          <option value="none">stays at {right.name}</option>
          {undone && <option value="undone">goes back to {undone}</option>}
          {may && <option value="computed">goes back, computed by an expression</option>}
        </Select>
      </label>
      {wayBack && text !== undefined && (
        <>
          {source === undefined && (
            <label className="mt-2 grid grid-cols-[92px_1fr] items-center">
              <span className="text-ink-2">Fills</span>
              <Select
                className="field w-full"
                aria-label={`Field that the way back of ${targetWord(target, schema)} fills`}
                value={wayBack.target}
                onChange={(fills) => setWayBack(false, computed(fills, text))}
              >
                {left.kind?.fields
                  .filter((f) => !f.read_only && !f.id.startsWith("@"))
                  .map((f) => (
                    <option key={f.id} value={f.id}>
                      {f.name}
                    </option>
                  ))}
              </Select>
            </label>
          )}
          <div className="mt-2">
            <ExpressionEditor
              label={`Expression for the way back to ${nameOf(wayBack.target)}`}
              value={text}
              names={names.right.data}
              faults={marksOf(p.faults, "back_expression")}
              hint={`fields.title.replace("N: ", "")`}
              onChange={(expression) => setWayBack(false, computed(wayBack.target, expression))}
            />
            <p className="mt-1 text-ink-2">
              An expression in CEL over the item at {right.name}. It may name {targetWord(target, schema)} only
              {source === undefined && `, and the one for the way there only ${nameOf(wayBack.target)}`}.
            </p>
          </div>
        </>
      )}
      {(p.back || text !== undefined) && <TriedReturn {...p} />}
    </Part>
  );
}
