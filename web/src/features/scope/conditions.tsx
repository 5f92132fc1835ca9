// Conditions as rows of field, operator and value, all or any of which must hold.
import type { Schemas } from "@/api/client";
import { operatorWord } from "@/lib/words";
import { Button } from "@/ui/basics";

type Condition = Schemas["Condition"];
type Row = Schemas["ConditionRow"];

const builtIn = [
  ["@folder", "Folder path"],
  ["@key", "Key"],
  ["@title", "Title"],
  ["@modified", "Last change"],
] as const;
const noValue = ["is_empty", "is_not_empty"];

/** The rows of a flat condition; groups inside groups are kept and shown as one line. */
function rowsOf(c: Condition): { mode: "all" | "any"; list: Condition[] } {
  if ("any" in c) return { mode: "any", list: c.any };
  if ("all" in c) return { mode: "all", list: c.all };
  return { mode: "all", list: [c] };
}

type Props = {
  kind?: Schemas["KindSchema"];
  survey?: Schemas["KindSurvey"];
  value: Condition;
  onChange: (c: Condition) => void;
};

export function ConditionEditor({ kind, survey, value, onChange }: Props) {
  const { mode, list } = rowsOf(value);
  const set = (next: Condition[], as = mode) => onChange(as === "all" ? { all: next } : { any: next });
  const replace = (n: number, row: Row) => set(list.map((c, k) => (k === n ? { row } : c)));
  return (
    <div className="rounded-lg border border-hair bg-sheet p-3">
      {list.length === 0 && <p className="mb-2 text-ink-2">No condition: everything is in scope.</p>}
      {list.length > 1 && (
        <label className="mb-2 flex items-center gap-2">
          <select
            aria-label="How conditions combine"
            className="field"
            value={mode}
            onChange={(e) => set(list, e.target.value as "all" | "any")}
          >
            <option value="all">All</option>
            <option value="any">Any</option>
          </select>{" "}
          of these hold
        </label>
      )}
      <ul className="space-y-1.5">
        {list.map((c, n) => (
          <li key={n} className="flex items-center gap-1.5">
            {"row" in c ? (
              <RowEditor kind={kind} survey={survey} row={c.row} onChange={(row) => replace(n, row)} />
            ) : (
              <span className="text-ink-2">a group of conditions, from a file</span>
            )}
            <button
              type="button"
              aria-label="Remove condition"
              className="ml-auto px-1.5 text-[15px] text-ink-3 hover:text-clash"
              onClick={() => set(list.filter((_, k) => k !== n))}
            >
              ×
            </button>
          </li>
        ))}
      </ul>
      <Button className="mt-2" onClick={() => set([...list, { row: { field: "@folder", op: "under", value: "" } }])}>
        Add a condition
      </Button>
    </div>
  );
}

function RowEditor({
  kind,
  survey,
  row,
  onChange,
}: {
  kind?: Schemas["KindSchema"];
  survey?: Schemas["KindSurvey"];
  row: Row;
  onChange: (r: Row) => void;
}) {
  const known =
    survey?.fields
      .find((f) => f.field === row.field)
      ?.values.map((v) => v.value)
      .filter(Boolean) ?? [];
  const fields = kind?.fields.filter((f) => !["attachments"].includes(f.value_type)) ?? [];
  const missing = !builtIn.some(([id]) => id === row.field) && !fields.some((f) => f.id === row.field);
  const listId = `values-${row.field.replace(/\W/g, "")}`;
  return (
    <>
      <select
        aria-label="Field"
        className="field w-[150px]"
        aria-invalid={missing}
        value={row.field}
        onChange={(e) =>
          onChange({
            ...row,
            field: e.target.value,
            op: e.target.value === "@folder" ? "under" : row.op === "under" ? "is" : row.op,
          })
        }
      >
        {missing && <option value={row.field}>{row.field} (not there)</option>}
        {builtIn.map(([id, name]) => (
          <option key={id} value={id}>
            {name}
          </option>
        ))}
        {fields.map((f) => (
          <option key={f.id} value={f.id}>
            {f.name}
          </option>
        ))}
      </select>
      <select
        aria-label="Operator"
        className="field w-[136px]"
        value={row.op}
        onChange={(e) => onChange({ ...row, op: e.target.value as Row["op"] })}
      >
        {(Object.keys(operatorWord) as Row["op"][]).map((op) => (
          <option key={op} value={op}>
            {operatorWord[op]}
          </option>
        ))}
      </select>
      {!noValue.includes(row.op) && (
        <>
          <input
            aria-label="Value"
            className="field min-w-0 flex-1"
            list={listId}
            value={row.value ?? ""}
            placeholder={row.op === "one_of" ? "several, divided by commas" : ""}
            onChange={(e) => onChange({ ...row, value: e.target.value })}
          />
          <datalist id={listId}>
            {known.map((v) => (
              <option key={v} value={v} />
            ))}
          </datalist>
        </>
      )}
    </>
  );
}
