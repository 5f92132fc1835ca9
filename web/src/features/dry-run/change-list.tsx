// The changes of a plan on the spine, however many there are.
import { useEffect, type Ref } from "react";
import { counted } from "@/lib/words";
import { Check, Loading, Trouble } from "@/ui/basics";
import { useRows, type ListHandle } from "@/ui/use-rows";
import { useDraft } from "../route/draft";
import { ChangeRow, COLUMNS, ROW } from "./change-row";
import { filterWords, type Filter, type Plan } from "./listed";
import type { Decisions, useChanges } from "./use-plan";

type Props = {
  ref: Ref<ListHandle>;
  plan: Plan;
  filter: Filter;
  changes: ReturnType<typeof useChanges>;
  decisions: Decisions;
  chosen: number;
  select: (n: number) => void;
};

export function ChangeList({ ref, plan, filter, changes, decisions, chosen, select }: Props) {
  const { route } = useDraft();
  const { items, more } = changes;
  const at = items.findIndex((i) => i.seq === chosen);
  const { box, rows } = useRows({ ref, count: items.length, height: ROW, chosen: at, more });
  // The list gets more or less room: the chosen row stays in view.
  useEffect(() => {
    if (!box.current || at < 0) return;
    const sized = new ResizeObserver(() => rows.scrollToIndex(at));
    sized.observe(box.current);
    return () => sized.disconnect();
  }, [at, box, rows]);
  const all =
    items.length > 0 && items.every((i) => i.included) ? "in" : items.some((i) => i.included) ? "some" : "out";
  const shown = changes.total ? counted(changes.total, "change") : "…";
  const words = filterWords(filter);
  const acts = `${all === "in" ? "Leave out" : "Include"} all ${shown}${words && `: ${words}`}`;
  return (
    <>
      <div className={`${COLUMNS} shrink-0 border-b border-hair bg-sheet text-[11px] text-ink-2`}>
        <div className="flex items-center justify-center" title={acts}>
          <Check
            state={all}
            label={acts}
            disabled={decisions.locked || items.length === 0}
            onChange={() => decisions.includeAll(filter, all !== "in")}
          />
        </div>
        <div className="truncate py-1.5 pr-2.5">Left · {route.left.system_name}</div>
        <div className="spine-cell flex items-center justify-center">
          <span className="bg-sheet px-1">
            {plan.included.toLocaleString("en")} of {plan.changes.toLocaleString("en")} included
          </span>
        </div>
        <div className="truncate px-2.5 py-1.5">Right · {route.right.system_name}</div>
        <div className="px-2.5 py-1.5 text-right">Fields</div>
      </div>
      <div ref={box} data-testid="changes" className="min-h-0 flex-1 overflow-auto bg-sheet">
        {changes.isPending && <Loading what="the changes" />}
        {changes.error && <Trouble error={changes.error} />}
        {!changes.isPending && items.length === 0 && (
          <p role="status" className="p-8 text-center text-ink-2">
            Nothing matches these filters.
          </p>
        )}
        <ul aria-label="Changes" style={{ height: rows.getTotalSize(), position: "relative" }}>
          {rows.getVirtualItems().map((v) => {
            const item = items[v.index];
            return (
              item && (
                <ChangeRow
                  key={item.seq}
                  n={v.index}
                  item={item}
                  top={v.start}
                  on={item.seq === chosen}
                  locked={decisions.locked}
                  select={() => select(v.index)}
                  toggle={() => decisions.toggle(item)}
                />
              )
            );
          })}
        </ul>
      </div>
    </>
  );
}
