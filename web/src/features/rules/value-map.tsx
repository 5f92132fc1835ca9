// A value map: one row per value really met at the left, with how many items hold it.
import { useVirtualizer } from "@tanstack/react-virtual";
import { useRef, useState } from "react";
import type { Schemas } from "@/api/client";
import { count } from "@/lib/words";
import type { ValueMap } from "./rule-words";

/** Height of a row, in pixels. */
const ROW = 31;

/** From this many values on there is something to look for. */
const LONG = 14;

type Props = {
  title: string;
  leftName: string;
  rightName: string;
  source?: Schemas["FieldSchema"];
  survey?: Schemas["FieldSurvey"];
  allowed: string[];
  map: ValueMap;
  onChange: (m: ValueMap) => void;
};

export function ValueMapEditor({ title, leftName, rightName, source, survey, allowed, map, onChange }: Props) {
  const met = survey?.values ?? [];
  // The order of the left system's own list, then what is off it, then the empty value.
  const rank = (v: string) =>
    v === "" ? 1e6 : (source?.allowed?.indexOf(v) ?? -1) >= 0 ? (source?.allowed?.indexOf(v) ?? 0) : 1e5;
  const values = [
    ...new Set([...met.map((v) => v.value), ...map.rows.map((r) => r.left), ...(source?.allowed ?? []), ""]),
  ].sort((a, b) => rank(a) - rank(b));
  const counts = new Map(met.map((v) => [v.value, v.count]));
  const rows = new Map(map.rows.map((r) => [r.left, r]));
  const [find, setFind] = useState("");
  const wanted = find.trim().toLowerCase();
  const shown = wanted ? values.filter((v) => v.toLowerCase().includes(wanted)) : values;
  const box = useRef<HTMLDivElement>(null);
  const virtual = useVirtualizer({
    count: shown.length,
    getScrollElement: () => box.current,
    estimateSize: () => ROW,
    overscan: 12,
  });
  const set = (left: string, right: string) => {
    const others = map.rows.filter((r) => r.left !== left);
    const returns = !others.some((r) => r.right === right);
    onChange({ ...map, rows: right === "\u0000" ? others : [...others, { left, right, returns }] });
  };
  const otherwise =
    typeof map.otherwise === "object" ? map.otherwise.use : map.otherwise === "leave_empty" ? "=empty" : "=block";
  return (
    <>
      <section className="border-t border-hair-2 px-4 py-3">
        <h3 className="font-semibold">{title}</h3>
        <p className="mb-2 text-ink-2">
          {count(met.filter((v) => v.value).length, "value")} met at the left, {allowed.length} allowed at the right
        </p>
        <div className="grid grid-cols-[1fr_48px_18px_1fr] items-center gap-y-1.5 text-[11px] text-ink-3">
          <span>{leftName}</span>
          <span className="text-right">items</span>
          <span />
          <span>{rightName}</span>
        </div>
        {values.length > LONG && (
          <input
            aria-label="Find a value"
            placeholder="Find a value"
            className="field mt-1 w-full"
            value={find}
            onChange={(e) => setFind(e.target.value)}
          />
        )}
        <div ref={box} className="mt-1 max-h-[440px] overflow-auto" tabIndex={shown.length > LONG ? 0 : undefined}>
          <ul className="relative" style={{ height: virtual.getTotalSize() }}>
            {virtual.getVirtualItems().map((v) => {
              const value = shown[v.index] ?? "";
              const row = rows.get(value);
              const n = counts.get(value) ?? 0;
              const open = !row && n > 0 && map.otherwise === "block" && value !== "";
              const off = !!value && !!source?.allowed && !source.allowed.includes(value);
              return (
                <li
                  key={value}
                  style={{ height: ROW, transform: `translateY(${v.start}px)` }}
                  className="absolute inset-x-0 grid grid-cols-[1fr_48px_18px_1fr] items-center"
                >
                  <span
                    title={off ? "not in the left system's own list" : undefined}
                    className={`truncate rounded-[5px] border border-l-[3px] border-hair border-l-end-left bg-sheet px-2 py-[2px] ${value ? "" : "text-ink-3"} ${off ? "italic" : ""}`}
                  >
                    {value || "empty"}
                  </span>
                  <span className="mono text-right text-ink-3">{n}</span>
                  <span className="text-center text-ink-3">→</span>
                  <select
                    aria-label={`${value || "empty"} becomes`}
                    aria-invalid={open}
                    value={row ? row.right : "\u0000"}
                    onChange={(e) => set(value, e.target.value)}
                    className={`w-full rounded-[5px] border px-1.5 py-[3px] ${open ? "border-clash bg-clash-wash text-clash" : "border-hair border-r-[3px] border-r-end-right"}`}
                  >
                    <option value={"\u0000"}>
                      {value === "" ? "stays empty" : map.otherwise === "block" ? "choose…" : "as others"}
                    </option>
                    {allowed.map((a) => (
                      <option key={a} value={a}>
                        {a}
                      </option>
                    ))}
                    {value !== "" && <option value="">leave empty</option>}
                  </select>
                </li>
              );
            })}
          </ul>
        </div>
      </section>
      <section className="border-t border-hair-2 px-4 py-3">
        <label className="font-semibold" htmlFor="otherwise">
          A value not in this table
        </label>
        <select
          id="otherwise"
          className="field mt-1.5 w-full"
          value={otherwise}
          onChange={(e) =>
            onChange({
              ...map,
              otherwise:
                e.target.value === "=block"
                  ? "block"
                  : e.target.value === "=empty"
                    ? "leave_empty"
                    : { use: e.target.value },
            })
          }
        >
          <option value="=block">holds its item back, and is listed</option>
          <option value="=empty">leaves the field empty, as a loss</option>
          {allowed.map((a) => (
            <option key={a} value={a}>
              becomes {a}, as a loss
            </option>
          ))}
        </select>
      </section>
    </>
  );
}
