// An item and what may be its counterpart, each at its end, with how alike they are on the spine.
import type { Schemas } from "@/api/client";
import { otherEnd } from "@/lib/lanes";
import { Disc } from "@/ui/disc";
import type { MatchItem, Matched } from "./use-matches";

/** Height of a row, in pixels. */
export const ROW = 46;

type Props = {
  row: Matched;
  /** The end of the item; its counterpart is at the other. */
  end: Schemas["End"];
  on: boolean;
  top: number;
  select: () => void;
};

export function MatchRow({ row, end, on, top, select }: Props) {
  const own = <Item item={row.item} end={end} />;
  const other = row.other ? (
    <Item item={row.other} end={otherEnd(end)} />
  ) : (
    <span className="self-center px-3 text-ink-3">none: a new item is created</span>
  );
  return (
    <div
      id={`m-${row.item.id}`}
      role="option"
      aria-selected={on}
      onClick={select}
      style={{ height: ROW, transform: `translateY(${top}px)` }}
      className={`absolute inset-x-0 grid cursor-pointer grid-cols-[1fr_190px_1fr] border-b border-hair-2 ${on ? "bg-wash" : ""}`}
    >
      {end === "left" ? own : other}
      <span className="spine-cell flex items-center justify-center">
        <span className={`flex items-center gap-1.5 px-2 text-[11px] ${on ? "bg-wash" : "bg-sheet"}`}>
          <Disc shape={row.other ? "adopt" : `new_${otherEnd(end)}`} label="" />
          <How row={row} />
        </span>
      </span>
      {end === "left" ? other : own}
    </div>
  );
}

function Item({ item, end }: { item: MatchItem; end: "left" | "right" }) {
  return (
    <span
      className={`flex min-w-0 flex-col justify-center px-3 ${end === "left" ? "border-l-[3px] border-end-left pl-4" : "border-r-[3px] border-end-right"}`}
    >
      <span className="truncate" title={item.title}>
        <span className="mono mr-1.5 text-ink-2">{item.key}</span>
        {item.title}
      </span>
      <span className="truncate text-[11px] text-ink-3" title={item.path}>
        {item.path || "in no folder"}
      </span>
    </span>
  );
}

/** Why the two may be one, short. */
function How({ row }: { row: Matched }) {
  const e = row.evidence;
  switch (e.how) {
    case "similar":
      return (
        <span>
          <b className="text-[13px] font-semibold">{e.score}%</b>{" "}
          <span className="text-ink-2">
            title {e.title}
            {e.text != null && ` · text ${e.text}`}
            {e.next != null && e.score - e.next < 20 && <span className="text-clash"> · next {e.next}</span>}
          </span>
        </span>
      );
    case "settled":
      return <span className="text-ink-2">{row.settled_by ? `decided by ${row.settled_by}` : "decided by you"}</span>;
    case "origin":
      return <span className="text-ink-2">has its origin mark</span>;
    case "key":
      return <span className="text-ink-2">same key {e.value}</span>;
    case "title_and_path":
      return <span className="text-ink-2">same title and folder</span>;
  }
}
