// Below a plan: when it was made, what it comes to, and the way on.
import { useNavigate } from "react-router";
import { ago, exact, span } from "@/lib/format";
import { count } from "@/lib/words";
import { Button, ButtonLink, Foot, Kbd } from "@/ui/basics";
import { Tip } from "@/ui/tip";
import { useDraft } from "../route/draft";
import { whyNot, type Plan } from "./listed";
import type { Decisions } from "./use-plan";

export function PlanFoot({ plan, again, decisions }: { plan: Plan; again: () => void; decisions: Decisions }) {
  const { route } = useDraft();
  const navigate = useNavigate();
  return (
    <Foot
      keys={
        <>
          <span>
            <Kbd>J</Kbd> <Kbd>K</Kbd> next, previous
          </span>
          <span>
            <Kbd>Space</Kbd> include, leave out
          </span>
          <span>
            <Kbd>1</Kbd> <Kbd>2</Kbd> <Kbd>3</Kbd> decide
          </span>
        </>
      }
    >
      <span className="text-right text-ink-2">
        <span title={exact(plan.made_at)}>made {ago(plan.made_at)}</span>
        {plan.open_conflicts > 0 &&
          ` · ${count(plan.open_conflicts, "field")} in conflict, in ${count(plan.in_conflict, "item")}`}
        {plan.estimate && !decisions.locked && plan.included > 0 && (
          <span className="block">
            <Tip
              own
              says={`${count(plan.estimate.calls.right, "call")} to ${route.right.system_name} and ${plan.estimate.calls.left.toLocaleString("en")} to ${route.left.system_name}, by what was included and by the limits of both systems. Retries come on top.`}
            >
              about {count(plan.estimate.calls.right + plan.estimate.calls.left, "call")}, {span(plan.estimate.seconds)}
            </Tip>
          </span>
        )}
      </span>
      {plan.undoable > 0 && !decisions.locked && <Button onClick={decisions.undo}>Undo last decision</Button>}
      <Button onClick={again}>Dry run again</Button>
      {plan.changes > 0 && (
        <a
          className="rounded-md border border-ink-3 bg-sheet px-3 py-[5px] font-medium whitespace-nowrap"
          href={`/api/v1/plans/${plan.id}/file`}
          download
        >
          Save as file
        </a>
      )}
      {decisions.locked ? (
        <ButtonLink go to="../transfer">
          Open the transfer
        </ButtonLink>
      ) : (
        plan.changes > 0 && (
          <Button go why={whyNot(plan, route.version)} onClick={() => void navigate("../transfer")}>
            Transfer {count(plan.included, "change")}…
          </Button>
        )
      )}
    </Foot>
  );
}
