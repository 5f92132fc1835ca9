// A plan: its changes above, the chosen one with every difference below.
import { useRef } from "react";
import { useQueryParts } from "@/lib/use-query";
import { useKeys } from "@/app/keys";
import { ago } from "@/lib/format";
import { count, kindsWord } from "@/lib/words";
import { Button, Empty, Trouble } from "@/ui/basics";
import { Split } from "@/ui/split";
import { useDraft } from "../route/draft";
import type { ListHandle } from "@/ui/use-rows";
import { ChangeList } from "./change-list";
import { Detail } from "./detail";
import { Filters } from "./filters";
import { filterOf, type Listed, type Plan } from "./listed";
import { PlanFoot } from "./plan-foot";
import { useChanges, useDecisions } from "./use-plan";

export function PlanView({ plan, again, failure }: { plan: Plan; again: () => void; failure: unknown }) {
  const { route } = useDraft();
  const [query, set] = useQueryParts();
  const filter = filterOf(query);
  const changes = useChanges(plan, filter);
  const decisions = useDecisions(plan, route.id);
  const list = useRef<ListHandle>(null);
  const { items } = changes;
  const chosen = Number(query.get("change") ?? items[0]?.seq ?? -1);
  const at = items.findIndex((i) => i.seq === chosen);
  const select = (n: number) => {
    const item = items[n];
    if (!item) return;
    set({ change: String(item.seq) });
    list.current?.show(n);
  };
  const nextWhere = (test: (i: Listed) => boolean) => {
    const n = items.findIndex((i, k) => k > at && test(i));
    select(n >= 0 ? n : items.findIndex(test));
  };
  /** The next of those in sight; where none is, those alone are listed. */
  const nextOf = (test: (i: Listed) => boolean, only: Record<string, string>, there: boolean) =>
    items.some(test) ? nextWhere(test) : there && set({ ...only, change: undefined });
  useKeys([
    { key: "j", does: "Next change", run: () => select(at + 1) },
    { key: "k", does: "Previous change", run: () => select(at - 1) },
    { key: "ArrowDown", does: "Next change", run: () => select(at + 1) },
    { key: "ArrowUp", does: "Previous change", run: () => select(at - 1) },
    { key: " ", does: "Include or leave out", run: () => decisions.toggle(items[at]) },
    {
      key: "c",
      does: "Next open conflict",
      run: () => nextOf((i) => i.conflicts_open > 0, { conflicts: "1" }, plan.in_conflict > 0),
    },
    {
      key: "l",
      does: "Next change with losses",
      run: () => nextOf((i) => i.losses > 0, { losses: "1" }, plan.with_losses > 0),
    },
    { key: "u", does: "Undo the last decision", run: decisions.undo },
  ]);
  return (
    <>
      <Filters plan={plan} filter={filter} />
      {plan.order_not_kept.length > 0 && (
        <p role="note" className="shrink-0 border-b border-hair bg-sheet px-5 py-1 text-ink-2">
          The order in which {plan.order_not_kept.map(kindsWord).join(", ")} stand in their folders is not transferred:{" "}
          there is no place for it at the other end, or no rule writes it.
        </p>
      )}
      {plan.covered_twice > 0 && (
        <p role="note" className="shrink-0 border-b border-hair bg-sheet px-5 py-1 text-ink-2">
          {count(plan.covered_twice, "item")} {plan.covered_twice === 1 ? "is" : "are"} in the scope of more than one
          lane. Each is transferred once, by the lane that did so before or else by the first.
        </p>
      )}
      {plan.changes === 0 ? (
        <Empty title="Both ends are in step" action={<Button onClick={again}>Make a new dry run</Button>}>
          {count(plan.in_step, "item")} compared {ago(plan.made_at)}, nothing to transfer.
        </Empty>
      ) : (
        <Split
          id="dry-run"
          label="Height of the list of changes"
          list={
            <ChangeList
              ref={list}
              plan={plan}
              filter={filter}
              changes={changes}
              decisions={decisions}
              chosen={chosen}
              select={select}
            />
          }
          detail={
            chosen >= 0 && items.length > 0 ? <Detail plan={plan.id} seq={chosen} decisions={decisions} /> : undefined
          }
        />
      )}
      {(decisions.error != null || failure != null) && (
        <div className="px-5">
          <Trouble error={decisions.error ?? failure} />
        </div>
      )}
      <PlanFoot plan={plan} again={again} decisions={decisions} />
    </>
  );
}
