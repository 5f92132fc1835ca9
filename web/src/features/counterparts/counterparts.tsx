// Counterparts: items of the end that is read that may be at the other already, for a person to say, at speed, by keyboard.
import { useVirtualizer } from "@tanstack/react-virtual";
import { useRef, useState } from "react";
import { useQueryParts } from "@/lib/use-query";
import { useKeys } from "@/app/keys";
import { kindAt, readEnd } from "@/lib/lanes";
import { count, kindsWord } from "@/lib/words";
import { Button, Empty, Foot, Kbd, Loading, Trouble } from "@/ui/basics";
import { Split } from "@/ui/split";
import { Pill, Pills } from "@/ui/pills";
import { Select } from "@/ui/select";
import { useDraft } from "../route/draft";
import { LanesBar, useLane } from "../route/lanes-bar";
import { endOf, useSchema } from "../route/use-schema";
import { Alone } from "./alone";
import { Beside } from "./beside";
import { DoublesList } from "./doubles";
import { Finding } from "./finding";
import { MatchRow, ROW } from "./match-row";
import { Others } from "./others";
import { useMatches, type Matched } from "./use-matches";

const shelves = ["doubtful", "settled", "sure"] as const;
type Shelf = (typeof shelves)[number] | "doubles";

export default function Counterparts() {
  const { route } = useDraft();
  const schema = useSchema(route);
  const [lane] = useLane();
  const [query, change] = useQueryParts();
  const shelf = (query.get("show") as Shelf | null) ?? "doubtful";
  const [at, setAt] = useState(0);
  const [choosing, setChoosing] = useState(false);
  const [surestFirst, setSurestFirst] = useState(false);
  const [level, setLevel] = useState(90);
  const matches = useMatches(route, lane?.id ?? "");
  const box = useRef<HTMLDivElement>(null);
  const list = matches.list.data;
  const shown: Matched[] = !list || shelf === "doubles" ? [] : list[shelf];
  const rows = shelf === "doubtful" && surestFirst ? [...shown].reverse() : shown;
  const current = Math.min(at, Math.max(rows.length - 1, 0));
  const row = rows[current];
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => box.current,
    estimateSize: () => ROW,
    overscan: 8,
  });
  const select = (n: number) => {
    const next = Math.min(Math.max(n, 0), rows.length - 1);
    setAt(next);
    setChoosing(false);
    virtual.scrollToIndex(next);
  };
  const put = (more: Record<string, string>) => {
    change(more);
    setAt(0);
    setChoosing(false);
  };
  const say = (other: Matched["other"]) => {
    if (!row || shelf === "doubles") return;
    matches.say([{ row, other: other ?? null }]);
    setChoosing(false);
  };
  const score = (m: Matched) => (m.evidence.how === "similar" ? m.evidence.score : 0);
  const above = list?.doubtful.filter((m) => score(m) >= level) ?? [];
  useKeys([
    { key: "ArrowDown", does: "Next item", run: () => select(current + 1) },
    { key: "ArrowUp", does: "Previous item", run: () => select(current - 1) },
    { key: "y", does: "Same item", run: () => row?.other && say(row.other) },
    { key: "n", does: "No counterpart: create a new item", run: () => say(null) },
    { key: "c", does: "Choose another", run: () => row && setChoosing(!choosing) },
    { key: "u", does: "Undo last decision", run: matches.takeBack },
    { key: "Escape", does: "Close the list", run: () => setChoosing(false) },
  ]);
  if (schema.isPending) return <Loading what="both ends" />;
  if (schema.error)
    return (
      <div className="p-8">
        <Trouble error={schema.error} />
      </div>
    );
  const left = endOf(schema.data, lane, "left"),
    right = endOf(schema.data, lane, "right");
  const read = readEnd(lane);
  const [from, to] = read === "left" ? [left, right] : [right, left];
  const counts = list && {
    doubtful: list.doubtful_count,
    settled: list.settled_count,
    sure: list.sure_count,
  };
  const named = { doubtful: "To decide", settled: "Decided", sure: "Certain" } as const;
  return (
    <>
      <LanesBar
        left={(l) => endOf(schema.data, l, "left").kind?.name ?? "?"}
        right={(l) => endOf(schema.data, l, "right").kind?.name ?? "?"}
      />
      <div className="flex shrink-0 flex-wrap items-center gap-2 border-b border-hair px-5 py-2">
        <Pills label="Counterparts by how certain they are">
          {shelves.map((s) => (
            <Pill key={s} on={shelf === s} onClick={() => put({ show: s })}>
              {named[s]} <b className="font-semibold">{counts ? counts[s].toLocaleString("en") : "…"}</b>
            </Pill>
          ))}
          <Pill on={shelf === "doubles"} onClick={() => put({ show: "doubles" })}>
            Likely duplicates within an end
          </Pill>
        </Pills>
        {lane && <Finding lane={lane} left={left.kind} right={right.kind} />}
        {shelf === "doubtful" && rows.length > 1 && (
          <label className="ml-2 text-ink-2">
            Sorted by{" "}
            <Select
              aria-label="Order"
              className="field"
              value={surestFirst ? "sure" : "doubt"}
              onChange={(chosen) => {
                setSurestFirst(chosen === "sure");
                setAt(0);
              }}
            >
              <option value="doubt">least certain first</option>
              <option value="sure">most certain first</option>
            </Select>
          </label>
        )}
        {shelf === "doubtful" && !!list?.doubtful.length && (
          <span className="ml-auto flex items-center gap-2 text-ink-2">
            <label>
              Similar from{" "}
              <Select
                aria-label="Similar from"
                className="field"
                value={level}
                onChange={(chosen) => setLevel(Number(chosen))}
              >
                {[95, 90, 85, 80, 75, 70].map((l) => (
                  <option key={l} value={l}>
                    {l} %
                  </option>
                ))}
              </Select>
            </label>
            <Button
              disabled={above.length === 0}
              onClick={() => matches.say(above.map((m) => ({ row: m, other: m.other ?? null })))}
            >
              Confirm {count(above.length, "match", "matches")}
            </Button>
          </span>
        )}
      </div>
      <Trouble error={matches.list.error ?? matches.error} />
      {matches.list.isPending && <Loading what="the counterparts" />}
      {shelf === "doubles" && lane && <DoublesList route={route} lane={lane} />}
      {list && shelf !== "doubles" && rows.length === 0 && (
        <Empty title={shelf === "doubtful" ? "No doubtful matches left" : "Nothing here"}>
          {shelf === "doubtful" && (
            <>
              No unpaired {kindsWord(lane && kindAt(lane, read))} of {from.name} have a doubtful match at {to.name}.{" "}
              {list.sure_count > 0 && `${count(list.sure_count, "item is", "items are")} under Certain. `}
              {list.alone[read] > 0 && `${count(list.alone[read], "item is", "items are")} only at ${from.name}.`}
            </>
          )}
          {shelf === "settled" && "What you decide here holds for every later dry run."}
          {shelf === "sure" && "No match by origin mark, by key, or by title and folder."}
        </Empty>
      )}
      {rows.length > 0 && (
        <Split
          id="counterparts"
          label="Height of the list of items"
          list={
            <div
              ref={box}
              tabIndex={0}
              role="listbox"
              aria-label="Items that may have a counterpart"
              aria-activedescendant={row && `m-${row.item.id}`}
              className="min-h-0 flex-1 overflow-auto bg-sheet"
            >
              <div className="relative" style={{ height: virtual.getTotalSize() }}>
                {virtual.getVirtualItems().map((v) => {
                  const m = rows[v.index] as Matched;
                  return (
                    <MatchRow
                      key={m.item.id}
                      end={read}
                      row={m}
                      on={v.index === current}
                      top={v.start}
                      select={() => select(v.index)}
                    />
                  );
                })}
              </div>
            </div>
          }
          detail={
            row && lane ? (
              choosing ? (
                <Others route={route} lane={lane.id} row={row} allKept={matches.allKept} choose={say} />
              ) : (
                <Beside route={route} lane={lane} row={row} />
              )
            ) : undefined
          }
        />
      )}
      <Foot
        keys={
          shelf === "doubtful" && (
            <>
              <span>
                <Kbd>Y</Kbd> same item
              </span>
              <span>
                <Kbd>N</Kbd> no counterpart
              </span>
              <span>
                <Kbd>C</Kbd> another
              </span>
              <span>
                <Kbd>U</Kbd> undo
              </span>
            </>
          )
        }
      >
        {/* In one place, so that the buttons stay where they are. */}
        {matches.unsent > 0 ? (
          <span role="status" className="text-ink-3">
            Saving {matches.unsent} {matches.unsent === 1 ? "decision" : "decisions"}…
          </span>
        ) : (
          list && lane && <Alone route={route} lane={lane} list={list} />
        )}
        {shelf === "settled" && row && (
          <Button onClick={() => matches.open([row])}>Clear the decision for {row.item.key}</Button>
        )}
        {matches.undoable > 0 && <Button onClick={matches.takeBack}>Undo last decision</Button>}
        {row && shelf !== "doubles" && (
          <>
            <Button onClick={() => say(null)}>No counterpart</Button>
            <Button onClick={() => setChoosing(!choosing)} aria-expanded={choosing}>
              Choose another
            </Button>
            {row.other && shelf !== "settled" && (
              <Button go onClick={() => say(row.other)}>
                Same item
              </Button>
            )}
          </>
        )}
      </Foot>
    </>
  );
}
