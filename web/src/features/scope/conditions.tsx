// Conditions as rows of field, comparison and value in groups of which all or any must hold.
import { useState, type FocusEvent } from "react";
import type { Schemas } from "@/api/client";
import { Button } from "@/ui/basics";
import { ExpressionEditor } from "@/ui/expression-editor";
import { Select } from "@/ui/select";
import { conditionOf, groupOf, isBlank, isGroup, type Condition, type Group } from "./group";
import { RowEditor, type RowContext } from "./row";

type Props = {
  value: Condition;
  onChange: (c: Condition) => void;
  faults: Schemas["ConditionFault"][];
  context: RowContext;
};

export function ConditionEditor({ value, onChange, faults, context }: Props) {
  return (
    <GroupEditor
      group={groupOf(value)}
      // A single row is a group of itself, whose fault has no place in it.
      faults={isGroup(value) ? faults : faults.map((f) => ({ ...f, at: [0, ...f.at] }))}
      context={context}
      onChange={(g) => onChange(conditionOf(g))}
    />
  );
}

type GroupProps = {
  group: Group;
  onChange: (g: Group) => void;
  onRemove?: () => void;
  faults: Schemas["ConditionFault"][];
  context: RowContext;
};

function GroupEditor({ group, onChange, onRemove, faults, context }: GroupProps) {
  const { mode, list } = group;
  const set = (next: Condition[], as = mode) => onChange({ mode: as, list: next });
  const first = context.names?.places[0];
  const row: Condition = { row: { field: first?.field ?? "@folder", op: first?.operators[0] ?? "under", value: "" } };
  return (
    <div
      role="group"
      aria-label={onRemove ? "Group of conditions" : "Conditions"}
      className={onRemove ? "border-l-2 border-ink-3 pl-3" : "rounded-lg border border-hair bg-sheet p-3"}
    >
      {list.length === 0 && (
        <p className="mb-2 text-ink-2">
          {onRemove || mode === "any" ? "An empty group." : "No condition: everything is in scope."}
        </p>
      )}
      {(list.length > 1 || onRemove) && (
        <div className="mb-2 flex items-center gap-2">
          <Select
            aria-label="How conditions combine"
            className="field"
            value={mode}
            onChange={(chosen) => set(list, chosen as "all" | "any")}
          >
            <option value="all">All</option>
            <option value="any">Any</option>
          </Select>
          <span>of these hold</span>
          {onRemove && <Remove label="Remove group" onClick={onRemove} />}
        </div>
      )}
      <ul className="space-y-2">
        {list.map((c, n) => {
          const own = faults.filter((f) => f.at[0] === n).map((f) => ({ ...f, at: f.at.slice(1) }));
          const replace = (next: Condition) => set(list.map((old, k) => (k === n ? next : old)));
          const remove = () => set(list.filter((_, k) => k !== n));
          return (
            <li key={n}>
              {isGroup(c) ? (
                <GroupEditor
                  group={groupOf(c)}
                  faults={own}
                  context={context}
                  onChange={(g) => replace(conditionOf(g))}
                  onRemove={remove}
                />
              ) : (
                <OneCondition condition={c} faults={own} context={context} onChange={replace} onRemove={remove} />
              )}
            </li>
          );
        })}
      </ul>
      <div className="mt-2 flex gap-2">
        <Button onClick={() => set([...list, row])}>Add a condition</Button>
        {list.length > 0 && (
          <Button onClick={() => set([...list, { [mode === "all" ? "any" : "all"]: [row] } as Condition])}>
            Add a group
          </Button>
        )}
      </div>
    </div>
  );
}

type OneProps = {
  condition: Exclude<Condition, { all: unknown } | { any: unknown }>;
  onChange: (c: Condition) => void;
  onRemove: () => void;
  faults: Schemas["ConditionFault"][];
  context: RowContext;
};

/** A condition with what is wrong with it. One that is being filled in for the first time is not wrong yet. */
function OneCondition({ condition: c, onChange, onRemove, faults, context }: OneProps) {
  const [left, setLeft] = useState(false);
  const leaves = (e: FocusEvent<HTMLDivElement>) => {
    if (!e.currentTarget.contains(e.relatedTarget)) setLeft(true);
  };
  const fresh = "row" in c && isBlank(c.row) && !left;
  return (
    <div onBlur={leaves}>
      <div className="flex items-start gap-1.5">
        {"row" in c ? (
          <RowEditor row={c.row} context={context} onChange={(next) => onChange({ row: next })} />
        ) : (
          <div className="min-w-0 flex-1">
            <ExpressionEditor
              label="Expression"
              value={"expression" in c ? c.expression : ""}
              names={context.names}
              faults={[]}
              onChange={(expression) => onChange({ expression })}
            />
          </div>
        )}
        <Remove label="Remove condition" onClick={onRemove} />
      </div>
      {faults.map((f, k) => (
        <p key={k} className={`mt-0.5 ${fresh ? "text-ink-2" : "text-clash"}`}>
          {f.message}
        </p>
      ))}
    </div>
  );
}

function Remove({ label, onClick }: { label: string; onClick: () => void }) {
  return (
    <button
      type="button"
      aria-label={label}
      className="ml-auto px-1.5 text-[15px] text-ink-3 hover:text-clash"
      onClick={onClick}
    >
      ×
    </button>
  );
}
