// A table that is sorted by its heads, and whose columns are chosen; wide windows show more of them from the start.
import {
  columnVisibilityFeature,
  createColumnHelper,
  createSortedRowModel,
  rowSortingFeature,
  sortFn_alphanumeric,
  tableFeatures,
  useTable,
  type ColumnVisibilityState,
} from "@tanstack/react-table";
import { ArrowDown, ArrowUp } from "lucide-react";
import { useMemo, useState, type ReactNode } from "react";
import { CheckLine } from "./basics";
import { Pop } from "./pop";

const features = tableFeatures({
  columnVisibilityFeature,
  rowSortingFeature,
  sortedRowModel: createSortedRowModel(),
  sortFns: { alphanumeric: sortFn_alphanumeric },
});

export type Column<T> = {
  id: string;
  name: string;
  /** What rows are sorted by; nothing stands last. A column without it is not sorted by. */
  value?: (row: T) => string | number | undefined;
  cell: (row: T) => ReactNode;
  /** Shown from the start in windows of at least so many pixels; always if left out. */
  from?: number;
  /** Numbers stand at the right. */
  right?: boolean;
  className?: string;
};

type Props<T> = {
  label: string;
  /** What chosen columns are remembered by. */
  id: string;
  columns: Column<T>[];
  rows: T[];
  keyOf: (row: T) => string;
};

const place = (id: string) => `hovrel.columns.${id}`;

/** Which columns are shown: as they were chosen, and as the window is wide otherwise. */
export function visible<T>(columns: Column<T>[], chosen: string | null, width: number): ColumnVisibilityState {
  let was: unknown;
  try {
    was = JSON.parse(chosen ?? "{}");
  } catch {
    was = {};
  }
  const said = (id: string): unknown =>
    typeof was === "object" && was ? (was as Record<string, unknown>)[id] : undefined;
  return Object.fromEntries(
    columns.map(({ id, from = 0 }) => {
      const now = said(id);
      return [id, typeof now === "boolean" ? now : width >= from];
    }),
  );
}

export function DataTable<T extends object>({ label, id, columns, rows, keyOf }: Props<T>) {
  const [shown, setShown] = useState(() => visible(columns, localStorage.getItem(place(id)), window.innerWidth));
  const defined = useMemo(() => {
    const helper = createColumnHelper<typeof features, T>();
    return columns.map((c) =>
      helper.accessor((row: T): unknown => c.value?.(row), {
        id: c.id,
        header: c.name,
        enableSorting: !!c.value,
        sortFn: "alphanumeric",
        sortUndefined: "last",
        cell: ({ row }) => c.cell(row.original),
      }),
    );
  }, [columns]);
  const table = useTable({
    features,
    columns: defined,
    data: rows,
    getRowId: keyOf,
    state: { columnVisibility: shown },
  });
  const choose = (column: string) => {
    const next = { ...shown, [column]: !shown[column] };
    setShown(next);
    localStorage.setItem(place(id), JSON.stringify(next));
  };
  const look = new Map(columns.map((c) => [c.id, `${c.className ?? ""} ${c.right ? "text-right" : ""}`]));
  const optional = columns.filter((c) => c.from !== undefined);
  return (
    <>
      {optional.length > 0 && (
        <div className="mb-2 flex justify-end">
          <Pop label="Columns" title="Columns that are shown">
            <ul className="w-[200px] space-y-1.5">
              {optional.map((c) => (
                <li key={c.id}>
                  <CheckLine checked={!!shown[c.id]} onChange={() => choose(c.id)}>
                    {c.name}
                  </CheckLine>
                </li>
              ))}
            </ul>
          </Pop>
        </div>
      )}
      <table aria-label={label} className="w-full border border-hair bg-sheet">
        <thead>
          {table.getHeaderGroups().map((group) => (
            <tr key={group.id} className="text-left text-[11px] text-ink-3">
              {group.headers.map(({ id, column }) => {
                const sorted = column.getIsSorted();
                const { name, right } = columns.find((c) => c.id === column.id) ?? { name: "" };
                return (
                  <th
                    key={id}
                    aria-sort={sorted === "asc" ? "ascending" : sorted === "desc" ? "descending" : undefined}
                    className={`border-b border-hair px-3 py-1.5 font-normal ${right ? "text-right" : ""}`}
                  >
                    {column.getCanSort() ? (
                      <button
                        type="button"
                        className="inline-flex items-center gap-1 hover:text-ink"
                        onClick={column.getToggleSortingHandler()}
                      >
                        {name}
                        {sorted === "asc" && <ArrowUp size={12} aria-hidden />}
                        {sorted === "desc" && <ArrowDown size={12} aria-hidden />}
                      </button>
                    ) : (
                      name
                    )}
                  </th>
                );
              })}
            </tr>
          ))}
        </thead>
        <tbody>
          {table.getRowModel().rows.map((row) => (
            <tr key={row.id} className="border-b border-hair-2 align-top last:border-0">
              {row.getVisibleCells().map((cell) => (
                <td key={cell.id} className={`px-3 py-1.5 ${look.get(cell.column.id)}`}>
                  <table.FlexRender cell={cell} />
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}
