// The conflicts on the spine, however many there are.
import type { Ref } from "react";
import { ago, exact } from "@/lib/format";
import { reasonWord } from "@/lib/words";
import { Disc } from "@/ui/disc";
import { useRows, type ListHandle } from "@/ui/use-rows";
import { endedWord } from "./takes";
import type { Listed } from "./use-conflicts";

const ROW = 32;
const COLUMNS = "grid grid-cols-[minmax(0,1.3fr)_44px_minmax(0,0.6fr)_minmax(0,1.3fr)_minmax(0,0.8fr)_120px]";

type Props = {
  ref: Ref<ListHandle>;
  items: Listed[];
  more: () => void;
  chosen: number;
  select: (n: number) => void;
};

export function ConflictList({ ref, items, more, chosen, select }: Props) {
  const { box, rows } = useRows({ ref, count: items.length, height: ROW, chosen, more });
  return (
    <>
      <div className={`${COLUMNS} shrink-0 border-b border-hair bg-sheet text-[11px] text-ink-2`}>
        <div className="truncate py-1.5 pl-5">Left</div>
        <div className="spine-cell" />
        <div className="truncate px-2.5 py-1.5">Right</div>
        <div className="truncate px-2.5 py-1.5">Field and reason</div>
        <div className="truncate px-2.5 py-1.5">Route</div>
        <div className="px-5 py-1.5 text-right">Since</div>
      </div>
      <div ref={box} className="min-h-0 flex-1 overflow-auto bg-sheet">
        <ul aria-label="Conflicts" style={{ height: rows.getTotalSize(), position: "relative" }}>
          {rows.getVirtualItems().map((v) => {
            const item = items[v.index];
            return (
              item && (
                <Row
                  key={item.id}
                  n={v.index}
                  item={item}
                  top={v.start}
                  on={v.index === chosen}
                  select={() => select(v.index)}
                />
              )
            );
          })}
        </ul>
      </div>
    </>
  );
}

type RowProps = { n: number; item: Listed; top: number; on: boolean; select: () => void };

function Row({ n, item, top, on, select }: RowProps) {
  const look = on ? "bg-wash shadow-[inset_3px_0_0_var(--ink)]" : "";
  return (
    <li
      style={{ position: "absolute", top, height: ROW }}
      className={`${COLUMNS} w-full cursor-pointer items-center border-b border-hair-2 ${look}`}
      aria-current={on || undefined}
      onClick={select}
    >
      <button
        type="button"
        data-row={n}
        tabIndex={on ? 0 : -1}
        className="flex h-full min-w-0 items-center gap-2 pr-2.5 pl-5 text-left"
      >
        <span className="mono shrink-0 text-ink-2">{item.left_key}</span>
        <span className="truncate">{item.title}</span>
      </button>
      <div className="spine-cell flex h-full items-center justify-center">
        <span className={`rounded-full px-[3px] ${on ? "bg-wash" : "bg-sheet"}`}>
          <Disc shape={item.state === "open" ? "conflict" : "in_step"} label={stateWord(item)} />
        </span>
      </div>
      <div className="mono truncate px-2.5 text-ink-2">{item.right_key}</div>
      <div className="truncate px-2.5" title={reasonWord[item.reason]}>
        <b className="font-medium">{item.field_name}</b>{" "}
        <span className={item.refused ? "text-clash" : "text-ink-2"}>
          {item.refused ? "decided, and refused" : item.state === "closed" ? stateWord(item) : reasonWord[item.reason]}
        </span>
      </div>
      <div className="truncate px-2.5 text-ink-2">{item.route_name}</div>
      <div className="truncate px-5 text-right whitespace-nowrap text-ink-2" title={exact(item.opened_at)}>
        {ago(item.ended_at ?? item.opened_at)}
      </div>
    </li>
  );
}

const stateWord = (c: Listed) =>
  c.state === "open" ? "open conflict" : c.state === "settled" ? "decided" : c.ended ? endedWord[c.ended] : "over";
