// Where the value of a rule comes from: a field, something that every item has, a constant, an expression.
import { kindAt, readEnd } from "@/lib/lanes";
import { Select } from "@/ui/select";
import { useNames } from "../route/use-schema";
import { Computed, computedOf } from "./computed";
import { PARENT, POSITION, constantOf, fillFrom, notComputed, sourceField, specials, type Special } from "./rule-words";
import type { RuleProps } from "./rule-props";

export function SourceChoice({
  route,
  lane,
  target,
  schema,
  rule,
  from,
  faults,
  setRule,
  filled,
}: RuleProps & { filled: string }) {
  const names = useNames(route, readEnd(lane), kindAt(lane, readEnd(lane)));
  const constant = constantOf(rule);
  const computed = computedOf(rule);
  const now = !rule
    ? ""
    : typeof rule.source === "string"
      ? `=${rule.source}`
      : constant
        ? "=constant"
        : computed !== undefined
          ? "=computed"
          : `f:${sourceField(rule)}`;
  const choose = (choice: string) => {
    const base = { target, conversions: [] };
    if (!choice) return setRule(undefined);
    if (choice === "=constant") {
      if (target === PARENT) return setRule({ ...base, source: { constant: { type: "empty" } } });
      const value = schema?.allowed?.[0] ?? "";
      return setRule({
        ...base,
        source: { constant: schema?.value_type === "choice" ? { type: "choice", value } : { type: "text", value } },
      });
    }
    if (choice === "=computed") {
      // It begins with what was taken before.
      const name = names.data?.names.find((n) => n.field === (rule && sourceField(rule)))?.text;
      return setRule({ ...base, source: { computed: name ?? "" } });
    }
    if (choice.startsWith("=")) return setRule({ ...base, source: choice.slice(1) as Special });
    const field = from.kind?.fields.find((f) => f.id === choice.slice(2));
    const longest = from.survey?.fields.find((f) => f.field === field?.id)?.longest ?? 0;
    setRule(field && schema ? fillFrom(schema, field, longest) : { ...base, source: { field: choice.slice(2) } });
  };
  return (
    <>
      <label className="grid grid-cols-[92px_1fr] items-center">
        <span className="text-ink-2">Source</span>
        <Select
          className="field w-full"
          aria-label={`Source of ${filled}`}
          value={now}
          onChange={(chosen) => choose(chosen)}
        >
          <option value="">nothing</option>
          {specials(target, schema).map(([special, words]) => (
            <option key={special} value={`=${special}`}>
              {words}
            </option>
          ))}
          {target === PARENT && <option value="=constant">one folder for all</option>}
          {target === POSITION && <option value={`f:${POSITION}`}>its place in the folder</option>}
          {!target.startsWith("@") && (
            <>
              {(schema?.value_type === "text" || schema?.value_type === "choice") && (
                <option value="=constant">a constant value</option>
              )}
              {schema && !notComputed.includes(schema.value_type) && (
                <option value="=computed">computed, or several fields joined</option>
              )}
              {now.startsWith("f:") && !from.kind?.fields.some((f) => `f:${f.id}` === now) && (
                <option value={now}>{now.slice(2)} (not there)</option>
              )}
              {from.kind?.fields
                .filter((f) => !f.id.startsWith("@"))
                .map((f) => (
                  <option key={f.id} value={`f:${f.id}`}>
                    {f.name}
                  </option>
                ))}
            </>
          )}
        </Select>
      </label>
      {rule && computed !== undefined && (
        <Computed route={route} lane={lane} rule={rule} filled={filled} faults={faults} setRule={setRule} />
      )}
      {rule && constant && target !== PARENT && (
        <label className="mt-2 grid grid-cols-[92px_1fr] items-center">
          <span className="text-ink-2">Value</span>
          {schema?.allowed ? (
            <Select
              aria-label="Value"
              className="field w-full"
              value={String((constant as { value: string }).value)}
              onChange={(chosen) => setRule({ ...rule, source: { constant: { type: "choice", value: chosen } } })}
            >
              {schema.allowed.map((a) => (
                <option key={a}>{a}</option>
              ))}
            </Select>
          ) : (
            <input
              className="field w-full"
              value={String((constant as { value: string }).value)}
              onChange={(e) => setRule({ ...rule, source: { constant: { type: "text", value: e.target.value } } })}
            />
          )}
        </label>
      )}
    </>
  );
}
