// One condition: a field, a comparison that goes with it, and what it is compared with.
import type { Schemas } from "@/api/client";
import { operatorWord } from "@/lib/words";
import { Select } from "@/ui/select";
import { FolderPick } from "./folder-pick";
import { moved, type Row } from "./group";
import { ValuesPick } from "./values-pick";

/** What a row is about: the end, what can be asked of it and what was met in it. */
export type RowContext = {
  system: string;
  container: string;
  names?: Schemas["Names"];
  survey?: Schemas["KindSurvey"];
};

type Props = { row: Row; context: RowContext; onChange: (row: Row) => void };

const dated: Row["op"][] = ["at_least", "before"];
const counted: Row["op"][] = ["within_days", "older_than_days"];

/** Comparisons of times have words of their own. */
function word(op: Row["op"], holds?: Schemas["PlaceHolds"]): string {
  if (holds === "time" && op === "at_least") return "is on or after";
  if (holds === "list" && op === "is") return "holds";
  if (holds === "list" && op === "is_not") return "does not hold";
  return operatorWord[op];
}

export function RowEditor({ row, context, onChange }: Props) {
  const places = context.names?.places ?? [];
  const place = places.find((p) => p.field === row.field);
  return (
    <>
      <Select
        aria-label="Field"
        className="field w-[138px] shrink-0"
        aria-invalid={context.names && !place}
        value={row.field}
        onChange={(chosen) =>
          onChange(
            moved(
              row,
              places.find((p) => p.field === chosen)!,
              place,
            ),
          )
        }
      >
        {!place && <option value={row.field}>{context.names ? `${row.field} (not there)` : row.field}</option>}
        {places.map((p) => (
          <option key={p.field} value={p.field}>
            {p.name}
          </option>
        ))}
      </Select>
      <Select
        aria-label="Comparison"
        className="field w-[136px] shrink-0"
        value={row.op}
        onChange={(chosen) => onChange({ ...row, op: chosen as Row["op"] })}
      >
        {(place?.operators.includes(row.op) ? place.operators : [row.op, ...(place?.operators ?? [])]).map((op) => (
          <option key={op} value={op}>
            {word(op, place?.holds)}
          </option>
        ))}
      </Select>
      <ValueEditor row={row} holds={place?.holds} context={context} onChange={onChange} />
    </>
  );
}

function ValueEditor({ row, holds, context, onChange }: Props & { holds?: Schemas["PlaceHolds"] }) {
  const set = (value: string) => onChange({ ...row, value });
  const met = context.survey?.fields.find((f) => f.field === row.field)?.values.filter((v) => v.value) ?? [];
  if (row.op === "is_empty" || row.op === "is_not_empty") return null;
  if (row.op === "one_of" || row.op === "none_of") {
    return <ValuesPick met={met} values={row.values ?? []} onChange={(values) => onChange({ ...row, values })} />;
  }
  if (holds === "path") {
    return <FolderPick system={context.system} container={context.container} value={row.value ?? ""} onChange={set} />;
  }
  if (holds === "yes_no") {
    return (
      <Select aria-label="Value" className="field" value={row.value ?? ""} onChange={(chosen) => set(chosen)}>
        <option value="yes">yes</option>
        <option value="no">no</option>
      </Select>
    );
  }
  if (counted.includes(row.op)) {
    return (
      <label className="flex items-center gap-1.5">
        <input
          aria-label="Days"
          type="number"
          min={0}
          className="field w-[84px]"
          value={row.value ?? ""}
          onChange={(e) => set(e.target.value)}
        />
        days
      </label>
    );
  }
  // A point in time that was typed as text stays text: the day's field can't show it.
  const day = holds === "time" && dated.includes(row.op) && /^(\d{4}-\d\d-\d\d)?$/.test(row.value ?? "");
  const list = `values-${row.field.replace(/\W/g, "")}`;
  return (
    <>
      <input
        aria-label="Value"
        className="field min-w-0 flex-1"
        type={day ? "date" : "text"}
        inputMode={holds === "number" ? "decimal" : undefined}
        placeholder={holds === "duration" ? "1:30 or 90m" : ""}
        list={met.length ? list : undefined}
        value={row.value ?? ""}
        onChange={(e) => set(e.target.value)}
      />
      {met.length > 0 && (
        <datalist id={list}>
          {met.map((v) => (
            <option key={v.value} value={v.value} />
          ))}
        </datalist>
      )}
    </>
  );
}
