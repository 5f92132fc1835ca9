// A value map: one row per value that really reaches it, with how many items in scope hold it.
import { useVirtualizer } from "@tanstack/react-virtual";
import { useMemo, useRef, useState } from "react";
import type { Schemas } from "@/api/client";
import { otherEnd } from "@/lib/lanes";
import { count } from "@/lib/words";
import { Select } from "@/ui/select";
import { Tip } from "@/ui/tip";
import type { ValueMap } from "./rule-words";
import { fromEdge, toEdge, type Sides } from "./sides";
import { ValueChoice } from "./value-choice";
import { shared, valuesOf, withReturn, withRow } from "./value-rows";

/** Height of a row, in pixels. */
const ROW = 31;

/** From this many values on there is something to look for. */
const LONG = 14;

type Props = {
  title: string;
  sides: Sides;
  /** The own list of values of the system that they come from, where nothing stands between the field and the map. */
  own?: string[];
  /** What reaches the map; unknown while it is asked for. */
  met?: Schemas["FieldSurvey"];
  /** Values that the other end allows; any text if undefined. */
  allowed?: string[];
  /** How a new item gets to each state, where values are states. */
  ways?: Schemas["Way"][];
  /** What a field of the other end is called. */
  fieldWord: (field: string) => string;
  map: ValueMap;
  /** Whether the lane goes back, so that each value has a way back. */
  returns: boolean;
  onChange: (m: ValueMap) => void;
};

/** How many values there are to map. */
function metWords(met: Schemas["FieldSurvey"]): string {
  return `${met.distinct_exact ? "" : "more than "}${count(met.distinct, "value")} in scope`;
}

export function ValueMapEditor(p: Props) {
  const { title, sides, own, met, allowed, ways, fieldWord, map, returns, onChange } = p;
  const values = useMemo(() => valuesOf(own, met?.values.map((v) => v.value) ?? [], map), [own, met, map]);
  const listed = useMemo(() => own && new Set(own), [own]);
  const counts = useMemo(() => new Map(met?.values.map((v) => [v.value, v.count])), [met]);
  const rows = useMemo(() => new Map(map.rows.map((r) => [r.left, r])), [map]);
  const several = useMemo(() => shared(map), [map]);
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
  const note = (value: string) =>
    ways && !ways.some((w) => w.to === value) ? "a new item can't reach this state" : undefined;
  const led = new Set(map.rows.map((r) => r.right));
  const onTheWay = ways?.filter((w) => led.has(w.to) && (w.by.length > 0 || w.asks.length > 0)) ?? [];
  return (
    <>
      <section className="border-t border-hair-2 px-4 py-3">
        <h2 className="font-semibold">{title}</h2>
        <p className="mb-2 text-ink-2">
          {met ? metWords(met) : "…"}, {allowed ? `${allowed.length} allowed` : "any text"} at the{" "}
          {otherEnd(sides.read)}
        </p>
        <div className="grid grid-cols-[1fr_48px_18px_1fr] items-center gap-y-1.5 text-[11px] text-ink-3">
          <span>{sides.from}</span>
          <span className="text-right">items</span>
          <span />
          <span>{sides.to}</span>
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
              const off = !!value && !!listed && !listed.has(value);
              return (
                <li
                  key={value}
                  style={{ height: ROW, transform: `translateY(${v.start}px)` }}
                  className="absolute inset-x-0 grid grid-cols-[1fr_48px_18px_1fr] items-center"
                >
                  <span
                    className={`truncate rounded-[5px] border border-hair bg-sheet px-2 py-[2px] ${fromEdge(sides)} ${value ? "" : "text-ink-3"} ${off ? "italic" : ""}`}
                  >
                    {value || "empty"}
                    {off && <span className="not-italic text-ink-3"> · not in the list</span>}
                  </span>
                  <span className="mono text-right text-ink-3">{met && n}</span>
                  {returns && row && several.has(row.right) ? (
                    <Tip
                      says={
                        row.returns
                          ? `Several values become ${row.right}; this one it becomes on the way back`
                          : `Let ${row.right} become this one on the way back`
                      }
                    >
                      <button
                        type="button"
                        role="radio"
                        aria-checked={!!row.returns}
                        aria-label={`${row.right} becomes ${value || "empty"} on the way back`}
                        onClick={() => onChange(withReturn(map, value))}
                        className={`text-center ${row.returns ? "font-bold text-ink" : "text-ink-3"}`}
                      >
                        {row.returns ? "⇄" : "→"}
                      </button>
                    </Tip>
                  ) : (
                    <span className="text-center text-ink-3">→</span>
                  )}
                  <ValueChoice
                    edge={toEdge(sides)}
                    label={`${value || "empty"} becomes`}
                    allowed={allowed}
                    value={row?.right}
                    none={
                      value === "" ? "stays empty" : map.otherwise === "block" ? "choose…" : "use the default below"
                    }
                    note={note}
                    emptied={value !== ""}
                    open={open}
                    onChange={(right) => onChange(withRow(map, value, right))}
                  />
                </li>
              );
            })}
          </ul>
        </div>
        {returns && several.size > 0 && (
          <p className="mt-2 text-ink-2">
            ⇄ marks what travels back where several values become one: {count(several.size, "such value")}.
          </p>
        )}
        {onTheWay.length > 0 && (
          <>
            <h3 className="mt-3 text-ink-2">How a new item gets to this state</h3>
            <ul>
              {onTheWay.map((w) => (
                <li key={w.to}>
                  {[...w.by, w.to].join(" → ")}
                  {w.asks.length > 0 && (
                    <span className="text-ink-2">, which asks for {w.asks.map(fieldWord).join(" and ")}</span>
                  )}
                </li>
              ))}
            </ul>
          </>
        )}
      </section>
      <section className="border-t border-hair-2 px-4 py-3">
        <label className="font-semibold" htmlFor="otherwise">
          A value not in this map
        </label>
        <Select
          id="otherwise"
          className="field mt-1.5 w-full"
          value={typeof map.otherwise === "object" ? "use" : (map.otherwise ?? "block")}
          onChange={(chosen) => {
            onChange({ ...map, otherwise: chosen === "use" ? { use: allowed?.[0] ?? "" } : (chosen as "block") });
          }}
        >
          <option value="block">hold the item and report it</option>
          <option value="leave_empty">leave the field empty, counted as a loss</option>
          <option value="use">use another value, counted as a loss</option>
        </Select>
        {typeof map.otherwise === "object" && (
          <div className="mt-1.5 flex">
            <ValueChoice
              edge={toEdge(sides)}
              label="Any other value becomes"
              allowed={allowed}
              value={map.otherwise.use}
              none="choose…"
              note={note}
              emptied={false}
              open={!map.otherwise.use}
              onChange={(use) => onChange({ ...map, otherwise: use === undefined ? "block" : { use } })}
            />
          </div>
        )}
      </section>
    </>
  );
}
