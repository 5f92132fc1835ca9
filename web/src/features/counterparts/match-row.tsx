// A left item and what may be its counterpart, with how alike they are on the spine.
import { Disc } from "@/ui/disc";
import type { MatchItem, Matched } from "./use-matches";

/** Height of a row, in pixels. */
export const ROW = 46;

export function MatchRow({ row, on, top, select }: { row: Matched; on: boolean; top: number; select: () => void }) {
  return (
    <div
      id={`m-${row.left.id}`}
      role="option"
      aria-selected={on}
      onClick={select}
      style={{ height: ROW, transform: `translateY(${top}px)` }}
      className={`absolute inset-x-0 grid cursor-pointer grid-cols-[1fr_190px_1fr] border-b border-hair-2 ${on ? "bg-wash" : ""}`}
    >
      <Item item={row.left} end="left" />
      <span className="spine-cell flex items-center justify-center">
        <span className={`flex items-center gap-1.5 px-2 text-[11px] ${on ? "bg-wash" : "bg-sheet"}`}>
          <Disc shape={row.right ? "adopt" : "new_right"} label="" />
          <How row={row} />
        </span>
      </span>
      {row.right ? (
        <Item item={row.right} end="right" />
      ) : (
        <span className="self-center px-3 text-ink-3">none: a new item is created</span>
      )}
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
