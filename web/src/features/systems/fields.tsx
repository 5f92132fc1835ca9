// The fields of a kind: what each may hold, and what was found in it.
import { useMemo } from "react";
import type { Schemas } from "@/api/client";
import { percent } from "@/lib/format";
import { personName } from "@/lib/people";
import { count, formatWord, typeWord } from "@/lib/words";
import { Bar, RequiredStar } from "@/ui/basics";
import { DataTable, type Column } from "@/ui/data-table";
import { BeyondLimits } from "./uses";

type Props = {
  schema: Schemas["KindSchema"];
  survey?: Schemas["KindSurvey"];
  users: Schemas["User"][];
  uses: Schemas["Use"][];
  open: (field: string, value: string) => void;
};

/** What is told of a field that the system's answers do not have. */
const UNKNOWN =
  "What these items hold here is unknown, so nothing is changed because of it. If the system omits empty fields, its profile should have leaves_out_empty: true.";

/** A field as its system describes it, with what the survey found in it. */
type Row = { field: Schemas["FieldSchema"]; found?: Schemas["FieldSurvey"] };

export function Fields({ schema, survey, users, uses, open }: Props) {
  const rows = useMemo(
    () => schema.fields.map((field) => ({ field, found: survey?.fields.find((s) => s.field === field.id) })),
    [schema, survey],
  );
  const total = survey?.count ?? 0;
  const unknown = (field: string) => survey?.left_out?.find((v) => v.value === field)?.count ?? 0;
  const columns: Column<Row>[] = [
    {
      id: "field",
      name: "Field",
      value: ({ field }) => field.name,
      className: "font-medium whitespace-nowrap",
      cell: ({ field: f }) => (
        <>
          {f.name}
          {f.required && !f.read_only && <RequiredStar />}
        </>
      ),
    },
    {
      id: "type",
      name: "Type",
      value: ({ field }) => typeWord[field.value_type],
      className: "mono whitespace-nowrap text-ink-2",
      cell: ({ field: f }) => (
        <>
          {typeWord[f.value_type]}
          {f.max_length ? ` ≤ ${f.max_length}` : ""}
          {f.format && f.format !== "plain" ? ` (${formatWord[f.format]})` : ""}
        </>
      ),
    },
    {
      id: "filled",
      name: "Filled",
      value: ({ found }) => found?.filled ?? 0,
      className: "whitespace-nowrap",
      cell: ({ field, found }) => {
        const words = percent(found?.filled ?? 0, total);
        return (
          <>
            <Bar part={found?.filled ?? 0} whole={total} label={`filled ${words}`} /> {words}
            {unknown(field.id) > 0 && (
              <span className="ml-2 text-loss" title={UNKNOWN}>
                missing from {count(unknown(field.id), "answer")}
              </span>
            )}
          </>
        );
      },
    },
    {
      id: "different",
      name: "Different",
      value: ({ found }) => found?.distinct,
      from: 1500,
      right: true,
      className: "whitespace-nowrap text-ink-2",
      // Of texts laid out and of what hangs on items nothing is counted.
      cell: ({ found: s }) =>
        s &&
        (s.distinct > 0 || s.distinct_exact) &&
        `${s.distinct_exact ? "" : "over "}${s.distinct.toLocaleString("en")}`,
    },
    {
      id: "longest",
      name: "Longest",
      value: ({ found }) => found?.longest,
      from: 1500,
      right: true,
      className: "text-ink-2",
      cell: ({ found }) => !!found?.longest && found.longest.toLocaleString("en"),
    },
    {
      id: "id",
      name: "Id",
      value: ({ field }) => field.id,
      from: 1700,
      className: "mono text-ink-2",
      cell: ({ field }) => field.id,
    },
    {
      id: "values",
      name: "Values found",
      cell: (row) => (
        <>
          <Values row={row} users={users} open={open} />
          <BeyondLimits uses={uses} kind={schema.kind} field={row.field.id} />
        </>
      ),
    },
  ];
  return <DataTable id="fields" label="Fields" columns={columns} rows={rows} keyOf={({ field }) => field.id} />;
}

/** Values that are listed of a field. */
const LISTED = 12;

function Values({ row: { field: f, found: s }, users, open }: { row: Row } & Pick<Props, "users" | "open">) {
  const filled = s?.filled ?? 0;
  // Values that no two items share are no spread worth looking at.
  const single = filled > 5 && s?.distinct_exact === true && s.distinct === filled;
  const person = f.value_type === "user" || f.value_type === "user_list";
  const called = (value: string) => {
    const user = person && users.find((u) => u.id === value);
    return user ? personName(user, users) : value;
  };
  const known = person ? users.map((u) => u.id) : f.allowed;
  return (
    <div className="flex flex-wrap gap-1.5">
      {(single ? [] : (s?.values.slice(0, LISTED) ?? [])).map((v) => {
        const off = !!known && !!v.value && !known.includes(v.value);
        // Types of links are counted; items are not listed by them.
        if (f.id.startsWith("@"))
          return (
            <span key={v.value} className="px-1.5 text-ink-2">
              {v.value || "none"} <span className="mono text-ink-3">{v.count}</span>
            </span>
          );
        return (
          <button
            key={v.value}
            type="button"
            onClick={() => open(f.id, v.value)}
            title={off ? "not in the system's own list" : v.value}
            className={`max-w-[280px] truncate rounded border px-1.5 hover:border-ink-3 ${off ? "border-clash bg-clash-wash text-clash" : v.value ? "border-hair" : "border-dashed border-hair text-ink-3"}`}
          >
            {called(v.value) || "empty"} <span className="mono text-ink-3">{v.count}</span>
          </button>
        );
      })}
      {single && <span className="text-ink-3">{count(filled, "value")}, all different</span>}
      {!!s && !single && s.values.length > LISTED && (
        <span className="text-ink-3">and {s.values.length - LISTED} more</span>
      )}
      {s && s.values.length === 0 && filled > 0 && (
        <span className="text-ink-3">
          {f.value_type === "text"
            ? `more than ${s.distinct} different, longest ${count(s.longest, "character")}`
            : typeWord[f.value_type]}
        </span>
      )}
    </div>
  );
}
