// A list with a heading that says how many there are: whole, filtered by cause and by words, saved as a file.
import { useState, type ReactNode } from "react";
import { saveCsv } from "@/lib/save-csv";
import { Select } from "./select";
import { Button } from "./basics";
import { FindBox } from "./find-box";
import { VirtualList } from "./virtual-list";

type Props<T> = {
  /** “159 fields differ”. */
  title: ReactNode;
  /** What the list is called. */
  label: string;
  items: T[];
  row: (item: T) => ReactNode;
  height?: number;
  /** What an item is listed for; several of them are chosen from. */
  causeOf?: (item: T) => string;
  /** The words that are looked through. */
  textOf: (item: T) => string;
  file: { name: string; heads: string[]; cells: (item: T) => (string | number)[] };
};

/** How many items have each cause, the most first. */
export function byCause<T>(items: T[], causeOf: (item: T) => string): [string, number][] {
  const counts = new Map<string, number>();
  for (const item of items) counts.set(causeOf(item), (counts.get(causeOf(item)) ?? 0) + 1);
  return [...counts].sort((a, b) => b[1] - a[1] || a[0].localeCompare(b[0]));
}

/** Shorter lists are shown without a box to find in. */
const SHORT = 8;

export function WholeList<T>({ title, label, items, row, height = 30, causeOf, textOf, file }: Props<T>) {
  const [cause, setCause] = useState("");
  const [find, setFind] = useState("");
  if (items.length === 0) return null;
  const causes = causeOf ? byCause(items, causeOf) : [];
  const words = find.trim().toLowerCase();
  const shown = items.filter(
    (i) => (!cause || causeOf?.(i) === cause) && (!words || textOf(i).toLowerCase().includes(words)),
  );
  return (
    <section aria-label={label} className="mb-4">
      <div className="mb-1.5 flex flex-wrap items-center gap-2">
        <h3 className="mr-auto flex items-center gap-2 font-semibold">{title}</h3>
        {shown.length < items.length && (
          <span role="status" className="text-ink-2">
            {shown.length.toLocaleString("en")} of {items.length.toLocaleString("en")}
          </span>
        )}
        {items.length > SHORT && (
          <FindBox
            label={`Find in ${label.toLowerCase()}`}
            placeholder="Key or words"
            className="w-[130px]"
            value={find}
            onFind={setFind}
          />
        )}
        {causes.length > 1 && (
          <Select
            aria-label={`Cause of ${label.toLowerCase()}`}
            className="field max-w-[240px]"
            value={cause}
            onChange={(chosen) => setCause(chosen)}
          >
            <option value="">Cause: all</option>
            {causes.map(([name, n]) => (
              <option key={name} value={name}>
                {n.toLocaleString("en")} {name}
              </option>
            ))}
          </Select>
        )}
        <Button onClick={() => saveCsv(`${file.name}.csv`, file.heads, shown.map(file.cells))}>Save as CSV</Button>
      </div>
      {shown.length === 0 ? (
        <p className="border border-hair bg-sheet p-4 text-ink-2">Nothing matches.</p>
      ) : (
        <VirtualList
          label={label}
          items={shown}
          row={row}
          keyOf={(_, n) => String(n)}
          height={height}
          className="max-h-[380px] border border-hair bg-sheet"
        />
      )}
    </section>
  );
}
